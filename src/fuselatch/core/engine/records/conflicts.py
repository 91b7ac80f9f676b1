"""Ask the user whose values count if someone else has changed a row."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from fuselatch.core.engine.rules.rows import Receiver, Write, key_column
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.store import ChangedMeanwhile
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn.prompting import ask_itself
from fuselatch.core.engine.turn.undoing import KeepEditing
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import AnyControl, is_masked
from fuselatch.core.forms.prompts import Cells, Prompt
from fuselatch.core.model.record_changes import (
    Change,
    Record,
    known_key,
    shown_key,
)
from fuselatch.core.model.texts import later
from fuselatch.core.model.values import MASK, alike, short_text

KEEP_EDITING = later("keep_editing")
THEIRS, MINE = later("conflict.theirs"), later("conflict.mine")
MOST_OF_A_CELL: Final = 200
"""How many characters of a value a conflict's table shows."""
CHANGED = Prompt("{conflict}", title=later("conflict.title"), buttons=(THEIRS, MINE, KEEP_EDITING), tone="warning")
CHANGED_LATE = Prompt("{conflict}", title=later("conflict.title"), buttons=(THEIRS, KEEP_EDITING), tone="warning")
"""The question of a gesture that has written before: it can't be made again."""


def reconciled(turn: Turn, form: OpenForm, writes: list[Write], met: ChangedMeanwhile) -> list[Write]:
    """Return what is written after the user resolved a conflict.

    A change that the user keeps is made again, from the gesture's first step, on what someone else has written.
    """
    at = next(at for at, (change, _) in enumerate(writes) if change is met.change or same_row(change, met.change))
    change, receiver = writes[at]
    answer = whose(turn, form, change, receiver, met)
    if answer == MINE and change.kind == "change" and met.theirs is not None:
        step = turn.step

        def again(turn: Turn) -> None:
            if receiver is not None:
                receiver.rebase(turn)
            step(turn)

        raise KeepEditing(again)
    if answer == MINE:
        mine: list[Write] = []
        if met.theirs is not None:
            mine = [(change._replace(was=met.theirs), receiver)]
        elif change.kind == "change":
            whole = {**(change.was or {}), **change.row}
            key = change.key_after(key_column(turn.session, change.source))
            mine = [(change._replace(kind="add", key=key, row=whole, was=None, compared=None), receiver)]
        return [*writes[:at], *mine, *writes[at + 1 :]]
    turn.session.notice = turn.session.said(met.args[0])
    if answer == THEIRS and receiver is not None:
        raise KeepEditing(receiver.reload)
    raise KeepEditing


def same_row(one: Change, other: Change) -> bool:
    """Return True if two changes are about one row. A store may have got one with a key in place of a `NewKey`."""
    return (one.kind, one.source, known_key(one.key)) == (other.kind, other.source, known_key(other.key))


def whose(turn: Turn, form: OpenForm, change: Change, receiver: Receiver | None, met: ChangedMeanwhile) -> str:
    """Return whose values count, by the form's `on_conflict` or the user's answer."""
    declared = form._state.plan.on_conflict
    if declared != "ask":
        return THEIRS if declared == "theirs" else KEEP_EDITING
    session = turn.session
    which = "conflict.changed" if met.theirs is not None else "conflict.removed"
    record = receiver.named(change) if receiver is not None else session.text("conflict.record", key=shown_key(change.key))
    text = " ".join(filter(None, (turn.saved_text, session.text(which, record=record))))
    table: Cells = ()
    if met.theirs is not None:
        text += "\n" + session.text("conflict.removing") if change.kind == "remove" else ""
        table = differences(session, change, met.theirs, receiver.columns if receiver is not None else {})
    return ask_itself(turn, form, CHANGED_LATE if turn.saved else CHANGED, {"conflict": text}, table)


def differences(session: SessionState, change: Change, theirs: Record, bound: Mapping[str, Any]) -> Cells:
    """Return how a row differs from what someone else wrote: headings, then a row of cells for each column."""
    removing = change.kind == "remove"
    told: list[tuple[str, ...]] = []
    for column, value in {**(change.was or {}), **change.row}.items():
        compared = change.compared is None or column in change.compared or column in change.row
        if column in theirs and not alike(theirs[column], value) and compared:
            # What the user has left as it was becomes theirs.
            control = bound.get(column)
            mine = session.text("compare.kept")
            if removing or column in change.row:
                mine = shown(session, control, value)
            caption = column if control is None else control.caption
            told.append((caption, mine, shown(session, control, theirs[column])))
    words = ("compare.before", "compare.now") if removing else ("compare.mine", "compare.theirs")
    return (("", *map(session.text, words)), *told) if told else ()


def shown(session: SessionState, control: AnyControl, value: object) -> str:
    """Return a column's value as the user reads it, cut where it is long."""
    if value is None or value == "":
        return session.text("blank")
    if control is not None and is_masked(control):
        return MASK
    return short_text(
        str(value) if control is None else control._decl.column_text(control, value, session.formats), MOST_OF_A_CELL
    )
