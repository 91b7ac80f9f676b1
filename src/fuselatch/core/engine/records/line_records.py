"""Lines that are saved with their record."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

from fuselatch.core.engine.looking.edited import mark_clean
from fuselatch.core.engine.records.line_order import cells_of, lines_of, made, show
from fuselatch.core.engine.records.record_columns import (
    bound_columns,
    bring,
    declared_types,
    lay_over,
    lay_under,
    must_be_column,
    values_by_column,
)
from fuselatch.core.engine.records.storing import Written, as_stored
from fuselatch.core.engine.rules.rows import by_column, columns_of, expect_types, key_column, row_at, stage
from fuselatch.core.engine.rules.rule_cells import make_ready
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn.changing import put_message
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.placing import inner_plan, values_of
from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.record_changes import Change, Record, key_in, known_key, shown_key, with_key
from fuselatch.core.model.values import alike


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


def load(turn: Turn, form: OpenForm, key: object) -> None:
    """Load the lines of a record. `key` is None for a new record."""
    session = turn.session
    for lines in lines_of(form):
        decl = lines._decl
        rows = by_column(session, decl.records, decl.key).get(key, ()) if decl.records and key is not None else ()
        if decl.order:
            rows = sorted(rows, key=lambda row: (row[decl.order] is None, row[decl.order]))
        lines_loaded = tuple(loaded(turn, lines, row) for row in rows)
        forget_written(turn, lines, dict(zip(lines_loaded, rows, strict=True)))
        show(turn, lines, lines_loaded)


def loaded(turn: Turn, lines: LineList, row: Record) -> Container:
    line = made(turn, lines)
    where = f"'{lines._decl.records}' {shown_key(key_in(row, key_column(turn.session, lines._decl.records)))}"
    for column, control in line_columns(turn.session, lines, line).items():
        bring(turn, control, row.get(column), where, column)
    make_ready(turn.session, cells_of(lines, line))
    return line


def line_columns(session: SessionState, lines: LineList, line: Container) -> dict[str, Any]:
    """Return the control for each column of a line."""
    source = lines._decl.records
    return bound_columns(lines.form, values_of(lines, line), columns_of(session, source), source)


def forget_written(turn: Turn, lines: LineList, written: Mapping[object, Record]) -> None:
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
        written: dict[object, Record] = {}
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


def add_to_staged(turn: Turn, lines: LineList, line: Container, row: Record) -> bool:
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

    def __init__(self, lines: LineList, line: Container | None, records: Any) -> None:
        self.form: OpenForm = lines.form
        self.records = records
        self.lines = lines
        self.line = line

    @property
    def columns(self) -> Mapping[str, object]:
        """The controls of the bound columns."""
        line = self.line if self.line is not None else next(iter(self.lines._members), None)
        if line is None:
            return {}
        return line_columns(self.records.session, self.lines, line)

    def keyed(self, turn: Turn, key: object) -> None:
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


def under(session: SessionState, form: OpenForm, key: object) -> list[tuple[LineList, Sequence[Record]]]:
    """Return the rows of a record, with the lines that show them."""
    stored = [lines for lines in lines_of(form) if lines._decl.records]
    return [(lines, by_column(session, lines._decl.records, lines._decl.key).get(key, ())) for lines in stored]
