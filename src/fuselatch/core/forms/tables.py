"""Tables: the rows of a record source in columns, one of which is chosen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, Self, TypeVar, Unpack, overload

from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.choice import Choice
from fuselatch.core.forms.controls import LiveChoice
from fuselatch.core.forms.declarations import EntryOptions
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.errors import DeclarationError, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.records import Row

if TYPE_CHECKING:
    from fuselatch.core.forms.form import Form
    from fuselatch.core.forms.plans import ControlPlan
    from fuselatch.core.forms.port import EnginePort

T = TypeVar("T")


class LiveTable(LiveChoice[T, T | None, T]):
    """A table on an open form; it holds what the catalog stores of the row that is chosen."""

    __slots__ = ("_sort",)

    def __init__(self, form: Form, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(form, owner, plan, engine)
        self._sort: tuple[str, bool] = (plan.decl.sort, False)  # type: ignore[attr-defined]

    def _current(self, prop: str) -> Any:
        return self._sort if prop == "sort" else super()._current(prop)

    @property
    def count(self) -> int:
        """How many rows there are."""
        return len(self.choices)

    @property
    def row(self) -> Row | None:
        """The chosen row, with all columns of its source; None where none is chosen."""
        value = self.value
        choices = self.choices
        at = choices.position(value) if value is not None else None
        return None if at is None else choices.row(at)

    def rows(self, start: int = 0, stop: int | None = None) -> Sequence[Row]:
        """The rows in their order, or a stretch of them."""
        choices = self.choices
        return [choices.row(at) for at in range(*slice(start, stop).indices(len(choices)))]

    @property
    def sorted_by(self) -> str:
        """The column that the rows are sorted by; "" where they come as in their source."""
        return self._read_sort()[0]

    @property
    def descending(self) -> bool:
        """Whether they are sorted downwards."""
        return self._read_sort()[1]

    def _read_sort(self) -> tuple[str, bool]:
        if self._engine.tracker is not None:
            self._engine.tracker[(self, "sort")] = self._sort
        return self._sort

    def sort_by(self, column: str, *, descending: bool = False) -> None:
        """Sort the rows by a column of the table."""
        columns = self._decl.columns
        if column not in columns:
            name = f"{type(self.form).__name__}.{self.name}"
            raise UnknownName(f"{name} has no column '{column}': {suggest(column, columns)}")
        self._engine.sort_table(self, (column, descending))


class Table(Choice[T, T | None, T]):
    """Rows of a record source, one of which is chosen: `Table("Berths", rows=Catalog("berths", show="name"), columns=…)`.

    `rows` is a `Catalog`, with `.where(…)` as for a `Choice`; the table holds what it stores of the chosen row, which
    must be different for each. `columns` are those of the source that are seen, or a mapping from them to captions;
    `sort` is the column that sorts at first. A double click, and Enter, raise `double_clicked` with the row as `event.new`.
    """

    kind = "table"
    live = LiveTable
    looks = ()
    needed = "a row is to be chosen"

    if TYPE_CHECKING:

        @overload
        def __get__(self, instance: None, owner: type) -> Self: ...
        @overload
        def __get__(self, instance: object, owner: type) -> LiveTable[T]: ...
        def __get__(self, instance: object | None, owner: type) -> Self | LiveTable[T]:
            """On a form its live table."""

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        rows: Catalog[T],
        columns: Sequence[str] | Mapping[str, str],
        sort: str = "",
        default: Any = None,
        **options: Unpack[EntryOptions],
    ) -> None:
        if not isinstance(rows, Catalog):
            raise DeclarationError(f"Table({caption!r}): rows is a Catalog, not {rows!r}")
        if isinstance(columns, str) or not columns:
            raise DeclarationError(f"Table({caption!r}): columns are several names in a tuple, or a mapping to captions")
        shown = columns if isinstance(columns, Mapping) else {name: as_caption(name) for name in columns}
        self.columns: Mapping[str, str] = dict(shown)
        if sort and sort not in self.columns:
            raise DeclarationError(f"Table({caption!r}): sort='{sort}' is no column of it; {suggest(sort, self.columns)}")
        self.sort = sort
        super().__init__(caption, choices=rows, default=default, **options)


def as_caption(name: str) -> str:
    """A column's name as a caption, where it has none."""
    return name.replace("_", " ").capitalize()
