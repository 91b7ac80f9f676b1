"""Where writes go: what the engine asks of a store."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from typing import Any, Protocol

from fuselatch.core.model.records import Change, Row
from fuselatch.core.model.texts import user_text


class StoreRefused(Exception):
    """A store has not taken a gesture's writes: none of them. Its text is for people, in plain words."""


class ChangedMeanwhile(StoreRefused):
    """Somebody else has changed or removed a row since it was read.

    `change` is what was to be written, `theirs` the row as it is now (None where it is gone).
    """

    def __init__(self, change: Change, theirs: Row | None) -> None:
        which = "store.changed" if theirs is not None else "store.removed"
        super().__init__(user_text(which, key=change.key, source=change.source))
        self.change = change
        self.theirs = theirs


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

    def captions(self, source: str) -> Mapping[str, str]:
        """What people call the columns of a source, as far as it says so."""

    def look(self) -> None:
        """Look again what others have written meanwhile; the versions of those sources differ from then on."""

    def write(self, changes: Sequence[Change]) -> Sequence[Any]:
        """Write changes in one transaction, and give the key of each row; raises `StoreRefused` and takes none."""
