"""Rows that a handler writes itself."""

from __future__ import annotations

from fuselatch.core.engine.rules.rows import key_column, must_have_columns, row_at, stage
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import (
    Change,
    KeyName,
    NewKey,
    Record,
    key_in,
    known_key,
    shown_key,
)


def stage_new(turn: Turn, source: str, row: Record) -> NewKey:
    """Stage a new row for a handler; return its key."""
    session = turn.session
    must_have_columns(session, source, row)
    given = known_key(key_in(row, key_column(session, source)))
    stage(turn, Change("add", source, given, dict(row)), None)
    assert turn.writes is not None, "it is staged"
    key = turn.writes[-1][0].key
    return key if isinstance(key, NewKey) else NewKey(source, key)


def staged_last(turn: Turn, source: str, key: object, name: KeyName) -> int:
    """Return the place of the last staged change of the row that has this key now, if it may still be added to; else -1."""
    writes = turn.writes or []
    for at in range(len(writes) - 1, -1, -1):
        change = writes[at][0]
        if change.source == source and key in (known_key(change.key), known_key(change.key_after(name))):
            return -1 if change.kind == "remove" or known_key(change.key_after(name)) != key else at
    return -1


def stage_change(turn: Turn, source: str, key: object, row: Record | None) -> None:
    """Stage a change of a row for a handler, or its removal (None). It is checked against the row as it was read."""
    session = turn.session
    must_have_columns(session, source, row or {})
    was = row_at(session, source, key)
    if was is None:
        column = key_column(session, source)
        known = [shown_key(key_in(each, column)) for each in session.rows.read(source)]
        raise UnknownName(f"'{source}' has no record {key!r}; {suggest(shown_key(key), known)}")
    wanted, name = known_key(key), key_column(session, source)
    at = staged_last(turn, source, wanted, name)
    change, receiver = (turn.writes or [])[at] if at >= 0 else (None, None)
    if change is not None and turn.writes is not None and receiver is None and (row is not None or change.kind == "add"):
        if row is None:
            del turn.writes[at]
        else:
            merged = change._replace(row={**change.row, **row})
            # A new row has the key that it was given last.
            turn.writes[at] = merged._replace(key=merged.key_after(name)) if merged.kind == "add" else merged, None
        session.rows.differs(turn.cause)
        session.catalogs.differs(turn.cause)
        return
    stage(turn, Change("remove" if row is None else "change", source, wanted, dict(row or {}), was), None)
