"""The common parts of stores that cache what they read."""

from __future__ import annotations

import errno
from abc import abstractmethod
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from fuselatch.core.engine.state.store import ChangedMeanwhile, StoreRefused
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import (
    Change,
    Key,
    KeyName,
    NewKey,
    Record,
    key_in,
    key_name,
    shown_key,
    with_key,
    written_in_turn,
)
from fuselatch.core.model.texts import later
from fuselatch.core.model.values import short


@dataclass(slots=True)
class SourceSnapshot:
    """A source as it was read: rows, columns, key columns and captions.

    `stamp` differs when it changed; `more` is the store's own. `trouble`: why its rows can't be changed or removed, or "".
    """

    rows: tuple[Record, ...]
    columns: tuple[str, ...]
    key: tuple[str, ...]
    stamp: Hashable
    captions: Mapping[str, str] = field(default_factory=dict)
    more: Any = None
    trouble: str = ""


def trouble_with(rows: Iterable[Record], key: KeyName, source: str) -> str:
    """Return why the rows of a source can't be changed: its key is blank, or the same in several rows."""
    if isinstance(key, str) and key:
        held = [row.get(key) for row in rows]
        if None not in held and len({*held}) == len(held):
            return ""
    seen: set[Any] = set()
    for row in rows if key else ():
        key_found = key_in(row, key)
        if key_found is None:
            return later("store.blank_key", source=source, column=shown_key(key))
        if key_found in seen:
            return later("store.same_key", source=source, column=shown_key(key), key=shown_key(key_found))
        seen.add(key_found)
    return ""


def in_turn(changes: Sequence[Change], write: Callable[[Change], Any]) -> list[Key]:
    """Write changes one after the other, each with the keys that those before got; return their keys.

    Raises `StoreRefused` for the key of a new row that isn't among these changes.
    """

    def write_known(change: Change) -> Key:
        for column, value in change.row.items():
            if isinstance(value, NewKey):
                where = f"column '{column}' of '{change.source}'"
                raise StoreRefused(later("store.misfit"), f"{where} has the key of a row that isn't written yet")
        return write(change)

    return written_in_turn(changes, write_known)


class Sources:
    """Records by source, read on first use and again after a change."""

    def __init__(self, keys: Mapping[str, str | Sequence[str]] | None = None) -> None:
        self.keys = dict(keys or {})
        self._snapshots: dict[str, SourceSnapshot] = {}
        self._versions: dict[str, int] = {}

    @abstractmethod
    def _load(self, source: str) -> SourceSnapshot:
        """Read a source; raise `KeyError` if unknown, `StoreRefused` if it can't be read."""

    @abstractmethod
    def _stamp(self, source: str) -> Hashable:
        """Return a value that differs when a source changed."""

    def _key_of(self, source: str) -> tuple[str, ...]:
        """Return the key columns that were given for a source."""
        given = self.keys.get(source, ())
        return (given,) if isinstance(given, str) else tuple(given)

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

    def key(self, source: str) -> KeyName:
        return key_name(self._known(source).key)

    def trouble(self, source: str) -> str:
        return self._known(source).trouble

    def expect_types(self, source: str, types: Mapping[str, type | None]) -> None: ...

    def columns(self, source: str) -> Sequence[str]:
        return self._known(source).columns

    def captions(self, source: str) -> Mapping[str, str]:
        return self._known(source).captions

    def look(self) -> None:
        for source, snapshot in list(self._snapshots.items()):
            if self._stamp(source) != snapshot.stamp:
                self._forget(source)


def known_columns(wanted: Iterable[str], columns: Sequence[str], missing: str) -> tuple[str, ...]:
    """Return names of columns, if a source has them; one without rows may not know its columns.

    Raises `StoreRefused`, with `missing` and the closest name.
    """
    names = tuple(wanted)
    for name in names if columns else ():
        if name not in columns:
            raise StoreRefused(f"{missing} '{name}'; {suggest(str(name), columns)}")
    return names


def altered(where: str, value: object, found: object) -> StoreRefused:
    """Return the error for a value that wouldn't be the same when it is read again."""
    return StoreRefused(later("store.comes_back", where=where, value=short(value), found=short(found)))


def as_bytes(text: str) -> bytes:
    """Return text in UTF-8. Raises `StoreRefused` for half a pair of surrogates, which has none."""
    try:
        return text.encode()
    except UnicodeEncodeError as error:
        character = ascii(error.object[error.start])[1:-1]
        raise StoreRefused(later("store.encoding", character=character, encoding="UTF-8")) from None


def is_numbered(rows: Iterable[Record], column: KeyName, kind: type | None) -> bool:
    """Return True if a store may number new rows: their key is one column, of whole numbers as far as anything says.

    `kind`: the type of the key's column, or None if neither a schema nor a control declares it.
    """
    if not isinstance(column, str) or not column or kind not in (None, int):
        return False
    return kind is int or all(type(row.get(column)) in (int, type(None)) for row in rows)


def write_row(
    rows: list[Any], change: Change, column: KeyName, trouble: str = "", kind: type | None = None
) -> tuple[Any, int]:
    """Write one change into rows; return its key and its place.

    `trouble`: why rows can't be changed. `kind`: the type of the key's column, if it is known. Raises
    `ChangedMeanwhile`, and `StoreRefused` for a key that exists or is missing.
    """
    if change.kind == "add":
        row = with_key(change.row, column, change.key) if change.key is not None else dict(change.row)
        key = key_in(row, column) if column else None
        if key is None and isinstance(column, str) and is_numbered(rows, column, kind):
            key = max((row[column] for row in rows if type(row.get(column)) is int), default=0) + 1
            row[column] = key
        elif key is None and column:
            raise StoreRefused(later("store.needs_key", source=change.source, column=shown_key(column)))
        elif column and not trouble and any(key_in(other, column) == key for other in rows):
            raise StoreRefused(later("store.duplicate", source=change.source, key=shown_key(key)))
        rows.append(row)
        return key, len(rows) - 1
    if trouble:
        raise StoreRefused(trouble)
    at = next((at for at, row in enumerate(rows) if key_in(row, column) == change.key), None)
    theirs = rows[at] if at is not None else None
    if theirs is None or change.conflicts_with(theirs):
        raise ChangedMeanwhile(change, theirs)
    assert at is not None, "there is a row"
    if change.kind == "remove":
        del rows[at]
        return change.key, at
    mine = {**theirs, **change.row}
    key = key_in(mine, column)
    if key != change.key and (key is None or any(key_in(other, column) == key for other in rows)):
        if key is None:
            raise StoreRefused(later("store.needs_key", source=change.source, column=shown_key(column)))
        raise StoreRefused(later("store.duplicate", source=change.source, key=shown_key(key)))
    rows[at] = mine
    return key, at


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
