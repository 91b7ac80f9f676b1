"""Bringing up to date: derived properties and findings, fresh whenever read, announced when things settle.

Setting something only marks the cells that have read it. A marked cell runs again when it is
read, or when the queue is empty; then what differs from what was last announced is announced.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from fuselatch.core.forms.controls import Live, LiveEntry
from fuselatch.core.forms.plans import CheckPlan
from fuselatch.core.model.cells import UNSEEN, Cell, Derived, Inputs, Node, watch
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.errors import FuseLatchError, HandlerFailed, RuleError
from fuselatch.core.model.findings import Finding

if TYPE_CHECKING:
    from fuselatch.core.engine.session import Session
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form

PASSIVE = frozenset({"default"})
"""Rules that are run at opening and never tracked."""

LEVELS = {"refuse": 0, "warn": 1}


class Updates:
    """The stale cells and unjudged controls of one session."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.touched: dict[Cell, None] = {}
        self.unjudged: dict[LiveEntry[Any, Any], None] = {}
        self.running: list[Cell] = []

    # ---- making cells

    def install(self, form: Form) -> list[Cell]:
        """Make the cells of a form that is being opened, in order of declaration."""
        made: list[Cell] = []
        serial = form._state.serial
        control: Any
        for control in form._state.order:
            for prop, rule in control._decl.rules.items():
                if prop in PASSIVE:
                    continue
                order = (serial, control._plan.index, len(made))
                if control._cells is None:
                    control._cells = {}
                cell = control._cells[prop] = self._cell(form, control, prop, rule, order)
                made.append(cell)
            if control._plan.checks:
                checks = [
                    Cell(
                        control,
                        f"check {check.name}",
                        judging(form, check),
                        (serial, control._plan.index, at),
                        check.function,
                    )
                    for at, check in enumerate(control._plan.checks)
                ]
                control._checks = tuple(checks)
                made.extend(checks)
        return made

    def _cell(self, form: Form, control: Live, prop: str, rule: Any, order: tuple[int, int, int]) -> Cell:
        convert = converter(control, prop)
        if isinstance(rule, Derived):
            inputs = [form._state.controls[given.name] for given in rule.inputs]
            blank = control._plan.blank if prop == "value" else convert(None)
            run = following(rule.function, inputs, convert, blank)
            return Cell(control, prop, run, order, rule.function)
        return Cell(control, prop, lambda: convert(rule(control._owner)), order, rule)

    # ---- stale and fresh

    def mark(self, node: Node, prop: str, cause: int) -> None:
        """Mark every cell stale that has read a property, and those that have read them."""
        watchers = node._watchers
        if watchers is None:
            return
        waiting = list(watchers.get(prop, ()))
        while waiting:
            cell = waiting.pop()
            if not cell.fresh and cell in self.touched:
                continue
            cell.fresh = False
            cell.cause = cause
            self.touched[cell] = None
            watchers = cell.node._watchers
            if watchers is not None:
                waiting.extend(watchers.get(cell.prop, ()))
                if cell.prop == "choices":
                    waiting.extend(watchers.get("value", ()))

    def fresh(self, cell: Cell) -> Any:
        """A cell's value; runs its rule only where an input differs from what it saw last."""
        if cell.fresh:
            return cell.value
        if cell.running:
            names = [f"{step.node.name}.{step.prop}" for step in self.running]  # type: ignore[attr-defined]
            at = names.index(f"{cell.node.name}.{cell.prop}")  # type: ignore[attr-defined]
            raise RuleError(f"these rules follow each other in a circle: {' → '.join([*names[at:], names[at]])}")
        cell.running = True
        self.running.append(cell)
        try:
            if cell.value is UNSEEN or self._differs(cell):
                self._run(cell)
            cell.fresh = True
        finally:
            self.running.pop()
            cell.running = False
        return cell.value

    def _differs(self, cell: Cell) -> bool:
        return any(same(node._current(prop), seen) is False for (node, prop), seen in cell.inputs.items())

    def _run(self, cell: Cell) -> None:
        session = self.session
        outer = session.tracker
        inputs: Inputs = {}
        session.tracker = inputs
        try:
            value = cell.run()
        except HandlerFailed:
            raise
        except Exception as error:
            what = f"the rule {cell.node.name}.{cell.prop}"  # type: ignore[attr-defined]
            raise session.failed(error, cell.where, what) from error
        finally:
            session.tracker = outer
        watch(cell, inputs)
        cell.value = value

    # ---- announcing

    def announce(self, turn: Turn) -> None:
        """Bring every marked cell up to date and announce what differs, in order of dependence."""
        touched = self.touched
        self.touched = {}
        order = sorted(touched, key=by_order) if len(touched) > 1 else list(touched)
        for cell in order:
            self.fresh(cell)
        for cell in by_dependence(order, touched):
            self._announce(turn, cell)

    def _announce(self, turn: Turn, cell: Cell) -> None:
        control: Any = cell.node
        if cell.prop == "value":
            if not same(control._value, cell.value):
                turn.put_value(control, cell.value, cell.cause)
        elif cell.prop.startswith("check "):
            self.unjudged[control] = None
        elif not same(cell.announced, cell.value):
            turn.note_property(control, cell.prop, cell.announced, cell.value, cell.cause)
            turn.undo.append((cell, "announced", cell.announced))
            cell.announced = cell.value

    def settle_quietly(self) -> None:
        """After a put-back: bring cells up to date without announcing; they are as they were."""
        touched, self.touched = self.touched, {}
        for cell in sorted(touched, key=by_order):
            try:
                self.fresh(cell)
                cell.announced = cell.value
            except FuseLatchError:
                # It raised before the gesture too, or depends on what is not tracked: it stays stale.
                continue
        self.unjudged.clear()

    # ---- judging

    def judge_all(self, turn: Turn) -> None:
        """Judge the controls whose findings may differ, and note what came and went."""
        unjudged, self.unjudged = self.unjudged, {}
        for control in unjudged:
            self.judge(turn, control)

    def judge(self, turn: Turn, control: LiveEntry[Any, Any]) -> None:
        """Judge one control."""
        before = control._findings
        after = self.found(control)
        if before == after:
            return
        turn.undo.append((control, "_findings", before))
        control._findings = after
        if turn.trace is not None:
            for finding in before:
                if finding not in after:
                    turn.note("finding", control, finding.rule, finding.text, None)
            for finding in after:
                if finding not in before:
                    turn.note("finding", control, finding.rule, None, finding.text)

    def found(self, control: LiveEntry[Any, Any]) -> tuple[Finding, ...]:
        """All findings about a control as it stands, that which refuses first."""
        if not (control.enabled and control.visible):
            return ()
        if control._trouble is not None:
            return (control._trouble,)
        found = list(control._decl.judge(control, control._current("value"), self.session.formats))
        for cell in control._checks:
            finding = self.fresh(cell)
            if finding is not None:
                found.append(finding)
        return tuple(sorted(found, key=lambda finding: LEVELS[finding.level]))


def by_order(cell: Cell) -> tuple[int, int, int]:
    """Order of declaration."""
    return cell.order


def by_dependence(order: list[Cell], touched: dict[Cell, None]) -> list[Cell]:
    """Cells so that each comes after those it has read; else in the order given."""
    if len(order) == 1:
        return order
    cells = {(cell.node, cell.prop): cell for cell in touched}
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


def same(one: object, other: object) -> bool:
    """Whether two values are the same to a person: of one type and equal."""
    return one is other or (type(one) is type(other) and one == other)


def following(
    function: Callable[..., Any], inputs: list[Any], convert: Callable[[Any], Any], blank: Any
) -> Callable[[], Any]:
    """What a `derive` rule runs: the function with values, blank while one of them is."""

    def run() -> Any:
        values = []
        for given in inputs:
            value = given._read("value")
            if value == given._plan.blank and given._plan.blank is not False:
                return blank
            values.append(value)
        return convert(function(*values))

    return run


def judging(form: Form, check: CheckPlan) -> Callable[[], Finding | None]:
    """What a written check runs: nothing while a value is blank or its control out of use."""
    controls: list[Any] = [form._state.controls[path] for path in check.controls]

    def run() -> Finding | None:
        values = []
        for control in controls:
            value = control._read("value")
            blank = control._plan.blank
            if (value == blank and blank is not False) or not (control.enabled and control.visible):
                return None
            values.append(value)
        return as_finding(check.function(form, *values), check.name)

    return run


def as_finding(result: object, rule: str) -> Finding | None:
    """What a check returned, as a finding."""
    if result is None:
        return None
    if isinstance(result, str):
        return Finding(result, "refuse", rule)
    if isinstance(result, Finding):
        return Finding(result.text, result.level, rule)
    raise TypeError(f"a check returns nothing, a message or warn(message), not {type(result).__name__}")


def converter(control: Live, prop: str) -> Callable[[Any], Any]:
    """How what a rule gives becomes what the property holds."""
    if prop == "value":
        blank = control._plan.blank
        return lambda value: blank if value is None else control._decl.coerce(value)
    if prop == "choices":
        return lambda value: value if isinstance(value, Choices) else Choices(() if value is None else value)
    if prop in ("enabled", "visible"):
        return bool
    return lambda value: value
