"""Where a bound form begins: at a gap, or at what the host has selected."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.records import Row


class Gap:
    """The first record with a gap: `self.open(Scores, at=Gap("score"))`.

    Takes the columns that are looked at; without any, those of the form's required controls. Where there is no gap,
    the form begins with a fresh record.
    """

    __slots__ = ("columns",)

    def __init__(self, *columns: str) -> None:
        self.columns = columns

    def key_in(self, form: Any, bound: Mapping[str, Any], rows: Iterable[tuple[Any, Row]]) -> Any:
        """The key of the first row with a gap, or None."""
        for column in self.columns:
            if column not in bound:
                raise UnknownName(f"{type(form).__name__} has no bound column '{column}'; {suggest(column, bound)}")
        wanted = self.columns or [column for column, control in bound.items() if control.required]
        return next((key for key, row in rows if any(row.get(column) in (None, "") for column in wanted)), None)

    def __repr__(self) -> str:
        return f"Gap({', '.join(map(repr, self.columns))})"


class _Selected:
    """The record that the host has selected."""

    __slots__ = ()

    def __repr__(self) -> str:
        return "SELECTED"


SELECTED: Any = _Selected()
"""Where a bound form begins: at the record that the host, the service `Host`, says is selected."""
