"""Start positions of a bound form: the first blank field, or the host's selection."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Key, Record


class FirstBlank:
    """The place `first_blank("score")`: the first record with a blank in one of these columns."""

    __slots__ = ("columns",)

    def __init__(self, *columns: str) -> None:
        self.columns = columns

    def key_in(self, form: Any, bound: Mapping[str, Any], rows: Iterable[tuple[Any, Record]]) -> Key:
        """Return the key of the first row with a blank, or None if there is none."""
        for column in self.columns:
            if column not in bound:
                raise UnknownName(f"{type(form).__name__} has no bound column '{column}'; {suggest(column, bound)}")
        wanted = self.columns or [column for column, control in bound.items() if control.required]
        return next((key for key, row in rows if any(row.get(column) in (None, "") for column in wanted)), None)

    def __repr__(self) -> str:
        return f"first_blank({', '.join(map(repr, self.columns))})"


def first_blank(*columns: str) -> Any:
    """Return a place to open a bound form at: `self.open(Scores, at=first_blank("score"))`.

    `columns`: the columns to look at; without any, those of the form's required controls. If no record has a blank
    there, the form opens with a new record. Opening raises `UnknownName` for a column that no control is bound to.
    """
    return FirstBlank(*columns)


class KeyInWords:
    """The record whose key reads like a text: as a command line gives it."""

    __slots__ = ("text",)

    def __init__(self, text: str) -> None:
        self.text = text

    def __repr__(self) -> str:
        return repr(self.text)


class HostSelection:
    """The place `host_selection()`: the record that the host has selected."""

    __slots__ = ()

    def __repr__(self) -> str:
        return "host_selection()"


def host_selection() -> Any:
    """Return a place to open a bound form at: the record that the service `Host` reports as selected."""
    return HostSelection()
