"""Changes of rows, which are written together or not at all."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final, Literal, NamedTuple, TypeAlias

Record: TypeAlias = Mapping[str, Any]
Kind: TypeAlias = Literal["add", "change", "remove"]


KeyName: TypeAlias = str | tuple[str, ...]
"""A source's key: a column, or several. The key of a row is then a tuple of their values."""


def key_name(columns: tuple[str, ...]) -> KeyName:
    """Return the name of a key of one column or several."""
    return columns[0] if len(columns) == 1 else columns if columns else ""


def key_in(row: Record, key: KeyName) -> Any:
    """Return a row's key, or None if a part of it is blank."""
    if isinstance(key, str):
        return row.get(key)
    found = tuple([row.get(column) for column in key])
    return None if None in found else found


def with_key(row: Record, key: KeyName, value: Any) -> dict[str, Any]:
    """Return a row with a key."""
    return {**row, key: value} if isinstance(key, str) else {**row, **dict(zip(key, value, strict=True))}


def shown_key(key: Any) -> str:
    """Return a key, or the name of one, as the user reads it."""
    return " ".join(map(str, key)) if isinstance(key, tuple) else str(key)


class Change(NamedTuple):
    """One row of a source to be written.

    `kind`: "add", "change" or "remove". `key`: the key column's value, or None if the store gives one. `row`: the columns to
    write; none only to see that the row is still there. `was`: the row as it was read, so that a conflict is noticed (None:
    don't check). `compared`: the columns in which another's change is a conflict (None: all).
    """

    kind: Kind
    source: str
    key: Any
    row: Record
    was: Record | None = None
    compared: frozenset[str] | None = None

    def conflicts_with(self, theirs: Record) -> bool:
        """Return True if a row isn't as it was read, in the columns that are compared."""
        return self.was is not None and any(
            theirs.get(column) != was for column, was in self.was.items() if self.compared is None or column in self.compared
        )

    def __str__(self) -> str:
        described = ", ".join(f"{column}={value}" for column, value in self.row.items())
        return {"add": described, "change": f"{self.key}: {described}", "remove": f"{self.key} removed"}[self.kind]


MOVES: Final = ("next", "previous", "first", "last", "new", "save", "remove")
"""The user's actions on records, besides going to a key."""


def applied(rows: Any, changes: list[Change], key: KeyName) -> tuple[Record, ...]:
    """Return rows with changes that aren't written yet."""
    found = list(rows)
    for change in changes:
        at = next((at for at, row in enumerate(found) if change.kind != "add" and key_in(row, key) == change.key), None)
        if change.kind == "add":
            found.append(change.row)
        elif at is not None and change.kind == "change":
            found[at] = {**found[at], **change.row}
        elif at is not None:
            del found[at]
    return tuple(found)
