"""Paste rows of cells, as spreadsheets copy them, into a list of lines: one gesture, all of it or nothing.

Cells are separated by tabs and rows by line ends; a cell in double quotes may have both (as in CSV, RFC 4180). The first
cell goes to the entry at which the rows are pasted, the others to those right of it and in the lines below; lines that are
missing are added. Each cell is read as if it had been typed.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Final, NoReturn

from fuselatch.core.engine.records import line_changes
from fuselatch.core.engine.rules.drafts import drop_draft, parsed
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn.focus import move_focus, settle
from fuselatch.core.engine.turn.loop import drain
from fuselatch.core.forms.inputs import MOST_BYTES
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.live_state import ControlState, is_masked, is_read_only, is_usable, seen
from fuselatch.core.forms.placing import inner_plan
from fuselatch.core.model.errors import Refused
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.values import Unparsable

CELL: Final = re.compile(r"""(?:"((?:[^"]|"")*)"(?=[\t\r\n]|$)|([^\t\r\n]*))(\t|\r\n|\n|\r|$)""")
MOST_ROWS: Final = 1_000
"""The most rows that are pasted at once."""


def place_of_paste(control: ControlState) -> tuple[LineList | None, int, int]:
    """Return the list of lines that a control is or is in (or None), and the place of its line and entry.

    Rows that are pasted at the list itself come after its last line.
    """
    if isinstance(control, LineList):
        return control, len(control._rows), 0
    if control._plan.line is None:
        return None, 0, 0
    lines, line = control._plan.line
    entries = entries_of(lines, line)
    return lines, lines._rows.index(line), entries.index(control) if control in entries else 0


def entries_of(lines: LineList, line: object) -> list[ControlState]:
    """Return the entries of a line that rows can be pasted into: those with a value, from left to right."""
    return [each for each in lines._members[line][1] if each._plan.is_input]


def has_secrets(control: ControlState) -> bool:
    """Return True if what is pasted at a control may be a password."""
    lines, _, _ = place_of_paste(control)
    if lines is None:
        return False
    shown = [is_masked(each) for line in lines._rows for each in entries_of(lines, line)]
    return any(shown) or any(plan.masked for plan in inner_plan(lines).controls.values())


def cells_of(text: str) -> list[list[str]]:
    """Return the cells of a text, row by row. A line end after the last row is none of its own."""
    rows: list[list[str]] = []
    at, is_new = 0, True
    while at < len(text) or not is_new:
        match = CELL.match(text, at)
        assert match is not None, "a cell may be empty"
        if is_new:
            rows.append([])
        rows[-1].append(match[1].replace('""', '"') if match[1] is not None else match[2])
        at, is_new = match.end(), match[3] != "\t"
    return rows


def paste_rows(turn: Turn, gesture: Gesture, control: ControlState) -> None:
    """Fill lines from a text of cells; raise `Refused` if something doesn't fit, so that nothing is changed."""
    session = turn.session
    if control._plan.is_input and not move_focus(turn, control):
        return
    settle(turn, control._state.focus)
    if len(gesture.text.encode(errors="replace")) > MOST_BYTES:
        refuse(turn, session.text("paste.bytes", most=MOST_BYTES))
    rows = cells_of(gesture.text)
    if len(rows) > MOST_ROWS:
        refuse(turn, session.text("paste.rows", rows=len(rows), most=MOST_ROWS))
    lines, at, first = place_of_paste(control)
    assert lines is not None, "elsewhere it was refused before"
    before, turn.cause = turn.cause, turn.note("step", lines, "paste rows", None, len(rows))
    for number, cells in enumerate(rows, 1):
        place = at + number - 1
        line = lines._rows[place] if place < len(lines._rows) else line_changes.add(turn, lines, {})
        if line is None:
            refuse(turn, session.text("paste.row", row=number, reason=session.notice))
        fill(turn, entries_of(lines, line)[first:], cells, number)
        # For the fuse, each row is like a gesture of its own.
        turn.runs = 0
    turn.cause = before
    if rows:
        session.notice = session.text("notice.pasted", rows=len(rows), caption=seen(lines, "caption"))


def fill(turn: Turn, entries: Sequence[ControlState], cells: Sequence[str], row: int) -> None:
    """Fill the entries of one line."""
    session = turn.session
    if len(cells) > len(entries):
        refuse(turn, session.text("paste.cells", row=row, cells=len(cells), entries=len(entries)))
    for entry, cell in zip(entries, cells, strict=False):
        reason = ""
        caption = seen(entry, "caption")
        if entry._rule or is_read_only(entry) or not is_usable(entry):
            # A blank cell leaves alone what can't be filled in.
            reason = session.text("paste.closed", caption=caption) if cell.strip() else ""
        else:
            try:
                value = parsed(session, entry, entry._decl.taken(cell))
            except Unparsable as error:
                reason = session.text("notice.at", caption=caption, reason=error)
            else:
                if entry._draft is not None:
                    drop_draft(turn, entry)
                turn.put_value(entry, value, turn.cause)
                # A handler of this entry may fill in others; the cells that follow have the last word, as what is typed.
                drain(turn)
        if reason:
            refuse(turn, session.text("paste.row", row=row, reason=reason))


def refuse(turn: Turn, reason: str) -> NoReturn:
    """Refuse the paste; the user reads why."""
    turn.session.notice = reason
    raise Refused(turn.description, reason)
