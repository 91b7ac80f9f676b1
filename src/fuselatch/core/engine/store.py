"""Where writes go: what the engine asks of a store."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from typing import Any, Protocol


class StoreRefused(Exception):
    """A store has not taken a gesture's writes: none of them."""


class Store(Protocol):
    """Records by the name of their source. `write` takes all rows of a gesture, or none."""

    def read(self, source: str) -> Any:
        """The rows of a source (a sequence of mappings, or a data frame); a `KeyError` where there is no such source."""

    def version(self, source: str) -> Hashable:
        """What differs once a source has changed; a `KeyError` where there is no such source."""

    def write(self, rows: Sequence[tuple[str, Mapping[str, Any]]]) -> None:
        """Add rows, each to its source, in one transaction; raises `StoreRefused` and takes none."""
