"""What a gesture writes: rows to be added, changed or taken away, all of them or none."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final, Literal, NamedTuple, TypeAlias

Row: TypeAlias = Mapping[str, Any]
Kind: TypeAlias = Literal["add", "change", "remove"]


class Change(NamedTuple):
    """One row of a source that is written.

    `kind` is "add", "change" or "remove"; `key` the value of the source's key column (None for one that the
    store gives a key); `row` the columns that are written; `was` the row as it was read, so that a
    store can tell that somebody else has changed it since (None: whatever it is).
    """

    kind: Kind
    source: str
    key: Any
    row: Row
    was: Row | None = None

    def __str__(self) -> str:
        told = ", ".join(f"{column}={value}" for column, value in self.row.items())
        return {"add": told, "change": f"{self.key}: {told}", "remove": f"{self.key} removed"}[self.kind]


MOVES: Final = ("next", "previous", "first", "last", "new", "save", "remove")
"""What a person can do with the record in hand, besides going to one by its key."""


def applied(rows: Any, changes: list[Change], key: str) -> tuple[Row, ...]:
    """Rows with changes that are not written yet."""
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
