"""Records in memory: a stand-in for a store, with one transaction a gesture."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from fuselatch.core.engine.store import StoreRefused
from fuselatch.core.model.taken import Taken


class MemoryRecords:
    """Rows by the name of their source. `refuse` is asked before a transaction: a text refuses it.

    `MemoryRecords({"bookings": [{"berth": "N7"}]})`; a pandas data frame may be read, but not written to.
    """

    def __init__(
        self,
        sources: Mapping[str, Iterable[Mapping[str, Any]]],
        refuse: Callable[[Sequence[tuple[str, Mapping[str, Any]]]], str | None] = lambda rows: None,
    ) -> None:
        self.sources: dict[str, Any] = {
            name: rows if hasattr(rows, "columns") else list(rows) for name, rows in sources.items()
        }
        self.versions = dict.fromkeys(self.sources, 0)
        self.refuse = refuse
        self.transactions = 0

    def version(self, source: str) -> int:
        """How often a source was written to; a `KeyError` where there is no such source."""
        return self.versions[source]

    def read(self, source: str) -> Any:
        """The rows of a source, or its data frame; a `KeyError` where there is no such source."""
        return self.sources[source]

    def write(self, rows: Sequence[tuple[str, Mapping[str, Any]]]) -> None:
        """Add rows, each to its source; raises `StoreRefused` and takes none."""
        reason = self.refuse(rows)
        if reason is not None:
            raise StoreRefused(reason)
        for source, row in rows:
            self.sources[source].append(row)
            self.versions[source] += 1
        self.transactions += 1


class MemoryLatches:
    """A latch log in memory: a stand-in for one that outlives sessions."""

    def __init__(self, taken: Iterable[Taken] = ()) -> None:
        self._taken = {one[:3]: one for one in taken}

    def find(self, latch: str, user: str, key: str) -> Taken | None:
        """The entry of a latch for a user and key, or None."""
        return self._taken.get((latch, user, key))

    def take(self, taken: Taken, instead_of: Taken | None) -> bool:
        """Put an entry in place of exactly that one (None: of none); False where there is another."""
        if self._taken.get(taken[:3]) != instead_of:
            return False
        self._taken[taken[:3]] = taken
        return True

    def release(self, taken: Taken) -> bool:
        """Take exactly that entry away; False where it is not there."""
        if self._taken.get(taken[:3]) != taken:
            return False
        del self._taken[taken[:3]]
        return True

    def all(self) -> Sequence[Taken]:
        """Every entry, in order of latch, user and key."""
        return [self._taken[place] for place in sorted(self._taken)]
