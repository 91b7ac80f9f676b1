"""Looking at sessions in tests."""

from __future__ import annotations

import shlex
from collections.abc import Iterable
from typing import Any

from hypothesis import settings

from fuselatch import HandlerFailed
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.form import controls_of
from fuselatch.core.model.words import phrase
from fuselatch.frontends import Session, TraceEntry, View


def act(desk: Any, *steps: str) -> None:
    """Do steps at a desk, each written as in a cue sheet."""
    for step in steps:
        verb, *words = shlex.split(step)
        getattr(desk, verb)(*words)


def examples(share: float, **options: Any) -> settings:
    """Return settings for a test that tries so many times as many examples as others."""
    return settings(max_examples=max(1, round(share * settings().max_examples)), **options)


def told(entries: Iterable[TraceEntry], *kinds: str) -> list[str]:
    """Return entries in words, of all kinds or of the named ones."""
    return [phrase(entry) for entry in entries if not kinds or entry.kind in kinds]


def sound_view(session: Session) -> View:
    """Return the view; see that one which is made again as a whole would be equal."""
    view = session.view
    states = [form._state for form in session.forms]
    kept = [(state.shown, state.rearranged) for state in states], session._state.last_view
    for state in states:
        state.shown = None
    session._state.last_view = None
    whole = session.view
    for state, (shown, rearranged) in zip(states, kept[0], strict=True):
        state.shown, state.rearranged = shown, rearranged
    session._state.last_view = kept[1]
    assert view == whole
    return view


def read(control: Any, name: str) -> Any:
    """Return what is read of a control; if its rule fails, that failure."""
    try:
        return getattr(control, name, None)
    except HandlerFailed as error:
        return str(error)


def snapshot(session: Session) -> dict[str, Any]:
    """Return everything that the user and the developer see of a session, except the trace and the message line."""
    view = sound_view(session).to_dict()
    del view["notice"], view["serial"], view["failure"]
    values = {
        f"{number} {path}": (read(control, "value"), read(control, "text"), read(control, "findings"), control.focused)
        for number, form in enumerate(session.forms)
        for path, control in controls_of(form).items()
        if isinstance(control, LiveValue)
    }
    plain = [
        {name: value for name, value in vars(form).items() if name not in controls_of(form) and not name.startswith("_")}
        for form in session.forms
    ]
    return {"view": view, "values": values, "plain": plain, "outcome": session.outcome}
