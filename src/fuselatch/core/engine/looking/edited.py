"""Find out if the user changed something since a form opened or a record was loaded."""

from __future__ import annotations

from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import AnyControl, ControlState
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.values import same


def is_changed(form: OpenForm) -> bool:
    """Return True if the user changed something since the form opened."""
    if form._state.records is not None:
        changed: bool = form._state.records.is_changed
        return changed
    entries = (control for control in form._state.order if control._plan.is_input and not control._rule)
    return lines_changed(form) or any(differs(control) for control in entries)


def differs(control: AnyControl) -> bool:
    """Return True if an entry has a draft, or another value than at first."""
    if not control._decl.constants["counts_as_change"]:
        return False
    return control._draft is not None or (control._initial is not UNSEEN and not same(control._initial, control._value))


def mark_clean(turn: Turn, control: ControlState) -> None:
    """Treat a control's value as its record's value."""
    turn.set(control, "_initial", UNSEEN)


def lines_changed(form: OpenForm) -> bool:
    """Return True if lines were added, removed, moved or changed since they were saved."""
    for lines in form._state.lines:
        if lines._gone or list(lines._written) != list(lines._rows):
            return True
        entries = (control for line in lines._rows for control in lines._members[line][1])
        if any(control._plan.is_input and differs(control) for control in entries):
            return True
    return False
