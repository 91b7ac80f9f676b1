"""The protocol of stores, and their errors."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from typing import Any, Protocol

from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.record_changes import Change, Key, KeyName, Record, shown_key
from fuselatch.core.model.texts import later
from fuselatch.core.model.visible import visible


class StoreRefused(FuseLatchError):
    """A store refused a gesture's writes and wrote none. The message is for the user, `details` are for the developer."""

    def __init__(self, message: str, details: str = "") -> None:
        super().__init__(message)
        self.details = details

    def __str__(self) -> str:
        text = super().__str__()
        return f"{text} ({visible(self.details)})" if self.details else text


class ChangedMeanwhile(StoreRefused):
    """Someone else changed or removed a row after it was read.

    `change`: what was to be written. `theirs`: the row as it is now, or None if it is gone.
    """

    def __init__(self, change: Change, theirs: Record | None) -> None:
        which = "store.changed" if theirs is not None else "store.removed"
        super().__init__(later(which, key=shown_key(change.key), source=change.source))
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

    def key(self, source: str) -> KeyName:
        """Return the key column of a source, or the columns that are its key together."""

    def columns(self, source: str) -> Sequence[str]:
        """Return the columns of a source."""

    def captions(self, source: str) -> Mapping[str, str]:
        """Return the captions of a source's columns, if it has any."""

    def trouble(self, source: str) -> str:
        """Return why the rows of a source can't be changed or removed, or "". It can still be read, and rows added."""

    def expect_types(self, source: str, types: Mapping[str, type | None]) -> None:
        """Note the types that a form's controls have for columns, for a store that has none itself (None: any)."""

    def look(self) -> None:
        """Look for data written by others. The versions of those sources differ afterwards."""

    def write(self, changes: Sequence[Change]) -> Sequence[Key]:
        """Write changes in one transaction; return each row's key.

        Raises `StoreRefused` and writes none.
        """
