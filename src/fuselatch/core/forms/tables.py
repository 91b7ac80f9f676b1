"""Tables: the rows of a record source in columns. The user chooses one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, Generic, Literal, Self, TypeAlias, TypeVar, Unpack, overload

from fuselatch.core.forms.catalogs import Catalog, Frame
from fuselatch.core.forms.choice import Choice
from fuselatch.core.forms.declarations import EntryOptions, H, InputControl, Needed
from fuselatch.core.forms.live_lists import LiveTable
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import short

T = TypeVar("T")

Made: TypeAlias = Callable[[Any], Iterable[Mapping[str, Any]] | Frame]
"""A function of the form (or group) that returns rows."""


class Table(Choice[T, T | None, T, H], Generic[T, H]):
    """A table of rows, one of which can be chosen.

    `rows`: a `Catalog`, whose `value` must differ in each row; or a function of the form that returns mappings or a data
    frame, with `key`, the column that holds the table's value (default: the first of `columns`). `columns`: names of
    columns, or a mapping of name to caption, or to a control that says how a column is written:
    `{"length": Number("Length", decimals=1)}`. `sort`: the column to sort by at first.
    Double-clicking a row, or Enter, raises `double_clicked`; `event.new` is the row.
    """

    kind = "table"
    named = "a table"
    accepts = frozenset({"type", "pick", "sort"})
    shape = "table"
    live = LiveTable
    looks = ()
    needed = "required.row"

    if TYPE_CHECKING:

        @overload
        def __get__(self, instance: None, owner: type) -> Self: ...
        @overload
        def __get__(self, instance: object, owner: type) -> LiveTable[T]: ...
        def __get__(self, instance: object | None, owner: type) -> Self | LiveTable[T]:
            """Return the live table on a form."""

    @overload
    def __init__(
        self: Table[T, T],
        caption: str | Rule[str] = "",
        *,
        rows: Catalog[T],
        columns: Sequence[str] | Mapping[str, str | InputControl[Any, Any, Any]],
        sort: str = "",
        default: Any = None,
        required: Literal[True],
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Table[T, T | None],
        caption: str | Rule[str] = "",
        *,
        rows: Catalog[T],
        columns: Sequence[str] | Mapping[str, str | InputControl[Any, Any, Any]],
        sort: str = "",
        default: Any = None,
        required: Needed = False,
        **options: Unpack[EntryOptions],
    ) -> None: ...
    @overload
    def __init__(
        self: Table[Any, Any],
        caption: str | Rule[str] = "",
        *,
        rows: Made,
        columns: Sequence[str] | Mapping[str, str | InputControl[Any, Any, Any]],
        key: str = "",
        sort: str = "",
        default: Any = None,
        required: Needed = False,
        **options: Unpack[EntryOptions],
    ) -> None: ...
    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        rows: Any,
        columns: Sequence[str] | Mapping[str, str | InputControl[Any, Any, Any]],
        key: str = "",
        sort: str = "",
        default: Any = None,
        required: Any = False,
        **options: Unpack[EntryOptions],
    ) -> None:
        if not isinstance(rows, Catalog) and (not callable(rows) or isinstance(rows, type)):
            wanted = "a Catalog or a function of the form (rows=lambda form: …)"
            raise DeclarationError(f"Table({caption!r}): rows must be {wanted}, not {short(rows)}")
        if key and isinstance(rows, Catalog):
            raise DeclarationError(f"Table({caption!r}): key= is for rows of a function; use Catalog(…, value={key!r})")
        if isinstance(columns, str) or not columns:
            raise DeclarationError(f"Table({caption!r}): columns must be a tuple of names, or a mapping of name to caption")
        shown = columns if isinstance(columns, Mapping) else {name: as_caption(name) for name in columns}
        self.columns: Mapping[str, str] = {name: caption_of(name, column) for name, column in shown.items()}
        self.kinds = {name: column for name, column in shown.items() if isinstance(column, InputControl)}
        if sort and sort not in self.columns:
            raise DeclarationError(
                f"Table({caption!r}): sort={sort!r} isn't one of its columns; {suggest(sort, self.columns)}"
            )
        self.sort = sort
        first = next(iter(self.columns))
        # The columns of rows that a function returns.
        self.made = None if isinstance(rows, Catalog) else Catalog("rows", text=first, value=key or first)
        super().__init__(caption, choices=rows, default=default, required=required, **options)

    def details(self) -> Iterator[str]:
        yield f"columns {', '.join(self.columns)}"
        if self.sort:
            yield f"sorted by {self.sort}"
        yield from super().details()


def caption_of(name: str, column: str | InputControl[Any, Any, Any]) -> str:
    """Return a column's caption: its own, or that of the control that declares its kind."""
    found = column.constants.get("caption") if isinstance(column, InputControl) else column
    return found or as_caption(name)


def as_caption(name: str) -> str:
    """Return a column's name as a caption."""
    return name.replace("_", " ").capitalize()
