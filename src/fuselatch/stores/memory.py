"""Records in memory: a stand-in for a store, with one transaction a gesture."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from fuselatch.core.engine.store import Store, StoreRefused
from fuselatch.core.model.latch_records import LatchRecord
from fuselatch.core.model.records import Change
from fuselatch.stores.kept import write_row


class MemoryRecords:
    """Rows by the name of their source: `MemoryRecords({"bookings": [{"number": 1, "berth": "N7"}]})`.

    `keys` names the key column of a source, whose values are unique; where it is not named, it is the
    first. A row that is added without a key is given the number behind the greatest. `refuse` is asked
    before a transaction: a text refuses it. A pandas data frame may be read, but not written to.
    """

    def __init__(
        self,
        sources: Mapping[str, Iterable[Mapping[str, Any]]],
        refuse: Callable[[Sequence[Change]], str | None] = lambda changes: None,
        keys: Mapping[str, str] | None = None,
    ) -> None:
        self.sources: dict[str, Any] = {
            name: rows if hasattr(rows, "columns") else list(rows) for name, rows in sources.items()
        }
        self.versions = dict.fromkeys(self.sources, 0)
        self.keys = keys or {}
        self.refuse = refuse
        self.transactions = 0
        self._captions: dict[str, Mapping[str, str]] = {}

    def version(self, source: str) -> int:
        """How often a source was written to; a `KeyError` where there is no such source."""
        return self.versions[source]

    def read(self, source: str) -> Any:
        """The rows of a source, or its data frame; a `KeyError` where there is no such source."""
        return self.sources[source]

    def columns(self, source: str) -> list[str]:
        """The columns of a source: those of its first row."""
        rows = self.sources[source]
        return list(rows.columns) if hasattr(rows, "columns") else list(next(iter(rows), {}))

    def key(self, source: str) -> str:
        """The key column of a source."""
        return self.keys.get(source) or next(iter(self.columns(source)), "")

    def captions(self, source: str) -> Mapping[str, str]:
        """What people call the columns of a source: nothing is said of it."""
        return self._captions.get(source, {})

    def look(self) -> None:
        """Nobody else writes to it."""

    @classmethod
    def copy(cls, store: Store, *sources: str) -> MemoryRecords:
        """The same rows in memory, so that a rehearsal writes nowhere else.

        Takes a store and the names of its sources: `MemoryRecords.copy(CsvRecords("data"), "berths", "bookings")`.
        """
        rows = {source: store.read(source) for source in sources}
        copied = cls(rows, keys={source: store.key(source) for source in sources})
        copied._captions = {source: store.captions(source) for source in sources}
        return copied

    def write(self, changes: Sequence[Change]) -> list[Any]:
        """Write changes, and give the keys; raises `StoreRefused` and takes none."""
        reason = self.refuse(changes)
        if reason is not None:
            raise StoreRefused(reason)
        rows = {change.source: list(self.sources[change.source]) for change in changes}
        keys = []
        for change in changes:
            unique = change.source in self.keys
            keys.append(write_row(rows[change.source], change, self.key(change.source), unique))
        for source, written in rows.items():
            self.sources[source] = written
            self.versions[source] += 1
        self.transactions += 1
        return keys


class MemoryLatches:
    """A latch log in memory: a stand-in for one that outlives sessions."""

    def __init__(self, taken: Iterable[LatchRecord] = ()) -> None:
        self._taken = {one[:3]: one for one in taken}

    def find(self, latch: str, user: str, key: str) -> LatchRecord | None:
        """The entry of a latch for a user and key, or None."""
        return self._taken.get((latch, user, key))

    def set(self, taken: LatchRecord, instead_of: LatchRecord | None) -> bool:
        """Put an entry in place of exactly that one (None: of none); False where there is another."""
        if self._taken.get(taken[:3]) != instead_of:
            return False
        self._taken[taken[:3]] = taken
        return True

    def reset(self, taken: LatchRecord) -> bool:
        """Take exactly that entry away; False where it is not there."""
        if self._taken.get(taken[:3]) != taken:
            return False
        del self._taken[taken[:3]]
        return True

    def all(self) -> Sequence[LatchRecord]:
        """Every entry, in order of latch, user and key."""
        return [self._taken[place] for place in sorted(self._taken)]
