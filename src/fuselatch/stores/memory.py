"""Records in memory: a stand-in for a store, with one transaction a gesture."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from fuselatch.core.engine.store import StoreRefused


class MemoryRecords:
    """Rows by the name of their source. `refuse` is asked before a transaction: a text refuses it.

    `MemoryRecords({"bookings": [{"berth": "N7"}]})`.
    """

    def __init__(
        self,
        sources: Mapping[str, Iterable[Mapping[str, Any]]],
        refuse: Callable[[Sequence[tuple[str, Mapping[str, Any]]]], str | None] = lambda rows: None,
    ) -> None:
        self.sources: dict[str, list[Mapping[str, Any]]] = {name: list(rows) for name, rows in sources.items()}
        self.refuse = refuse
        self.transactions = 0

    def read(self, source: str) -> Sequence[Mapping[str, Any]]:
        """The rows of a source; a `KeyError` where there is no such source."""
        return self.sources[source]

    def write(self, rows: Sequence[tuple[str, Mapping[str, Any]]]) -> None:
        """Add rows, each to its source; raises `StoreRefused` and takes none."""
        reason = self.refuse(rows)
        if reason is not None:
            raise StoreRefused(reason)
        for source, row in rows:
            self.sources[source].append(row)
        self.transactions += 1
