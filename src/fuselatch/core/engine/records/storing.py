"""Write what a gesture has staged, and ask the user if the store refuses."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from typing import NamedTuple

from fuselatch.core.engine.records.conflicts import KEEP_EDITING, reconciled
from fuselatch.core.engine.rules.rows import Receiver, Write, key_column, look, row_at, store_of
from fuselatch.core.engine.state.failure import failure_of, tell
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.store import ChangedMeanwhile, StoreRefused
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn.prompting import ask_itself
from fuselatch.core.engine.turn.undoing import KeepEditing
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.record_changes import (
    Change,
    Key,
    KeyName,
    NewKey,
    Record,
    known_key,
    with_keys,
)
from fuselatch.core.model.texts import later
from fuselatch.core.model.values import Value, alike

AGAIN = later("refused.again")
REFUSED = Prompt(later("refused"), title=later("refused.title"), buttons=(AGAIN, KEEP_EDITING), tone="danger")
REFUSED_REST = Prompt(
    later("refused.rest"), title=later("effect.title"), buttons=(AGAIN, later("effect.leave")), tone="danger"
)
"""The question of a gesture that has written before."""


def commit(turn: Turn) -> None:
    """Write what is staged. Written data isn't undone."""
    writes, session = turn.writes, turn.session
    assert writes is not None, "only staged writes are committed"
    done = written(turn, writes)
    key_names = {change.source: key_column(session, change.source) for change, _, _ in done}
    new = [(change.key, key) for change, _, key in done if isinstance(change.key, NewKey)]
    for stands, key in new:
        stands._value = key  # not undone: the row is written
    for staged, receiver, key in done:
        change = with_keys(staged, {})._replace(key=key) if staged.kind == "add" else with_keys(staged, {})
        if change.kind == "change" and not change.row:
            # Only seen to be there.
            continue
        turn.note_form("write", None, change.source, None, str(change))
        turn.saved = {**(turn.saved or {}), change.source: (turn.saved or {}).get(change.source, 0) + 1}
        if session.observers:
            tell(session, "wrote", change)
        if receiver is not None:
            receiver.keyed(turn, key)
    turn.writes = None
    turn.owed = tuple(turn.outward or ())
    if new:
        put_known_keys(turn)
    session.rows.differs(turn.cause)
    session.catalogs.differs(turn.cause)
    take_over(turn, [written_row(staged, key, key_names[staged.source]) for staged, _, key in done])


class Written(NamedTuple):
    """A row that was written: its key before and now (None: removed), and what the session had of it."""

    source: str
    # Value, and not object: compiled, that name of a field's type is looked for and not found.
    before: Value
    key: Key
    row: Record
    was: Record


def written_row(staged: Change, key: object, name: KeyName) -> Written:
    """Return a staged change as it was written, with the key that the store returned."""
    change = with_keys(staged, {})
    if change.kind == "add":
        return Written(change.source, key, key, change.row, {})
    return Written(
        change.source, change.key, None if change.kind == "remove" else change.key_after(name), change.row, change.was or {}
    )


def take_over(turn: Turn, rows: Sequence[Written]) -> None:
    """Let the forms that show a written row have it as the store has it now: a handler, a trigger or a generated column

    may have changed more than the form did. What someone else has written stays a conflict, and what the user has entered
    stays entered.
    """
    session = turn.session
    for form in session.stack.forms:
        records = form._state.records
        if records is None or form._state.phase == "closed":
            continue
        with suppress(StoreRefused):
            # What was written is written; a store that can't be read any more is told by the next read.
            records.take_over(turn, rows)


def as_stored(session: SessionState, mine: Record, written: Written) -> Record | None:
    """Return a shown row with what was written, and what the store has made of it; None if the store doesn't have it.

    `mine`: the row as it is shown. Columns that someone else has changed since it was read stay as they were.
    """
    fresh = row_at(session, written.source, written.key)
    if fresh is None:
        return None
    made = {column for column, value in fresh.items() if column in written.row or not alike(written.was.get(column), value)}
    return {**mine, **{column: fresh[column] for column in made}}


def put_known_keys(turn: Turn) -> None:
    """Put the keys that the store has given in place of each `NewKey`, in controls and outcomes."""
    session = turn.session
    for form in (*session.stack.forms, *[form for form, _ in session.leaving]):
        for control in form._state.controls.values():
            held = control._value
            known = tuple([known_key(each) for each in held]) if isinstance(held, tuple) else known_key(held)
            if known is not held and known != held:
                turn.set(control, "_value", known)
                session.dirty.invalidate(control, "value", turn.cause)
        outcome = form._state.outcome
        values = {name: known_in(value) for name, value in outcome.values.items()} if outcome is not None else {}
        if outcome is not None and any(value is not outcome.values[name] for name, value in values.items()):
            known = Outcome(outcome.verdict, values, outcome.overrides, outcome.masked)
            turn.set(form._state, "outcome", known)
            for wait in session.parked:
                if wait.result is outcome:
                    # The opener resumes after the write.
                    wait.result = known


def known_in(value: object) -> object:
    """Return a value of an outcome with the keys that are known, also within lines; the same object if there are none."""
    if isinstance(value, tuple):
        parts = tuple([known_in(each) for each in value])
        return value if all(one is other for one, other in zip(parts, value, strict=True)) else parts
    if isinstance(value, Mapping):
        row = {name: known_in(one) for name, one in value.items()}
        return value if all(one is value[name] for name, one in row.items()) else row
    return known_key(value)


def written(turn: Turn, writes: list[Write]) -> list[tuple[Change, Receiver | None, object]]:
    """Write changes and return the keys. If the store refuses, ask the user."""
    session = turn.session
    store = store_of(session)
    while True:
        try:
            keys = store.write([change for change, _ in writes])
            return [(change, receiver, key) for (change, receiver), key in zip(writes, keys, strict=True)]
        except StoreRefused as error:
            receiver = next((one for _, one in writes if one), None)
            form = receiver.form if receiver is not None else session.stack.front or session.stack.first
            if form is None or turn.by != "user" or turn.pointing:
                raise failure_of(session, error, store.write, "writing") from error
            refused = error
        if not isinstance(refused, ChangedMeanwhile):
            if not is_tried_again(turn, refused):
                raise KeepEditing
            continue
        look(turn)
        writes = reconciled(turn, form, writes, refused)


def is_tried_again(turn: Turn, error: StoreRefused) -> bool:
    """Report that the store refuses; return True if the user tries again."""
    session = turn.session
    form = session.stack.front or session.stack.first
    if form is None:
        return False
    saved, reason = turn.saved_text, error.args[0]
    if saved:
        again = ask_itself(turn, form, REFUSED_REST, {"saved": saved, "reason": reason}) == AGAIN
    else:
        again = ask_itself(turn, form, REFUSED, {"reason": reason}) == AGAIN
    if not again:
        session.notice = session.text("notice.refused", saved=saved, reason=reason) if saved else session.said(reason)
    return again
