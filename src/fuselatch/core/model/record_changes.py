"""Changes of rows, which are written together or not at all."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final, Literal, NamedTuple, TypeAlias

Record: TypeAlias = Mapping[str, Any]
Kind: TypeAlias = Literal["add", "change", "remove"]


class Change(NamedTuple):
    """One row of a source to be written.

    `kind`: "add", "change" or "remove". `key`: the key column's value, or None if the store gives one. `row`: the columns to
    write. `was`: the row as it was read, so that a conflict is noticed (None: don't check).
    """

    kind: Kind
    source: str
    key: Any
    row: Record
    was: Record | None = None

    def __str__(self) -> str:
        described = ", ".join(f"{column}={value}" for column, value in self.row.items())
        return {"add": described, "change": f"{self.key}: {described}", "remove": f"{self.key} removed"}[self.kind]


MOVES: Final = ("next", "previous", "first", "last", "new", "save", "remove")
"""The user's actions on records, besides going to a key."""


def applied(rows: Any, changes: list[Change], key: str) -> tuple[Record, ...]:
    """Return rows with changes that aren't written yet."""
    found = list(rows)
    for change in changes:
        at = next((at for at, row in enumerate(found) if change.kind != "add" and row.get(key) == change.key), None)
        if change.kind == "add":
            found.append(change.row)
        elif at is not None and change.kind == "change":
            found[at] = {**found[at], **change.row}
        elif at is not None:
            del found[at]
    return tuple(found)
