"""The rules and controls that the scheduler still has to bring up to date."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.model.cells import Cell, Node

if TYPE_CHECKING:
    from fuselatch.core.engine.state.session_state import SessionState


class Dirty:
    """The cells and controls that the scheduler still has to bring up to date."""

    __slots__ = ("cells", "computing", "pending", "session", "to_judge", "to_validate", "tolerant")

    def __init__(self, session: SessionState) -> None:
        self.session = session
        # True if there is a cell or a control; looked at after every step, so that an idle step costs one test.
        self.pending = False
        # Cells whose inputs may have changed, in the order in which they were marked. None of them is fresh.
        self.cells: dict[Cell, None] = {}
        # Controls whose value or rules may have changed.
        self.to_validate: dict[ControlState, None] = {}
        # Controls of which a rule asks if they are valid, or reads the marker.
        self.to_judge: dict[ControlState, None] = {}
        # True while rules follow what another session has written: one that fails keeps its last value.
        self.tolerant = False
        # The rules that are running, the innermost last: one that is asked for again is a circle.
        self.computing: list[Cell] = []

    def invalidate(self, node: Node, prop: object, cause: int) -> None:
        """Mark every cell that depends on a property, directly or not."""
        watchers = node._watchers
        cells: Iterable[Cell] | None = None if watchers is None else watchers.get(prop)
        if not cells:
            return
        dirty = self.cells
        self.pending = True
        turn = self.session.turn
        handler = None if turn is None else turn.handler
        readers: Mapping[object, Iterable[Cell]] | None
        deeper: list[Cell] | None = None
        while cells:
            for cell in cells:
                # Marked before, and so are its readers.
                if not cell.fresh and cell in dirty:
                    continue
                cell.fresh = False
                cell.cause = cause
                if handler is not None:
                    cell.because = turn.event, handler  # type: ignore[union-attr]
                dirty[cell] = None
                readers = cell.node._watchers
                if readers is not None:
                    deeper = [] if deeper is None else deeper
                    deeper.extend(readers.get(cell.prop, ()))
                    # A choice reads as blank when its list no longer offers the value, so its readers depend on the list.
                    if cell.prop == "choices":
                        deeper.extend(readers.get("value", ()))
            cells, deeper = deeper, None

    def invalidate_cell(self, cell: Cell, cause: int) -> None:
        """Mark one cell."""
        cell.fresh = False
        cell.cause = cause
        turn = self.session.turn
        if turn is not None and turn.handler is not None:
            cell.because = turn.event, turn.handler
        self.cells[cell] = None
        self.pending = True

    def revalidate(self, control: ControlState) -> None:
        """Queue a control to be validated."""
        plan = control._plan
        if plan.is_checked and (
            plan.validated or control._set is not None or control._findings or control._trouble is not None
        ):
            self.to_validate[control] = None
            self.pending = True

    def revalidate_check(self, at: Any) -> None:
        """Queue the controls that show a check, or show it in place of a hidden one."""
        self.revalidate(at)
        if not at.visible:
            for check in at._plan.checks:
                for path in check.controls:
                    self.revalidate(at.form._state.controls[path])
