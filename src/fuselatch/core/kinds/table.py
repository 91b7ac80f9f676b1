"""Tables: the rows of a record source in columns. The user chooses one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from typing import TYPE_CHECKING, Any, Final, Generic, Literal, Self, TypeAlias, TypeVar, Unpack, overload

from fuselatch.core.forms.catalogs import Catalog, Frame
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.control_options import EntryOptions, H, Needed
from fuselatch.core.forms.declarations import Memo
from fuselatch.core.forms.deeds import Deed, DoubleClick, Keys
from fuselatch.core.forms.inputs import InputControl
from fuselatch.core.forms.live_state import AnyControl, ControlState, seen
from fuselatch.core.forms.plans import ControlPlan
from fuselatch.core.forms.port import EnginePort
from fuselatch.core.forms.rules import Rule
from fuselatch.core.kinds.choice import Choice, LiveChoice
from fuselatch.core.kinds.list_keys import ALWAYS_OPEN
from fuselatch.core.kinds.listing import IN_REACH, few_texts, held_by, in_reach, items_at, picked_texts
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.errors import DeclarationError, UnknownName
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.locale_formats import Formats, show_moment
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Record
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Value, anyhow, short
from fuselatch.core.model.view import ColumnView, ItemView, TablePart

T = TypeVar("T")

Made: TypeAlias = Callable[[Any], Iterable[Record] | Frame]
"""A function of the form (or group) that returns rows."""

# ---- cells


KINDS: Final = (
    (bool, "tick", "text"),
    ((int, float, Decimal), "number", "number"),
    (datetime, "datetime", "datetime"),
    (date, "date", "date"),
    (time, "time", "time"),
)
"""A column's kind, and what it holds, by the type of its first value. Any other is text."""


def cell_text(value: Value, formats: Formats, decl: Any = None) -> str:
    """Return a table cell's text in the session's locale, as a control writes it that declares its column."""
    if value is None:
        return ""
    try:
        return plain_cell_text(value, formats) if decl is None else str(decl.show(decl.coerce(value), formats))
    except Exception:
        # A store may hold anything, such as infinity; a view shows it all the same.
        return anyhow(value)


def plain_cell_text(value: object, formats: Formats) -> str:
    """Return the text of a cell whose column declares no kind."""
    if isinstance(value, bool):
        return user_text(formats, "cell.yes" if value else "cell.no")
    if isinstance(value, int | float | Decimal):
        return formats.show_number(value, None)
    if isinstance(value, datetime):
        return show_moment(value, formats)
    if isinstance(value, date):
        return formats.show_date(value)
    return formats.show_time(value) if isinstance(value, time) else str(value)


# ---- keys


def double_click_row(live: AnyControl, key: str) -> Iterator[Deed]:
    """Double-click the chosen row."""
    if live.row is not None:
        yield DoubleClick()


WITH_ROWS: Final = Keys({**ALWAYS_OPEN, "Enter": double_click_row})


class LiveTable(LiveChoice[T, T | None, T]):
    """A table on an open form. Its value is the catalog's value of the chosen row."""

    __slots__ = ("_sort",)

    def __init__(self, form: OpenForm, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(form, owner, plan, engine)
        self._sort: tuple[str, bool] = (plan.decl.sort, False)

    def _restored(self, name: str) -> None:
        super()._restored(name)
        if name == "_sort":
            self._engine.mark(self, "sort")

    def _current(self, prop: str) -> Value:
        return self._sort if prop == "sort" else super()._current(prop)

    @property
    def count(self) -> int:
        """The number of rows."""
        return len(self.choices)

    @property
    def row(self) -> Record | None:
        """The chosen row with all columns of its source, or None."""
        value = self.value
        choices = self.choices
        at = choices.position(value) if value is not None else None
        return None if at is None else choices.row(at)

    def rows(self, start: int = 0, stop: int | None = None) -> Sequence[Record]:
        """Return the rows in order, or a part of them."""
        choices = self.choices
        return [choices.row(at) for at in range(*slice(start, stop).indices(len(choices)))]

    @property
    def sorted_by(self) -> str:
        """The column that the rows are sorted by, "" for source order."""
        return self._read_sort()[0]

    @property
    def descending(self) -> bool:
        """True if the rows are sorted in descending order."""
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
            raise UnknownName(f"{name} has no column '{column}'; {suggest(column, columns)}")
        self._engine.sort_table(self, (column, descending))


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
    has_columns = True
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
        default: Value = None,
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
        default: Value = None,
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
        default: Value = None,
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
        default: Value = None,
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

    # ---- in use

    def drops(self, look: str) -> bool:
        return False

    def keys(self, live: ControlState) -> Keys:
        return WITH_ROWS if "double_clicked" in live._plan.heard else ALWAYS_OPEN

    def double_clicked_on(self, live: AnyControl) -> Value:
        return live.row

    def unfit(self, live: ControlState, gesture: Gesture) -> str:
        text = gesture.text
        if gesture.verb == "sort":
            return "" if text in self.columns else f"no column '{text}'; {suggest(text, self.columns)}"
        return super().unfit(live, gesture)

    def gestures(self, live: ControlState) -> Iterator[tuple[str, str]]:
        yield from (("sort", column) for column in self.columns)
        if live._rule or seen(live, "read_only") is True:
            return
        texts = few_texts(seen(live, "choices"))
        yield from (("pick", text) for text in texts)
        if "double_clicked" in live._plan.heard:
            yield from (("double", text) for text in texts)

    def order_of(self, live: AnyControl) -> tuple[Value, ...]:
        return (live._read_sort(),)

    def hidden_state(self, live: AnyControl) -> Iterator[tuple[str, Value]]:
        yield from super().hidden_state(live)
        yield "sorted", live._sort

    # ---- the view

    def part(self, live: AnyControl, memo: Memo, formats: Formats) -> TablePart:
        choices: Choices = seen(live, "choices")
        made, before = memo.part, memo.made_from
        reach, places, differs = in_reach(live, memo)
        others = before is None or before[0] is not choices
        sorted_by, descending = live._sort
        memo.part = TablePart(
            choices=reach.items,
            choices_from=reach.start,
            choice_count=reach.in_all,
            picked=picked_texts(live),
            columns=self.columns_of(choices) if others else made.columns,
            cells=self.cells_of(choices, places, formats) if differs else made.cells,
            sorted_by=sorted_by,
            descending=descending,
        )
        part: TablePart = memo.part
        return part

    def columns_of(self, choices: Choices) -> tuple[ColumnView, ...]:
        """Return its columns. A column that declares no kind has that of its first value."""
        columns = []
        for name, caption in self.columns.items():
            decl = self.kinds.get(name)
            if decl is not None:
                kind, holds = decl.kind, decl.holds_a
            else:
                rows = (choices.row(at) for at in range(min(len(choices), IN_REACH)))
                value = next((row[name] for row in rows if row.get(name) is not None), None)
                kind, holds = next((names for types, *names in KINDS if isinstance(value, types)), ["text", "text"])
            columns.append(ColumnView(name=name, caption=caption, kind=kind, holds=holds))
        return tuple(columns)

    def cells_of(self, choices: Choices, places: Iterable[int], formats: Formats) -> tuple[tuple[str, ...], ...]:
        """Return the cells of some rows."""
        kinds = [(name, self.kinds.get(name)) for name in self.columns]
        rows = [choices.row(at) for at in places]
        return tuple([tuple([cell_text(row.get(name), formats, decl) for name, decl in kinds]) for row in rows])

    def items_between(
        self, live: ControlState, start: int, stop: int
    ) -> tuple[tuple[ItemView, ...], tuple[tuple[str, ...], ...]]:
        choices: Choices = seen(live, "choices")
        places = range(*slice(start, stop).indices(len(choices)))
        return items_at(choices, places, held_by(live), {}), self.cells_of(choices, places, live._engine.formats)


def caption_of(name: str, column: str | InputControl[Any, Any, Any]) -> str:
    """Return a column's caption: its own, or that of the control that declares its kind."""
    caption = column.constants.get("caption") if isinstance(column, InputControl) else column
    return caption or as_caption(name)


def as_caption(name: str) -> str:
    """Return a column's name as a caption."""
    return name.replace("_", " ").capitalize()
