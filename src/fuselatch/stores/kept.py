"""What stores share that keep what they have read until it changes."""

from __future__ import annotations

import errno
from abc import abstractmethod
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from fuselatch.core.engine.store import ChangedMeanwhile, StoreRefused
from fuselatch.core.model.records import Change, Row
from fuselatch.core.model.texts import TEXTS, user_text


@dataclass(slots=True)
class Kept:
    """A source as it was read: its rows, columns and key column.

    `captions` is what people call its columns, `stamp` differs once it has changed, `more` is the store's own.
    """

    rows: tuple[Row, ...]
    columns: tuple[str, ...]
    key: str
    stamp: Hashable
    captions: Mapping[str, str] = field(default_factory=dict)
    more: Any = None


class Sources:
    """Records of named sources, each read when it is first asked for, and again once it has changed."""

    def __init__(self) -> None:
        self._kept: dict[str, Kept] = {}
        self._versions: dict[str, int] = {}

    @abstractmethod
    def _load(self, source: str) -> Kept:
        """Read a source; a `KeyError` where there is none, `StoreRefused` where it can't be read."""

    @abstractmethod
    def _stamp(self, source: str) -> Hashable:
        """What differs once a source has changed."""

    def _known(self, source: str) -> Kept:
        kept = self._kept.get(source)
        if kept is None:
            try:
                kept = self._kept[source] = self._load(source)
            except KeyError:
                if source in self._versions:
                    raise StoreRefused(user_text("store.gone", name=f"'{source}'")) from None
                raise
        return kept

    def _forget(self, source: str) -> None:
        """Have a source read again."""
        self._kept.pop(source, None)
        self._versions[source] = self._versions.get(source, 0) + 1

    def read(self, source: str) -> tuple[Row, ...]:
        """The rows of a source; a `KeyError` where there is no such source."""
        return self._known(source).rows

    def version(self, source: str) -> int:
        """How often a source was found changed; a `KeyError` where there is no such source."""
        self._known(source)
        return self._versions.get(source, 0)

    def key(self, source: str) -> str:
        """The key column of a source."""
        return self._known(source).key

    def columns(self, source: str) -> Sequence[str]:
        """The columns of a source."""
        return self._known(source).columns

    def captions(self, source: str) -> Mapping[str, str]:
        """What people call the columns of a source."""
        return self._known(source).captions

    def look(self) -> None:
        """Look again what others have written meanwhile."""
        for source, kept in list(self._kept.items()):
            if self._stamp(source) != kept.stamp:
                self._forget(source)


def write_row(rows: list[Any], change: Change, column: str, unique: bool) -> Any:
    """Write one change into rows, and give its key.

    Raises `ChangedMeanwhile` for what somebody else has changed, `StoreRefused` for a key that is there where
    it is `unique`.
    """
    if change.kind == "add":
        key = change.key
        if key is None and column and column not in change.row:
            key = max((row[column] for row in rows if isinstance(row.get(column), int)), default=0) + 1
        elif unique and any(row.get(column) == key for row in rows):
            raise StoreRefused(user_text("store.duplicate", source=change.source, key=key))
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
    """What went wrong with a file, for people."""
    words = {
        errno.ENOSPC: TEXTS["store.full"],
        errno.EDQUOT: TEXTS["store.full"],
        errno.EACCES: user_text("store.permission", name=name),
        errno.EPERM: user_text("store.permission", name=name),
        errno.EROFS: user_text("store.read_only", name=name),
        errno.EISDIR: user_text("store.folder", name=name),
    }
    reason = words.get(error.errno or 0) or user_text("store.unusable", name=name, reason=error.strerror or error)
    return StoreRefused(reason)
