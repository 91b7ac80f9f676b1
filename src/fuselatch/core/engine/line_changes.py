"""Add, remove, move and save lines under a form."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final

from fuselatch.core.engine.changing import exact_value, may_change, put, put_message
from fuselatch.core.engine.default_values import set_defaults_of
from fuselatch.core.engine.edited import mark_clean
from fuselatch.core.engine.loop import drain, happen
from fuselatch.core.engine.record_columns import (
    bound_columns,
    bring,
    declared_types,
    lay_over,
    lay_under,
    must_be_column,
    values_by_column,
)
from fuselatch.core.engine.rule_cells import install_at, make_ready
from fuselatch.core.engine.state import SessionState, Turn
from fuselatch.core.engine.storing import Written, as_stored, by_column, columns_of, expect_types, key_column, row_at, stage
from fuselatch.core.engine.submitting import validate_form, veto
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.live_state import FormState
from fuselatch.core.forms.placing import call_by_place, inner_plan, make_line, values_of
from fuselatch.core.forms.plans import joined
from fuselatch.core.model.cells import Cell, Undoable, watch
from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Change, Record, key_in, known_key, shown_key, with_key
from fuselatch.core.model.values import alike


def lines_of(form: OpenForm) -> list[LineList[Any]]:
    found: list[LineList[Any]] = form._state.lines
    return found


# ---- what a user or a handler does


def add(turn: Turn, lines: LineList[Any], values: Mapping[str, Any]) -> Container | None:
    """Add a line at the end; return None if it was blocked or refused."""
    form, decl = lines.form, lines._decl
    if decl.max_items is not None and len(lines._rows) >= decl.max_items:
        veto(turn, form, "line", turn.session.text("lines.most", caption=lines.caption, most=decl.max_items))
        return None
    if decl.records and form._state.records.key is None and not parent_kept(turn, lines):
        return None
    before, turn.cause = turn.cause, turn.note("step", lines, "add line")
    try:
        reason = happen(turn, "line_adding", form, lines)
        if reason is not None:
            veto(turn, form, "line_adding", reason)
            return None
        line = made(turn, lines)
        set_defaults_of(turn, form, [joined(path_of(line), path) for path in inner_plan(lines).defaulted])
        make_ready(turn.session, cells_of(lines, line))
        append(turn, lines, line)
        controls = values_of(lines, line)
        for name, value in values.items():
            if name not in controls:
                raise TypeError(f"{lines.name}: lines have no control '{name}'; {suggest(name, controls)}")
            control = controls[name]
            may_change(turn.session, form, f"{type(form).__name__}.{control.name}.value", control._rule)
            put(turn, control, exact_value(control, value))
        happen(turn, "line_added", form, lines, None, line)
        return line
    finally:
        turn.cause = before


def parent_kept(turn: Turn, lines: LineList[Any]) -> bool:
    """Save the record that a line will belong to, if declared; return False if refused."""
    form = lines.form
    if lines._decl.new_parent == "together":
        return True
    if lines._decl.new_parent == "save_first":
        return bool(form._state.records.save_now(turn))
    validate_form(turn, form)
    return veto(turn, form, "line", turn.session.text("notice.save_first", caption=lines.caption))


def remove(turn: Turn, lines: LineList[Any], line: Container) -> bool:
    """Remove a line; return False if it was blocked."""
    must_have(lines, line)
    before, turn.cause = turn.cause, turn.note("step", lines, "remove line")
    try:
        reason = happen(turn, "line_removing", lines.form, lines, line, None)
        if reason is not None:
            return veto(turn, lines.form, "line_removing", reason)
        if line in lines._written:
            turn.set_item(lines, "_gone", line, lines._written[line])
        show(turn, lines, tuple(one for one in lines._rows if one is not line))
        drain(turn)
        return True
    finally:
        turn.cause = before


def reorder(turn: Turn, lines: LineList[Any], line: Container, to: int) -> None:
    must_have(lines, line)
    if not 0 <= to < len(lines._rows):
        raise ValueError(f"{lines.name} has no position {to}; positions are 0 to {len(lines._rows) - 1}")
    rest = [one for one in lines._rows if one is not line]
    show(turn, lines, (*rest[:to], line, *rest[to:]))
    drain(turn)


def must_have(lines: LineList[Any], line: Container) -> None:
    """Refuse a line that isn't there."""
    if line not in lines._rows:
        raise NotAllowedHere(f"{line!r} isn't a line of {type(lines.form).__name__}.{lines.name} (or was removed)")


# ---- which lines are there


def path_of(line: Container) -> str:
    """Return a line's path, which doesn't change when it moves."""
    path: str = line.__dict__["_live"]._plan.path
    return path


def made(turn: Turn, lines: LineList[Any]) -> Container:
    """Return a new line whose rules work, not yet in the list."""
    line: Container = make_line(lines)
    path = path_of(line)
    cells: list[Cell] = []
    for name in inner_plan(lines).ruled:
        install_at(turn.session, lines.form._state, joined(path, name), cells, lines._serial * 1000)
    return line


def cells_of(lines: LineList[Any], line: Container) -> list[Cell]:
    """Return the rules and checks of a line."""
    nodes, controls = lines._members[line]
    found = [cell for each in (*nodes, *controls) for cell in (each._cells or {}).values()]
    return found + [cell for control in controls for cell in getattr(control, "_checks", ())]


def show(turn: Turn, lines: LineList[Any], rows: tuple[Any, ...]) -> None:
    """Set the lines of a list."""
    if rows == lines._rows:
        return
    cause = turn.note("change", lines, "rows", len(lines._rows), len(rows))
    turn.set(Reordering(turn.session, lines, rows), "done", True)
    put_rows(turn.session, lines, rows, cause)


def append(turn: Turn, lines: LineList[Any], line: Container) -> None:
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

    def __init__(self, session: SessionState, lines: LineList[Any], line: Container) -> None:
        self.done = False
        self.session = session
        self.lines = lines
        self.line = line

    def _restored(self, name: str) -> None:
        put_rows(self.session, self.lines, tuple([line for line in self.lines._rows if line is not self.line]), 0)


class Reordering(Undoable):
    """A change of which lines are there, or of their order. If the gesture fails, only this change is undone."""

    __slots__ = ("after", "before", "done", "lines", "session")

    def __init__(self, session: SessionState, lines: LineList[Any], after: tuple[Any, ...]) -> None:
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


def put_rows(session: SessionState, lines: LineList[Any], rows: tuple[Any, ...], cause: int) -> None:
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
    order: list[Any] = []
    for path in state.plan.controls:
        control = state.controls[path]
        order.append(control)
        order.extend(control._decl.inner(control))
    state.order = order
    changed(session, lines, rows, cause)


def place_after(state: FormState, lines: LineList[Any]) -> int:
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


def changed(session: SessionState, lines: LineList[Any], differing: Iterable[Container], cause: int) -> None:
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


def detach(session: SessionState, lines: LineList[Any], line: Container) -> None:
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


def attach(session: SessionState, lines: LineList[Any], line: Container) -> None:
    """Start the rules and checks of a line that was added or restored."""
    whole = line.__dict__["_live"]
    for cell in cells_of(lines, line) if whole._set is not None else ():
        inputs, cell.inputs = cell.inputs, {}
        watch(cell, inputs)
        session.dirty.invalidate_cell(cell, 0)
    whole._set = None  # not undone: it follows the lines that are there, also after an undo
    for control in lines._members[line][1]:
        session.dirty.revalidate(control)


# ---- lines that are saved with a record


def begin(turn: Turn, form: OpenForm) -> None:
    """Check the columns that lines are bound to, and report rows without a record."""
    session = turn.session
    for lines in lines_of(form):
        decl = lines._decl
        if not decl.records:
            continue
        columns = columns_of(session, decl.records)
        for column in (decl.key, *((decl.order,) if decl.order else ())):
            must_be_column(column, columns, decl.records)
        records = form._state.records
        if not isinstance(records.key_column, str) or records.trouble:
            reason = records.trouble or f"the key of '{records.source}' has several columns"
            raise NotAllowedHere(f"{form._state.name}.{lines.name}: lines need records with one key column; {reason}")
        expect_types(session, decl.records, declared_types(inner_plan(lines).controls, columns))
        key = key_column(session, decl.records)
        parents = by_column(session, records.source, records.key_column)
        stored = by_column(session, decl.records, decl.key)
        astray = [shown_key(key_in(row, key)) for parent, rows in stored.items() if parent not in parents for row in rows]
        if astray:
            named = ", ".join(map(str, astray[:5])) + (", …" if len(astray) > 5 else "")
            which = "stray" if len(astray) > 1 else "stray.one"
            text = turn.session.text(which, count=len(astray), lines=decl.records, records=records.source, keys=named)
            put_message(turn, form, text, "warning")


def load(turn: Turn, form: OpenForm, key: Any) -> None:
    """Load the lines of a record. `key` is None for a new record."""
    session = turn.session
    for lines in lines_of(form):
        decl = lines._decl
        rows = by_column(session, decl.records, decl.key).get(key, ()) if decl.records and key is not None else ()
        if decl.order:
            rows = sorted(rows, key=lambda row: (row[decl.order] is None, row[decl.order]))
        found = tuple(loaded(turn, lines, row) for row in rows)
        forget_written(turn, lines, dict(zip(found, rows, strict=True)))
        show(turn, lines, found)


def loaded(turn: Turn, lines: LineList[Any], row: Record) -> Container:
    line = made(turn, lines)
    where = f"'{lines._decl.records}' {shown_key(key_in(row, key_column(turn.session, lines._decl.records)))}"
    for column, control in line_columns(turn.session, lines, line).items():
        bring(turn, control, row.get(column), where, column)
    make_ready(turn.session, cells_of(lines, line))
    return line


def line_columns(session: SessionState, lines: LineList[Any], line: Container) -> dict[str, Any]:
    """Return the control for each column of a line."""
    source = lines._decl.records
    return bound_columns(lines.form, values_of(lines, line), columns_of(session, source), source)


def forget_written(turn: Turn, lines: LineList[Any], written: Mapping[Any, Record]) -> None:
    """Set what the store has of the lines."""
    turn.set(lines, "_written", dict(written))
    turn.set(lines, "_gone", {})


NOTHING: Final[Record] = {}
"""Instead of a row, for lines that aren't stored."""


def stage_lines(turn: Turn, form: OpenForm, records: Any) -> None:
    """Stage the lines' rows, to be written with their record."""
    session, key = turn.session, records.key
    if key is None and turn.writes is not None:
        # The record is new and gets its key from the store, in the transaction that writes its lines.
        key = next((change.key for change, receiver in turn.writes if receiver is records), None)
    for lines in lines_of(form):
        decl = lines._decl
        if not decl.records:
            forget_written(turn, lines, dict.fromkeys(lines._rows, NOTHING))
            continue
        written: dict[Any, Record] = {}
        column = key_column(session, decl.records)
        for row in lines._gone.values():
            stage(turn, Change("remove", decl.records, key_in(row, column), {}, row), LineKeys(lines, None, records))
        for place, line in enumerate(lines._rows):
            row = {**values_by_column(line_columns(session, lines, line)), decl.key: key}
            if decl.order:
                row[decl.order] = place + 1
            was = lines._written.get(line)
            if was is not None and add_to_staged(turn, lines, line, row):
                # A new line that is saved again in the gesture that saved it first is still one row.
                written[line] = {**was, **row}
                continue
            if was is None:
                change = Change("add", decl.records, key_in(row, column), row)
            else:
                row = {name: value for name, value in row.items() if not alike(was.get(name), value)}
                compared = frozenset(line_columns(session, lines, line)) | {decl.key}
                change = Change("change", decl.records, key_in(was, column), row, was, compared)
            if change.row:
                stage(turn, change, LineKeys(lines, line, records))
            written[line] = {**(was or {}), **row}
            for control in lines._members[line][1]:
                mark_clean(turn, control)
        forget_written(turn, lines, written)


def add_to_staged(turn: Turn, lines: LineList[Any], line: Container, row: Record) -> bool:
    """Add to a new line's row that is staged and not written yet; return False if there is none."""
    for at, (change, receiver) in enumerate(turn.writes or ()):
        mine = isinstance(receiver, LineKeys) and receiver.lines is lines and receiver.line is line
        if mine and change.kind == "add" and turn.writes is not None:
            turn.writes[at] = change._replace(row={**change.row, **row}), receiver
            return True
    return False


def rebase(turn: Turn, form: OpenForm) -> None:
    """Lay what someone else wrote under what the user has entered in lines."""
    session = turn.session
    for lines in lines_of(form):
        # A line that was removed has no controls to show anything.
        there = [(line, lines._written[line]) for line in lines._rows if line in lines._written]
        for line, before in there if lines._decl.records else ():
            key = key_in(before, key_column(session, lines._decl.records))
            fresh = row_at(session, lines._decl.records, key)
            if fresh is not None and fresh != before:
                lay_under(
                    turn, line_columns(session, lines, line), before, fresh, f"'{lines._decl.records}' {shown_key(key)}"
                )
                turn.set_item(lines, "_written", line, fresh)


def take_over(turn: Turn, form: OpenForm, rows: Sequence[Written]) -> None:
    """Show what the store has now of the lines that this session has written."""
    session = turn.session
    for lines in lines_of(form):
        source = lines._decl.records
        for written in [each for each in rows if each.source == source and each.key is not None] if source else ():
            name = key_column(session, source)
            for line in lines._rows:
                mine = lines._written.get(line)
                stored = None
                if mine is not None and key_in(mine, name) in (written.before, written.key):
                    stored = as_stored(session, mine, written)
                if stored is not None:
                    turn.set_item(lines, "_written", line, stored)
                    lay_over(turn, line_columns(session, lines, line), stored, f"'{source}' {shown_key(written.key)}")


class LineKeys:
    """The receiver of a store's answer to a line's write."""

    __slots__ = ("form", "line", "lines", "records")

    def __init__(self, lines: LineList[Any], line: Container | None, records: Any) -> None:
        self.form: OpenForm = lines.form
        self.records = records
        self.lines = lines
        self.line = line

    @property
    def columns(self) -> Mapping[str, Any]:
        """The controls of the bound columns."""
        line = self.line if self.line is not None else next(iter(self.lines._members), None)
        if line is None:
            return {}
        return line_columns(self.records.session, self.lines, line)

    def keyed(self, turn: Turn, key: Any) -> None:
        """Note the key that the store gave to a line."""
        written = self.lines._written
        column = key_column(turn.session, self.lines._decl.records)
        if self.line in written:
            row = {name: known_key(value) for name, value in written[self.line].items()}
            turn.set_item(
                self.lines, "_written", self.line, row if key_in(row, column) is not None else with_key(row, column, key)
            )

    def reload(self, turn: Turn) -> None:
        """Load the row that someone else wrote."""
        self.records.reload(turn)

    def rebase(self, turn: Turn) -> None:
        """Lay what someone else wrote under what the user has entered."""
        self.records.rebase(turn)

    def named(self, change: Change) -> str:
        """Return the line of a change, as the user calls it: by its position."""
        session = self.records.session
        rows = list(self.lines._rows)
        if self.line not in rows:
            record: str = session.text("conflict.record", key=shown_key(change.key))
            return record
        line: str = session.text("conflict.line", caption=self.lines.caption, place=rows.index(self.line) + 1)
        return line


def under(session: SessionState, form: OpenForm, key: Any) -> list[tuple[LineList[Any], Sequence[Record]]]:
    """Return the rows of a record, with the lines that show them."""
    stored = [lines for lines in lines_of(form) if lines._decl.records]
    return [(lines, by_column(session, lines._decl.records, lines._decl.key).get(key, ())) for lines in stored]
