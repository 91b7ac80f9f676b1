"""The lines in a list and their order: rules, names and places in the tab order follow."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Final

from fuselatch.core.engine.rules.rule_cells import install_at
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.live_state import FormState
from fuselatch.core.forms.placing import call_by_place, inner_plan, make_line
from fuselatch.core.forms.plans import joined
from fuselatch.core.model.cells import Cell, Undoable, watch


def lines_of(form: OpenForm) -> list[LineList]:
    lists: list[LineList] = form._state.lines
    return lists


def path_of(line: Container) -> str:
    """Return a line's path, which doesn't change when it moves."""
    path: str = line.__dict__["_live"]._plan.path
    return path


def made(turn: Turn, lines: LineList) -> Container:
    """Return a new line whose rules work, not yet in the list."""
    line: Container = make_line(lines)
    path = path_of(line)
    cells: list[Cell] = []
    for name in inner_plan(lines).ruled:
        install_at(turn.session, lines.form._state, joined(path, name), cells, lines._serial * 1000)
    return line


def cells_of(lines: LineList, line: Container) -> list[Cell]:
    """Return the rules and checks of a line."""
    nodes, controls = lines._members[line]
    cells = [cell for each in (*nodes, *controls) for cell in (each._cells or {}).values()]
    return cells + [cell for control in controls for cell in getattr(control, "_checks", ())]


def show(turn: Turn, lines: LineList, rows: tuple[object, ...]) -> None:
    """Set the lines of a list."""
    if rows == lines._rows:
        return
    cause = turn.note("change", lines, "rows", len(lines._rows), len(rows))
    turn.set(Reordering(turn.session, lines, rows), "done", True)
    put_rows(turn.session, lines, rows, cause)


def append(turn: Turn, lines: LineList, line: Container) -> None:
    """Add a line at the end. What the others are called stays, so that many lines cost as many times one."""
    count = len(lines._rows)
    cause = turn.note("change", lines, "rows", count, count + 1)
    turn.set(Appending(turn.session, lines, line), "done", True)
    lines._rows = (*lines._rows, line)  # not undone: it follows the lines that are there, also after an undo
    attach(turn.session, lines, line)
    lines._attached.add(line)
    call_by_place(lines, count)
    state = lines.form._state
    entries = lines._members[line][1]
    end = place_after(state, lines)
    state.order[end:end] = entries
    changed(turn.session, lines, [line], cause)


class Appending(Undoable):
    """A line that was added at the end. If the gesture fails, it goes."""

    __slots__ = ("done", "line", "lines", "session")

    def __init__(self, session: SessionState, lines: LineList, line: Container) -> None:
        self.done = False
        self.session = session
        self.lines = lines
        self.line = line

    def _restored(self, name: str) -> None:
        put_rows(self.session, self.lines, tuple([line for line in self.lines._rows if line is not self.line]), 0)


class Reordering(Undoable):
    """A change of which lines are there, or of their order. If the gesture fails, only this change is undone."""

    __slots__ = ("after", "before", "done", "lines", "session")

    def __init__(self, session: SessionState, lines: LineList, after: tuple[Any, ...]) -> None:
        self.done = False
        self.session = session
        self.lines = lines
        self.before = lines._rows
        self.after = after

    def _restored(self, name: str) -> None:
        rows = self.before
        if self.lines._rows != self.after:
            # Another gesture has added, removed or moved lines since. That stays.
            added = set(self.after) - set(self.before)
            now = [line for line in self.lines._rows if line not in added]
            for place, line in enumerate(self.before):
                if line not in self.after and line not in now:
                    now.insert(place, line)
            rows = tuple(now)
        put_rows(self.session, self.lines, rows, 0)


MOST_POSITIONS: Final = 500
"""How many earlier orders of a list are kept, to find what the trace tells of a line."""


def put_rows(session: SessionState, lines: LineList, rows: tuple[Any, ...], cause: int) -> None:
    """Set the lines of a list; update names, working rules and tab order."""
    if session.recording and lines._rows:
        lines._positions = [*lines._positions[-MOST_POSITIONS:], (len(session.trace.rows), lines._rows)]
    lines._rows = rows  # not undone: it follows the lines that are there, also after an undo
    there = set(rows)
    for line in lines._attached - there:
        detach(session, lines, line)
    for line in there - lines._attached:
        attach(session, lines, line)
    lines._attached = there
    call_by_place(lines)
    state = lines.form._state
    order: list[object] = []
    for path in state.plan.controls:
        control = state.controls[path]
        order.append(control)
        order.extend(control._decl.inner(control))
    state.order = order
    changed(session, lines, rows, cause)


def place_after(state: FormState, lines: LineList) -> int:
    """Return the place in the tab order after the last entry of a list."""
    later = False
    after = 0
    for path in state.plan.controls:
        control = state.controls[path]
        after += later
        if later:
            after += len([*control._decl.inner(control)])
        later = later or control is lines
    return len(state.order) - after


def changed(session: SessionState, lines: LineList, differing: Iterable[Container], cause: int) -> None:
    """Mark what depends on lines that came, went or moved. `differing`: those that are new or have another place."""
    state = lines.form._state
    state.rearranged = True
    for line in differing:
        for each in lines._members[line]:
            state.touched.update(dict.fromkeys(each))
    state.touched[lines] = None
    session.stack.unsettled = True
    for prop in ("rows", "value"):
        session.dirty.invalidate(lines, prop, cause)
    session.dirty.revalidate(lines)


def detach(session: SessionState, lines: LineList, line: Container) -> None:
    """Stop the rules and checks of a removed line."""
    for cell in cells_of(lines, line):
        for node, prop in cell.inputs:
            if node._watchers is not None:
                node._watchers.get(prop, {}).pop(cell, None)
        session.dirty.cells.pop(cell, None)
    whole = line.__dict__["_live"]
    whole._set = {"visible": False}  # not undone: it follows the lines that are there, also after an undo
    session.retired[lines] = None
    for control in lines._members[line][1]:
        session.dirty.to_validate.pop(control, None)


def attach(session: SessionState, lines: LineList, line: Container) -> None:
    """Start the rules and checks of a line that was added or restored."""
    whole = line.__dict__["_live"]
    for cell in cells_of(lines, line) if whole._set is not None else ():
        inputs, cell.inputs = cell.inputs, {}
        watch(cell, inputs)
        session.dirty.invalidate_cell(cell, 0)
    whole._set = None  # not undone: it follows the lines that are there, also after an undo
    for control in lines._members[line][1]:
        session.dirty.revalidate(control)
