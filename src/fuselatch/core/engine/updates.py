"""Bring derived values and findings up to date.

Setting something marks the cells that read it. A marked cell runs again when it is read, or when the queue is empty.
Then each value that differs is announced.
"""

from __future__ import annotations

from collections.abc import Iterable
from operator import attrgetter
from typing import TYPE_CHECKING, Any, Final

from fuselatch.core.forms.held import ControlState, current
from fuselatch.core.model.cells import UNSEEN, Cell, Inputs, watch
from fuselatch.core.model.errors import FuseLatchError, HandlerFailed, RuleError
from fuselatch.core.model.rows import add_row

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine
    from fuselatch.core.engine.turn import Turn

NESTED: Final = 40
"""How deep rules may nest before the rest runs from the bottom of the stack."""


class Untracked(dict[Any, Any]):
    """A tracker that notes nothing, for rules whose inputs are known."""

    def __setitem__(self, key: Any, value: Any) -> None: ...


UNTRACKED: Final = Untracked()


class Updates:
    """The marked cells and controls of one session. `pending`: there are any."""

    __slots__ = ("engine", "pending", "running", "to_validate", "touched")

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self.pending = False
        self.touched: dict[Cell, None] = {}
        self.to_validate: dict[ControlState, None] = {}
        self.running: list[Cell] = []

    # ---- stale and fresh

    def mark(self, node: Any, prop: Any, cause: int) -> None:
        """Mark every cell that depends on a property, directly or not."""
        watchers = node._watchers
        cells: Iterable[Cell] | None = None if watchers is None else watchers.get(prop)
        if not cells:
            return
        touched = self.touched
        self.pending = True
        turn = self.engine.turn
        because = None if turn is None or turn.handler is None else (turn.event, turn.handler)
        deeper: list[Cell] | None = None
        while cells:
            for cell in cells:
                # Marked before, and so are its readers.
                if not cell.fresh and cell in touched:
                    continue
                cell.fresh = False
                cell.cause = cause
                if because is not None:
                    cell.because = because
                touched[cell] = None
                watchers = cell.node._watchers
                if watchers is not None:
                    deeper = [] if deeper is None else deeper
                    deeper.extend(watchers.get(cell.prop, ()))
                    # A choice reads as blank when its list no longer offers the value, so its readers depend on the list.
                    if cell.prop == "choices":
                        deeper.extend(watchers.get("value", ()))
            cells, deeper = deeper, None

    def mark_cell(self, cell: Cell, cause: int) -> None:
        cell.fresh = False
        cell.cause = cause
        turn = self.engine.turn
        if turn is not None and turn.handler is not None:
            cell.because = turn.event, turn.handler
        self.touched[cell] = None
        self.pending = True

    def revalidate(self, control: ControlState) -> None:
        """Queue a control to be validated."""
        plan = control._plan
        if plan.entry and (plan.validated or control._set is not None or control._findings or control._trouble is not None):
            self.to_validate[control] = None
            self.pending = True

    def fresh(self, cell: Cell) -> Any:
        """Return a cell's value; run its rule only if an input changed."""
        if cell.fresh:
            return cell.value
        if cell.running:
            names = [step.name for step in self.running]
            circle = names[names.index(cell.name) :]
            raise RuleError(f"these rules depend on each other in a circle: {' → '.join([*circle, circle[0]])}")
        depth = len(self.running)
        if depth and depth % NESTED == 0 and self.engine.turn is not None:
            # A long chain would overflow the stack, so this part runs from its bottom, on another worker.
            return self.engine.at_the_bottom(lambda: self._refresh(cell))
        return self._refresh(cell)

    def _refresh(self, cell: Cell) -> Any:
        engine = self.engine
        outer = engine.tracker
        within = not cell.plain
        if within:
            cell.running = True
            self.running.append(cell)
        try:
            if cell.fixed:
                engine.tracker = UNTRACKED
                cell.value = cell.run()
            # If all inputs are equal again, comparing them is cheaper than running the developer's rule.
            elif cell.value is UNSEEN or self._differs(cell):
                inputs: Inputs = {}
                engine.tracker = inputs
                value = cell.run()
                cell.forced = False
                watch(cell, inputs)
                cell.value = value
            cell.fresh = True
            if engine.observer is not None:
                engine.observer.computed(cell)
        except HandlerFailed:
            raise
        except Exception as error:
            raise engine.failed(error, cell.where, f"the rule {cell.name}") from error
        finally:
            engine.tracker = outer
            if within:
                self.running.pop()
                cell.running = False
        return cell.value

    def _differs(self, cell: Cell) -> bool:
        inputs = cell.inputs
        if cell.forced or not inputs:
            return True
        for (node, prop), seen in inputs.items():
            now = current(node, prop) if isinstance(node, ControlState) else node._current(prop)
            if now is not seen and not (type(now) is type(seen) and now == seen):
                return True
        return False

    # ---- announcing

    def validate_all(self, turn: Turn) -> None:
        """Validate the queued controls."""
        self.pending = False
        to_validate, self.to_validate = self.to_validate, {}
        for control in to_validate:
            self.validate(turn, control)

    def announce(self, turn: Turn) -> None:
        """Update the marked cells and announce what differs, in order of dependence."""
        while self.touched:
            touched = self.touched
            self.touched = {}
            order = list(touched)
            if len(order) > 1:
                order.sort(key=by_order)
            read = False
            # Compute all of them before announcing any: the order of dependence is known only afterwards.
            for cell in order:
                if not cell.fresh:
                    self._refresh(cell)
                read = read or cell.node._watchers is not None
            if read and len(order) > 1:
                order = by_dependence(order)
            for cell in order:
                if cell.because is None:
                    self._announce(turn, cell)
                    continue
                # Its effects get the cell's cause as their parent, so that the fuse sees a loop through a rule.
                event, handler = turn.event, turn.handler
                turn.event, turn.handler = cell.because
                cell.because = None
                try:
                    self._announce(turn, cell)
                finally:
                    turn.event, turn.handler = event, handler

    def _announce(self, turn: Turn, cell: Cell) -> None:
        control: Any = cell.node
        prop, value, told = cell.prop, cell.value, cell.announced
        if prop == "value":
            turn.put_value(control, value, cell.cause)
        elif prop == "check":
            self.engine.revalidate_check(control)
        elif told is not value and not (type(told) is type(value) and told == value):
            if turn.rows is not None:
                add_row(
                    turn.rows,
                    cell.cause,
                    "change",
                    cell.form_name,
                    "" if prop == "title" else control.name,
                    prop,
                    told,
                    value,
                )
            turn.put_announced(cell, value)
            self.engine.property_differs(turn, control, prop, cell.cause)

    def settle_quietly(self) -> None:
        """Update cells and findings after an undo, without announcing."""
        touched, self.touched = self.touched, {}
        for cell in sorted(touched, key=by_order):
            try:
                self.fresh(cell)
                cell.announced = cell.value
                if cell.prop == "check":
                    self.engine.revalidate_check(cell.node)
            except FuseLatchError:
                # It also failed before the gesture, or depends on untracked data. It stays stale.
                continue
        to_validate, self.to_validate = self.to_validate, {}
        self.pending = False
        for control in to_validate:
            # The answer that ended a wait may have noted findings of values that are undone now.
            if control._findings is not None:
                try:
                    control._findings = self.engine.findings(control)
                except FuseLatchError:
                    continue

    def validate(self, turn: Turn, control: ControlState) -> None:
        """Validate one control, and note new and cleared findings."""
        before = control._findings
        after = self.engine.findings(control)
        if self.engine.observer is not None:
            self.engine.observer.validated(control, after)
        if before == after:
            return
        turn.put_findings(control, after)
        if turn.rows is not None:
            for finding in before or ():
                if finding not in after:
                    turn.note("finding", control, finding.rule, finding.text, None)
            for finding in after:
                if finding not in (before or ()):
                    turn.note("finding", control, finding.rule, None, finding.text)


by_order = attrgetter("order")
"""Sort key: order of declaration."""


def in_order(order: list[Cell]) -> bool:
    """Return True if each cell comes after the cells that it reads."""
    for place, cell in enumerate(order):
        cell.place = place
    for place, cell in enumerate(order):
        for node, prop in cell.inputs:
            needed = node._cells.get(prop) if node._cells is not None else None
            if needed is not None and place < needed.place < len(order) and order[needed.place] is needed:
                return False
    return True


def by_dependence(order: list[Cell]) -> list[Cell]:
    """Return cells in order of dependence."""
    if in_order(order):
        return order
    cells = {(cell.node, cell.prop): cell for cell in order if cell.prop != "check"}
    done: dict[Cell, None] = {}
    for first in order:
        stack = [(first, iter(first.inputs))]
        entered = {first}
        while stack:
            cell, inputs = stack[-1]
            for key in inputs:
                needed = cells.get(key)
                if needed is not None and needed not in done and needed not in entered:
                    entered.add(needed)
                    stack.append((needed, iter(needed.inputs)))
                    break
            else:
                stack.pop()
                done.setdefault(cell)
    return list(done)
