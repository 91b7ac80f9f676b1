"""The protocol of stores, and their errors."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from typing import Any, Protocol

from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.record_changes import Change, Record
from fuselatch.core.model.texts import later


class StoreRefused(FuseLatchError):
    """A store refused a gesture's writes and wrote none. The message is for the user."""


class ChangedMeanwhile(StoreRefused):
    """Someone else changed or removed a row after it was read.

    `change`: what was to be written. `theirs`: the row as it is now, or None if it is gone.
    """

    def __init__(self, change: Change, theirs: Record | None) -> None:
        which = "store.changed" if theirs is not None else "store.removed"
        super().__init__(later(which, key=change.key, source=change.source))
        self.change = change
        self.theirs = theirs


class Store(Protocol):
    """Records by source. `write` takes all changes of a gesture, or none."""

    def read(self, source: str) -> Any:
        """Return a source's rows: a sequence of mappings or a data frame.

        Raises `KeyError` for an unknown source.
        """

    def version(self, source: str) -> Hashable:
        """Return a value that differs after a source changed; raise `KeyError` if unknown."""

    def key(self, source: str) -> str:
        """Return the key column of a source."""

    def columns(self, source: str) -> Sequence[str]:
        """Return the columns of a source."""

    def captions(self, source: str) -> Mapping[str, str]:
        """Return the captions of a source's columns, if it has any."""

    def look(self) -> None:
        """Look for data written by others. The versions of those sources differ afterwards."""

    def write(self, changes: Sequence[Change]) -> Sequence[Any]:
        """Write changes in one transaction; return each row's key.

        Raises `StoreRefused` and writes none.
        """
