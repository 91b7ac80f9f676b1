"""Where writes go: what the engine asks of a store."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol


class StoreRefused(Exception):
    """A store has not taken a gesture's writes: none of them."""


class Store(Protocol):
    """Records by the name of their source. `write` takes all rows of a gesture, or none."""

    def read(self, source: str) -> Sequence[Mapping[str, Any]]:
        """The rows of a source; a `KeyError` where there is no such source."""

    def write(self, rows: Sequence[tuple[str, Mapping[str, Any]]]) -> None:
        """Add rows, each to its source, in one transaction; raises `StoreRefused` and takes none."""
