"""The common parts of stores that cache what they read."""

from __future__ import annotations

import errno
from abc import abstractmethod
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from fuselatch.core.engine.store import ChangedMeanwhile, StoreRefused
from fuselatch.core.model.record_changes import Change, Record
from fuselatch.core.model.texts import later


@dataclass(slots=True)
class SourceSnapshot:
    """A source as it was read: rows, columns, key column and captions.

    `stamp` differs when it changed; `more` is the store's own.
    """

    rows: tuple[Record, ...]
    columns: tuple[str, ...]
    key: str
    stamp: Hashable
    captions: Mapping[str, str] = field(default_factory=dict)
    more: Any = None


class Sources:
    """Records by source, read on first use and again after a change."""

    def __init__(self) -> None:
        self._snapshots: dict[str, SourceSnapshot] = {}
        self._versions: dict[str, int] = {}

    @abstractmethod
    def _load(self, source: str) -> SourceSnapshot:
        """Read a source; raise `KeyError` if unknown, `StoreRefused` if it can't be read."""

    @abstractmethod
    def _stamp(self, source: str) -> Hashable:
        """Return a value that differs when a source changed."""

    def _known(self, source: str) -> SourceSnapshot:
        snapshot = self._snapshots.get(source)
        if snapshot is None:
            try:
                snapshot = self._snapshots[source] = self._load(source)
            except KeyError:
                if source in self._versions:
                    raise StoreRefused(later("store.gone", name=f"'{source}'")) from None
                raise
        return snapshot

    def _forget(self, source: str) -> None:
        self._snapshots.pop(source, None)
        self._versions[source] = self._versions.get(source, 0) + 1

    def read(self, source: str) -> tuple[Record, ...]:
        return self._known(source).rows

    def version(self, source: str) -> int:
        self._known(source)
        return self._versions.get(source, 0)

    def key(self, source: str) -> str:
        return self._known(source).key

    def columns(self, source: str) -> Sequence[str]:
        return self._known(source).columns

    def captions(self, source: str) -> Mapping[str, str]:
        return self._known(source).captions

    def look(self) -> None:
        for source, snapshot in list(self._snapshots.items()):
            if self._stamp(source) != snapshot.stamp:
                self._forget(source)


def write_row(rows: list[Any], change: Change, column: str, unique: bool) -> Any:
    """Write one change into rows; return its key.

    Raises `ChangedMeanwhile`, and `StoreRefused` for a duplicate key if it must be `unique`.
    """
    if change.kind == "add":
        key = change.key
        if key is None and column and column not in change.row:
            key = max((row[column] for row in rows if isinstance(row.get(column), int)), default=0) + 1
        elif unique and any(row.get(column) == key for row in rows):
            raise StoreRefused(later("store.duplicate", source=change.source, key=key))
        rows.append({**change.row, **({column: key} if key is not None else {})})
        return key
    at = next((at for at, row in enumerate(rows) if row[column] == change.key), None)
    theirs = rows[at] if at is not None else None
    if theirs is None or (change.was is not None and any(theirs.get(name) != was for name, was in change.was.items())):
        raise ChangedMeanwhile(change, theirs)
    assert at is not None, "there is a row"
    if change.kind == "remove":
        del rows[at]
    else:
        rows[at] = {**theirs, **change.row}
    return change.key


def plain_words(error: OSError, name: str) -> StoreRefused:
    """Return a system error in words for the user."""
    words = {
        errno.ENOSPC: later("store.full"),
        errno.EDQUOT: later("store.full"),
        errno.EACCES: later("store.permission", name=name),
        errno.EPERM: later("store.permission", name=name),
        errno.EROFS: later("store.read_only", name=name),
        errno.EISDIR: later("store.folder", name=name),
    }
    reason = words.get(error.errno or 0) or later("store.unusable", name=name, reason=error.strerror or error)
    return StoreRefused(reason)
