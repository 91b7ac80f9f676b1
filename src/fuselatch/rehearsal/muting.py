"""Find a handler by name, to mute it."""

from __future__ import annotations

from collections.abc import Callable

from fuselatch.core.forms.form import forms_loaded, plan_of
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.report.behaviour import all_handlers

LEFT_OUT = "muted for this run"


def handler_named(name: str) -> Callable[..., object]:
    """Return the handler `BookingForm.price_the_stay`; raise `UnknownName`."""
    known = {handler.name: handler.function for form in forms_loaded() for handler in all_handlers(plan_of(form))}
    if name not in known:
        owner = name.partition(".")[0]
        near = [each for each in known if each.startswith(f"{owner}.")]
        hint = suggest(name, near or known) if known else "no form has handlers"
        if not near and any(form.__name__ == owner for form in forms_loaded()):
            hint = f"{owner} has no handlers"
        raise UnknownName(f"unknown handler '{name}'; {hint}")
    return known[name]
