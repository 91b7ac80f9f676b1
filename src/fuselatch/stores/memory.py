"""Records in memory, with one transaction per gesture."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress
from typing import Any

from fuselatch.core.engine.state.store import Store, StoreRefused
from fuselatch.core.model.latch_records import LatchRecord, LatchStore
from fuselatch.core.model.record_changes import Change, Key, KeyName, Record, key_name
from fuselatch.core.model.texts import later
from fuselatch.stores.snapshots import in_turn, known_columns, trouble_with, write_row


class MemoryRecords:
    """Rows by source: `MemoryRecords({"bookings": [{"number": 1, "berth": "N7"}]})`.

    `keys`: the key column of each source, or its key columns; default: the first column. A row without a key gets the
    next number. `refuse`: called before a transaction; if it returns text, the store refuses. A pandas data frame can be
    read but not written.
    """

    def __init__(
        self,
        sources: Mapping[str, Iterable[Record]],
        refuse: Callable[[Sequence[Change]], str | None] = lambda changes: None,
        keys: Mapping[str, str | Sequence[str]] | None = None,
    ) -> None:
        self.sources: dict[str, Any] = {
            name: rows if hasattr(rows, "columns") else even(list(rows)) for name, rows in sources.items()
        }
        self._columns: dict[str, list[str]] = {}
        self._types: dict[str, dict[str, type | None]] = {}
        self.versions = dict.fromkeys(self.sources, 0)
        self.keys = dict(keys or {})
        self.refuse = refuse
        self.transactions = 0
        self._captions: dict[str, Mapping[str, str]] = {}
        self._troubles: dict[str, tuple[int, str]] = {}

    def version(self, source: str) -> int:
        return self.versions[source]

    def read(self, source: str) -> Any:
        return self.sources[source]

    def columns(self, source: str) -> list[str]:
        rows = self.sources[source]
        names = list(rows.columns) if hasattr(rows, "columns") else list(next(iter(rows), {}))
        # A source that has lost its last row keeps its columns.
        return self._columns.setdefault(source, names) if not names else names

    def key(self, source: str) -> KeyName:
        given = self.keys.get(source) or next(iter(self.columns(source)), "")
        return given if isinstance(given, str) else key_name(tuple(given))

    def trouble(self, source: str) -> str:
        version = self.versions[source]
        trouble = self._troubles.get(source)
        if trouble is None or trouble[0] != version:
            rows = self.sources[source]
            text = "" if hasattr(rows, "columns") else trouble_with(rows, self.key(source), source)
            trouble = self._troubles[source] = version, text
        return trouble[1]

    def expect_types(self, source: str, types: Mapping[str, type | None]) -> None:
        self._types = {**self._types, source: {**self._types.get(source, {}), **types}}

    def captions(self, source: str) -> Mapping[str, str]:
        return self._captions.get(source, {})

    def look(self) -> None: ...

    @classmethod
    def copy(cls, store: Store, *sources: str) -> MemoryRecords:
        """Copy sources of a store, so that a rehearsal doesn't write to it.

        `MemoryRecords.copy(CsvRecords("data"), "berths", "bookings")`.
        """
        rows = {source: store.read(source) for source in sources}
        keys: dict[str, str | Sequence[str]] = {source: store.key(source) for source in sources}
        copied = cls(rows, keys=keys)
        copied._captions = {source: store.captions(source) for source in sources}
        return copied

    def fork(self) -> MemoryRecords:
        """Return a store with the same rows, in which writes leave this one as it is. No row is copied."""
        forked = MemoryRecords.__new__(MemoryRecords)
        # A write puts a new list in place of the old one, so that both may have the same.
        vars(forked).update(vars(self))
        forked.sources, forked.versions, forked._troubles = dict(self.sources), dict(self.versions), dict(self._troubles)
        forked._columns = dict(self._columns)
        return forked

    def write(self, changes: Sequence[Change]) -> list[Key]:
        reason = self.refuse(changes)
        if reason is not None:
            raise StoreRefused(reason)
        for change in changes:
            if change.source not in self.sources:
                raise StoreRefused(later("store.gone", name=f"'{change.source}'"))
            if hasattr(self.sources[change.source], "columns"):
                raise StoreRefused(later("store.read_only_data", name=f"'{change.source}'"))
        rows = {change.source: list(self.sources[change.source]) for change in changes}

        def write(change: Change) -> Key:
            source, columns = change.source, self.columns(change.source)
            known_columns(change.row, columns, f"'{source}' has no column")
            key = self.key(source)
            row = {column: None if value == "" else value for column, value in change.row.items()}
            if change.kind == "add":
                row = {**dict.fromkeys(columns), **row}
            kind = self._types.get(source, {}).get(key) if isinstance(key, str) else None
            return write_row(rows[source], change._replace(row=row), key, self.trouble(source), kind)[0]

        keys = in_turn(changes, write)
        for source, written in rows.items():
            self._columns[source] = self.columns(source)
            self.sources[source] = written if self._columns[source] else even(written)
            self.versions[source] += 1
        self.transactions += 1
        return keys


def even(rows: list[Record]) -> list[Record]:
    """Return rows that all have the same columns: those of any of them, in order."""
    columns = dict.fromkeys([column for row in rows for column in row])
    if all(len(row) == len(columns) for row in rows):
        return rows
    return [{**dict.fromkeys(columns), **row} for row in rows]


class CopiedRecords(MemoryRecords):
    """Another store's records, each source copied to memory when it is first used. Nothing is written to that store."""

    def __init__(self, store: Store) -> None:
        super().__init__({})
        self._store = store

    def _copy(self, source: str) -> None:
        if source not in self.sources:
            copied = MemoryRecords.copy(self._store, source)
            self.sources[source] = copied.sources[source]
            self.versions[source] = 0
            self.keys.update(copied.keys)
            self._captions.update(copied._captions)

    def version(self, source: str) -> int:
        self._copy(source)
        return super().version(source)

    def read(self, source: str) -> Any:
        self._copy(source)
        return super().read(source)

    def columns(self, source: str) -> list[str]:
        self._copy(source)
        return super().columns(source)

    def captions(self, source: str) -> Mapping[str, str]:
        self._copy(source)
        return super().captions(source)

    def write(self, changes: Sequence[Change]) -> list[Key]:
        for change in changes:
            with suppress(KeyError):
                self._copy(change.source)
        return super().write(changes)

    def fork(self) -> MemoryRecords:
        """Return a store with the same rows, in which writes leave this one as it is."""
        forked = super().fork()
        copied = CopiedRecords(self._store)
        vars(copied).update(vars(forked))
        return copied


def records_forked(store: Store | None) -> MemoryRecords | None:
    """Return a store in memory with the rows of another, for trying things."""
    if store is None:
        return None
    return (store if isinstance(store, MemoryRecords) else CopiedRecords(store)).fork()


def latches_forked(latches: LatchStore | None) -> MemoryLatches:
    """Return a latch log in memory with the entries of another, for trying things."""
    return MemoryLatches(latches.all() if latches is not None else ())


class MemoryLatches:
    """A latch log in memory, for tests."""

    def __init__(self, taken: Iterable[LatchRecord] = ()) -> None:
        self._taken = {one[:3]: one for one in taken}

    def fork(self) -> MemoryLatches:
        """Return a log with the same entries, in which changes leave this one as it is."""
        return MemoryLatches(self._taken.values())

    def find(self, latch: str, user: str, key: str) -> LatchRecord | None:
        return self._taken.get((latch, user, key))

    def set(self, taken: LatchRecord, instead_of: LatchRecord | None) -> bool:
        if self._taken.get(taken[:3]) != instead_of:
            return False
        self._taken[taken[:3]] = taken
        return True

    def reset(self, taken: LatchRecord) -> bool:
        if self._taken.get(taken[:3]) != taken:
            return False
        del self._taken[taken[:3]]
        return True

    def all(self) -> Sequence[LatchRecord]:
        return [self._taken[place] for place in sorted(self._taken)]
