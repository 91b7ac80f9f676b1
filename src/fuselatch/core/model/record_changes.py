"""Changes of rows, which are written together or not at all."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final, Literal, NamedTuple, TypeAlias

from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.values import Value

Record: TypeAlias = Mapping[str, Value]
Key: TypeAlias = Value
"""A record's key: a value, or a tuple of values if it has several columns."""
Kind: TypeAlias = Literal["add", "change", "remove"]


KeyName: TypeAlias = str | tuple[str, ...]
"""A source's key: a column, or several. The key of a row is then a tuple of their values."""


def key_name(columns: tuple[str, ...]) -> KeyName:
    """Return the name of a key of one column or several."""
    return columns[0] if len(columns) == 1 else columns if columns else ""


def key_in(row: Record, key: KeyName) -> Key:
    """Return a row's key, or None if a part of it is blank."""
    if isinstance(key, str):
        return row.get(key)
    values = tuple([row.get(column) for column in key])
    return None if None in values else values


def with_key(row: Record, key: KeyName, value: Value) -> dict[str, Any]:
    """Return a row with a key."""
    return {**row, key: value} if isinstance(key, str) else {**row, **dict(zip(key, value, strict=True))}


def shown_key(key: object) -> str:
    """Return a key, or the name of one, as the user reads it."""
    return " ".join(map(str, key)) if isinstance(key, tuple) else str(key)


class NewKey:
    """The key of a row that is staged, where the store gives it. It may stand in other rows that are staged."""

    __slots__ = ("_value", "source")

    def __init__(self, source: str, value: Value = None) -> None:
        self.source = source
        self._value = value

    @property
    def value(self) -> Key:
        """The key. Raises `NotAllowedHere` until the row is written: that is before a dialog opens, or in `afterwards`."""
        if self._value is None:
            raise NotAllowedHere(
                f"the new row of '{self.source}' isn't written yet; its key is known after a dialog, or in afterwards()"
            )
        return self._value

    def __repr__(self) -> str:
        return "(new)" if self._value is None else repr(self._value)


def known_key(value: object) -> Key:
    """Return the key that a `NewKey` stands for, if it is known, and any other value as it is."""
    return value._value if isinstance(value, NewKey) and value._value is not None else value


class Change(NamedTuple):
    """One row of a source to be written.

    `kind`: "add", "change" or "remove". `key`: the key column's value, or None or a `NewKey` if the store gives one. `row`:
    the columns to write; none only to see that the row is still there. `was`: the row as it was read, so that a conflict is
    noticed (None: don't check). `compared`: the columns in which another's change is a conflict (None: all).
    """

    kind: Kind
    source: str
    key: Key
    row: Record
    was: Record | None = None
    compared: frozenset[str] | None = None

    def key_after(self, key: KeyName) -> Key:
        """Return the key that the row has once this is written: a change may edit it. `key`: the source's key."""
        parts = (key,) if isinstance(key, str) else key
        if self.kind == "remove" or not any(part in self.row for part in parts):
            return self.key
        given = self.key if isinstance(self.key, tuple) else (self.key,)
        if len(given) != len(parts):
            given = (None,) * len(parts)
        values = tuple([self.row.get(part, before) for part, before in zip(parts, given, strict=True)])
        if any(part is None for part in values):
            return self.key
        return values[0] if isinstance(key, str) else values

    def conflicts_with(self, theirs: Record) -> bool:
        """Return True if a row isn't as it was read, in the columns that are compared."""
        return self.was is not None and any(
            theirs.get(column) != was for column, was in self.was.items() if self.compared is None or column in self.compared
        )

    def __str__(self) -> str:
        described = ", ".join(f"{column}={value}" for column, value in self.row.items())
        return {"add": described, "change": f"{self.key}: {described}", "remove": f"{self.key} removed"}[self.kind]


def with_keys(change: Change, given: Mapping[NewKey, object]) -> Change:
    """Return a change for a store, with the keys that it has given to rows before in place of each `NewKey`.

    `given`: the keys of this transaction. The key of a row that is added is None until the store gives it.
    """

    def known(value: object) -> Value:
        return given.get(value, known_key(value)) if isinstance(value, NewKey) else value

    key = None if change.kind == "add" and isinstance(change.key, NewKey) else known(change.key)
    if not any(isinstance(value, NewKey) for value in change.row.values()):
        return change if key is change.key else change._replace(key=key)
    return change._replace(key=key, row={column: known(value) for column, value in change.row.items()})


def written_in_turn(changes: Sequence[Change], write: Callable[[Change], Any]) -> list[Key]:
    """Write changes one after the other, each with the keys that those before got; return their keys."""
    given: dict[NewKey, Any] = {}
    keys = []
    for change in changes:
        key = write(with_keys(change, given))
        if isinstance(change.key, NewKey):
            given[change.key] = key
        keys.append(key)
    return keys


MOVES: Final = ("next", "previous", "first", "last", "new", "save", "remove")
"""The user's actions on records, besides going to a key."""


def applied(rows: Any, changes: list[Change], key: KeyName) -> tuple[Record, ...]:
    """Return rows with changes that aren't written yet."""
    changed = list(rows)
    for change in changes:
        at = next((at for at, row in enumerate(changed) if change.kind != "add" and key_in(row, key) == change.key), None)
        if change.kind == "add":
            changed.append(change.row)
        elif at is not None and change.kind == "change":
            changed[at] = {**changed[at], **change.row}
        elif at is not None:
            del changed[at]
    return tuple(changed)
