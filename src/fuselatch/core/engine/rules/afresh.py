"""Work derived properties out again, to find those that depend on something that the library can't see."""

from __future__ import annotations

from typing import NamedTuple

from fuselatch.core.engine.rules.scheduler import UNTRACKED
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.live_state import ControlState, FormState
from fuselatch.core.model.cells import Cell
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.values import Value, same


class Differing(NamedTuple):
    """A derived property that isn't what its rule returns now: its form and control, the property, and both values."""

    form: FormState
    control: ControlState | None
    prop: str
    shown: object
    afresh: object

    @property
    def declared(self) -> object:
        """The declaration of its control."""
        return self.control._decl if self.control is not None else None

    @property
    def lists(self) -> bool:
        """True if its value is among choices."""
        return self.control is not None and self.control._plan.lists


def differing(session: SessionState) -> list[Differing]:
    """Return the derived properties of the open forms whose rules return something else when they run again.

    Between two gestures there are none, unless a rule reads what it isn't told about: a variable of a module, the system's
    clock, a random number. A rule that fails is left out.
    """
    differences = []
    kept, outer = session.now, session.port.tracker
    session.now = session.read_at
    session.port.tracker = UNTRACKED
    try:
        for form in session.stack.forms:
            state: FormState = form._state
            cells = [each for each in state.rules() if each.fresh and each not in session.failed and each.prop != "check"]
            differences.extend([each for cell in cells if (each := run_again(state, cell)) is not None])
    finally:
        session.now, session.port.tracker = kept, outer
    return differences


def run_again(state: FormState, cell: Cell) -> Differing | None:
    """Run a rule again; return what it returns, if that differs from what is shown."""
    control = cell.node if isinstance(cell.node, ControlState) else None
    shown: Value = control._value if control is not None and cell.prop == "value" else cell.announced
    try:
        afresh = cell.run()
    except Exception:
        return None
    if isinstance(afresh, Choices):
        is_same = list(shown) == list(afresh)
        shown, afresh = list(shown.texts), list(afresh.texts)
    else:
        is_same = same(shown, afresh)
    return None if is_same else Differing(state, control, cell.prop, shown, afresh)
