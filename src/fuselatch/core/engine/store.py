"""Where writes go: what the engine asks of a store."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import Any, Protocol

from fuselatch.core.model.records import Change


class StoreRefused(Exception):
    """A store has not taken a gesture's writes: none of them."""


class Store(Protocol):
    """Records by the name of their source. `write` takes all changes of a gesture, or none."""

    def read(self, source: str) -> Any:
        """The rows of a source (a sequence of mappings, or a data frame); a `KeyError` where there is no such source."""

    def version(self, source: str) -> Hashable:
        """What differs once a source has changed; a `KeyError` where there is no such source."""

    def key(self, source: str) -> str:
        """The column whose values tell the rows of a source apart."""

    def columns(self, source: str) -> Sequence[str]:
        """The columns of a source."""

    def write(self, changes: Sequence[Change]) -> Sequence[Any]:
        """Write changes in one transaction, and give the key of each row; raises `StoreRefused` and takes none."""
