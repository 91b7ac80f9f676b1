"""Set the defaults of controls, and save what was entered last."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from fuselatch.core.engine.state.failure import failure_of
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.defaults import LastEntered
from fuselatch.core.forms.live_state import AnyControl
from fuselatch.core.forms.rules import is_rule
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.values import same


def set_defaults(turn: Turn, form: OpenForm) -> None:
    """Set a form's defaults in tab order. This raises no events."""
    set_defaults_of(turn, form, form._state.plan.defaulted)


def set_defaults_of(turn: Turn, form: OpenForm, paths: Iterable[str]) -> None:
    """Set the defaults of some controls. This raises no events."""
    control: object
    for path in paths:
        control = form._state.controls[path]
        decl = control._decl
        rules, constants = decl.rules, decl.constants
        default = rules.get("default")
        if default is None:
            default = constants.get("default")
            if default is None:
                # A label starts with its constant value.
                default = constants.get("value")
        if isinstance(default, LastEntered):
            default = entered_last(turn, form, path, default)
        if default is None or same(default, control._plan.blank):
            continue
        if is_rule(default):
            default = call_default(turn, f"{control.name}.default", default, control._owner)
        value = decl.start(control, default) if default is not None else None
        if value is UNSEEN:
            continue
        control._value = value if value is not None else control._plan.blank  # not undone: the form is new
        form._state.touched[control] = None


def entered_last(turn: Turn, form: OpenForm, path: str, default: LastEntered) -> object:
    """Return the value entered last in a control, or `first` until there is one."""
    entered = turn.session.last_entered.get((type(form), path))
    blank = form._state.controls[path]._plan.blank
    # A blank field has nothing to start with, but an empty tick box was unticked by the user.
    return default.first if entered is None or (entered == blank and blank is not False) else entered


class AtStart(dict[Any, object]):
    """The tracker of defaults, which run once and may read the time as it is."""


def call_default(turn: Turn, what: str, rule: Callable[..., object], owner: object) -> object:
    """Run a default's function, which can't set anything or wait."""
    port = turn.session.port
    port.tracker = AtStart()
    try:
        return rule(owner)
    except Exception as error:
        raise failure_of(turn.session, error, rule, f"the rule {what}") from error
    finally:
        port.tracker = None


def note_last(turn: Turn, form: OpenForm) -> None:
    """Save the values of controls with `default=last_entered()`."""
    for path in form._state.plan.defaulted:
        control: AnyControl = form._state.controls[path]
        if isinstance(control._decl.constants.get("default"), LastEntered):
            turn.set_item(turn.session, "last_entered", (type(form), path), control._current("value"))
