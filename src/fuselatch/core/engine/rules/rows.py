"""The rows of record sources, with what the running turn has staged."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from typing import Any, Protocol, TypeAlias

from fuselatch.core.engine.rules.scheduler import follow
from fuselatch.core.engine.state.session_node import SessionNode
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.store import Store
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import (
    Change,
    KeyName,
    NewKey,
    Record,
    applied,
    key_in,
    known_key,
)


class Receiver(Protocol):
    """The part of a bound form that a change comes from, and that receives its key."""

    @property
    def columns(self) -> Mapping[str, object]:
        """The controls of the bound columns."""

    @property
    def form(self) -> OpenForm:
        """The bound form."""

    def keyed(self, turn: Turn, key: object) -> None:
        """Note the key that the store gave."""

    def reload(self, turn: Turn) -> None:
        """Load what someone else wrote."""

    def rebase(self, turn: Turn) -> None:
        """Lay what someone else wrote under what the user has entered."""

    def named(self, change: Change) -> str:
        """Return the record or line of a change, as the user calls it."""


Write: TypeAlias = tuple[Change, Receiver | None]
"""A staged change, and who receives its key."""


class RecordsNode(SessionNode):
    """The rows of each record source, with what the running turn has staged."""

    __slots__ = ()

    def _current(self, prop: Any) -> object:
        staged = staged_for(self.session, prop)
        return with_staged(self.session, prop, staged) if staged else rows_of(self.session, prop)


def store_of(session: SessionState) -> Store:
    """Return the session's store; raise if it has none."""
    store = session.store
    if store is None:
        raise NotAllowedHere("this session has no records; open it with records=…")
    return store


def rows_of(session: SessionState, source: str) -> tuple[Mapping[str, object], ...]:
    """Return a source's rows, read once per version."""
    version = version_of(session, source)
    cached = session.row_cache.get(source)
    if cached is None or cached[0] != version:
        stored: Any = store_of(session).read(source)
        rows = stored.to_dict("records") if hasattr(stored, "columns") else stored
        cached = session.row_cache[source] = version, tuple(rows)
    return cached[1]


def staged_for(session: SessionState, source: str) -> list[Change]:
    """Return what the running turn has staged for a source; while a prompt is open, the turn that asks it."""
    wait = session.prompt_wait if session.turn is None else None
    turn = session.turn if wait is None else wait.turn
    writes = turn.writes if turn is not None else None
    return [change for change, _ in writes if change.source == source] if writes else []


def with_staged(session: SessionState, source: str, staged: list[Change], *, new_keys: bool = False) -> tuple[Record, ...]:
    """Return a source's rows as they will be when all is written. A key that the store will give is None, or a `NewKey`."""
    rows, key = rows_of(session, source), key_column(session, source)
    columns = dict.fromkeys(rows[0] if rows else columns_of(session, source))
    whole = []
    for change in staged:
        if change.kind == "add":
            given = {**columns, **change.row}
            if new_keys and isinstance(key, str) and given.get(key) is None:
                given[key] = change.key
            whole.append(change._replace(row=given))
        else:
            whole.append(change)
    return applied(rows, whole, key)


def frame_of(session: SessionState, source: str) -> object:
    """Return a source as its store has it: rows or a data frame."""
    version_of(session, source)
    return store_of(session).read(source)


def version_of(session: SessionState, source: str) -> Hashable:
    """Return a source's version; raise if there is no such source."""
    store = store_of(session)
    try:
        return store.version(source)
    except KeyError:
        known = getattr(store, "sources", ())
        hint = suggest(source, known() if callable(known) else known)
        raise UnknownName(f"unknown record source '{source}'; {hint}") from None


def key_column(session: SessionState, source: str) -> KeyName:
    """Return the key column of a source, or its key columns."""
    version_of(session, source)
    return store_of(session).key(source)


def trouble_of(session: SessionState, source: str) -> str:
    """Return why the rows of a source can't be changed, or ""."""
    version_of(session, source)
    return session.said(store_of(session).trouble(source))


def expect_types(session: SessionState, source: str, types: Mapping[str, type | None]) -> None:
    """Tell the store the types of the controls that show columns."""
    store = store_of(session)
    before = version_of(session, source)
    store.expect_types(source, types)
    if version_of(session, source) != before:
        session.rows.differs()
        session.catalogs.differs()


def columns_of(session: SessionState, source: str) -> Sequence[str]:
    """Return the columns of a source."""
    version_of(session, source)
    return store_of(session).columns(source)


def captions_of(session: SessionState, source: str) -> Mapping[str, str]:
    """Return the captions of a source's columns, if it has any."""
    return store_of(session).captions(source)


def by_column(session: SessionState, source: str, column: str) -> Mapping[object, Sequence[Mapping[str, object]]]:
    """Return a source's rows, with staged changes, grouped by a column."""
    rows = session.rows.read(source)
    cached = session.grouped.get((source, column))
    # The rows are a new object for each version of the source, so identity is enough.
    if cached is None or cached[0] is not rows:
        groups: dict[object, list[Mapping[str, object]]] = {}
        for row in rows:
            groups.setdefault(row.get(column), []).append(row)
        cached = session.grouped[source, column] = rows, groups
    return cached[1]


def look(turn: Turn) -> None:
    """Look for data written by others."""
    session = turn.session
    store = session.store
    if store is None:
        return
    store.look()
    cached = session.row_cache.items()
    changed = [source for source, (version, _) in cached if store.version(source) != version]
    for source in changed:
        rows_of(session, source)
    if changed:
        before = set(session.dirty.cells)
        session.rows.differs(turn.cause)
        session.catalogs.differs(turn.cause)
        follow(session, before)


def stage(turn: Turn, change: Change, receiver: Receiver | None) -> None:
    """Stage a change. `receiver` gets its key."""
    version_of(turn.session, change.source)
    if change.kind == "add" and change.key is None:
        change = change._replace(key=NewKey(change.source))
    if turn.writes is None:
        turn.writes = []
    turn.writes.append((change, receiver))
    if turn.event is not None and turn.handler is not None:
        turn.writer = turn.event, turn.handler
    turn.session.rows.differs(turn.cause)
    turn.session.catalogs.differs(turn.cause)


def row_at(session: SessionState, source: str, key: object) -> Record | None:
    """Return the row with a key, with what this gesture has staged; None if there is none."""
    column = key_column(session, source)
    if isinstance(key, NewKey) and key._value is None:
        return next((dict(change.row) for change in staged_for(session, source) if change.key is key), None)
    wanted = known_key(key)
    return next((row for row in session.rows.read(source) if key_in(row, column) == wanted), None)


def row_like(session: SessionState, source: str, wanted: Record) -> Record | None:
    """Return the first row that has these values, with what this gesture has staged; None if there is none."""
    must_have_columns(session, source, wanted)
    return next(
        (row for row in session.rows.read(source) if all(row.get(column) == value for column, value in wanted.items())), None
    )


def must_have_columns(session: SessionState, source: str, row: Record) -> None:
    """Refuse columns that a source doesn't have."""
    columns = columns_of(session, source)
    for column in row:
        if columns and column not in columns:
            raise UnknownName(f"'{source}' has no column '{column}'; {suggest(column, columns)}")
