"""Work derived properties out again, to find those that depend on something that the library can't see."""

from __future__ import annotations

from typing import Any, NamedTuple

from fuselatch.core.engine.scheduler import UNTRACKED
from fuselatch.core.engine.state import SessionState
from fuselatch.core.forms.live_state import ControlState, FormState
from fuselatch.core.model.cells import Cell
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.values import same


class Differing(NamedTuple):
    """A derived property that isn't what its rule returns now: its form and control, the property, and both values."""

    form: FormState
    control: ControlState | None
    prop: str
    shown: Any
    afresh: Any


def differing(session: SessionState) -> list[Differing]:
    """Return the derived properties of the open forms whose rules return something else when they run again.

    Between two gestures there are none, unless a rule reads what it isn't told about: a variable of a module, the system's
    clock, a random number. A rule that fails is left out.
    """
    found = []
    kept, outer = session.now, session.port.tracker
    session.now = session.read_at
    session.port.tracker = UNTRACKED
    try:
        for form in session.stack.forms:
            state: FormState = form._state
            for cell in state.rules():
                if not cell.fresh or cell in session.failed or cell.prop == "check":
                    continue
                control = cell.node if isinstance(cell.node, ControlState) else None
                shown = shown_value(cell, control)
                try:
                    afresh = cell.run()
                except Exception:
                    continue
                if isinstance(afresh, Choices):
                    if list(afresh) != list(shown):
                        found.append(Differing(state, control, cell.prop, list(shown), list(afresh)))
                elif not same(shown, afresh):
                    found.append(Differing(state, control, cell.prop, shown, afresh))
    finally:
        session.now, session.port.tracker = kept, outer
    return found


def shown_value(cell: Cell, control: ControlState | None) -> Any:
    """Return what is shown of a derived property."""
    if control is not None and cell.prop == "value":
        return control._value
    return cell.announced
