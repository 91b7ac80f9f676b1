"""Live controls with lists: choices, tables and lines."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, Generic, TypeVar

from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.controls import LiveChecked, LiveInput
from fuselatch.core.forms.live_state import property_of
from fuselatch.core.forms.plans import ControlPlan
from fuselatch.core.forms.port import EnginePort
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Record
from fuselatch.core.model.values import place_for

R = TypeVar("R")
G = TypeVar("G")
T = TypeVar("T")
L = TypeVar("L", bound=Container)


class LiveChoice(LiveInput[R, G], Generic[T, R, G]):
    """A choice on an open form."""

    __slots__ = ("_at", "_brought", "_kept", "_offered")

    def __init__(self, form: OpenForm, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(form, owner, plan, engine)
        # A value that came with the record stays and is shown, even if it isn't offered.
        self._brought: Any = None
        # The value that stays until its form is submitted, whatever happens to the list in the meantime.
        self._kept: Any = UNSEEN
        # The item that the user has moved to in an open list.
        self._at: Any = UNSEEN
        # What was found last: the value, the choices, what came with the record, and what the value reads as.
        self._offered: tuple[Any, Any, Any, Any] = (UNSEEN, None, None, None)

    def _current(self, prop: str) -> Any:
        if prop != "value":
            return super()._current(prop)
        found = property_of(self, prop)
        if found is None or found == () or found is self._kept:
            return found
        offered = property_of(self, "choices")
        value, choices, brought, reads = self._offered
        if value is not found or choices is not offered or brought is not self._brought:
            reads = self._read_as(found, offered)
            self._offered = found, offered, self._brought, reads
        return reads

    def _read_as(self, found: Any, offered: Choices[Any]) -> Any:
        """Return what a value reads as: one that is no longer offered as blank. It is cleared when the queue is empty."""
        decl = self._decl
        if decl.multiple:
            if found == self._brought:
                return tuple([offered.equal(item, item) for item in found])
            kept = tuple([item for item in found if item in offered])
            return found if len(kept) == len(found) else kept
        if found in offered or (decl.other and isinstance(found, str)):
            return found
        if found == self._brought:
            return offered.equal(found, found)
        default = decl.constants.get("default")
        if default is not None and hasattr(default, "among"):
            return default.among(offered)
        return offered.equal(default)

    @property
    def text(self) -> str:
        """The text in the field: the draft, or the chosen items."""
        if self._draft is not None:
            return self._draft
        return ", ".join(self.picked)

    @property
    def picked(self) -> tuple[str, ...]:
        """The chosen items' texts."""
        value = self._read("value")
        held = () if value is None else value if self._decl.multiple else (value,)
        return tuple([self.choices.text(item) for item in held])

    @property
    def position(self) -> int | None:
        """The zero-based position of the (first) chosen item, or None if blank."""
        value: Any = self.value
        held = () if value is None else value if self._decl.multiple else (value,)
        return self.choices.position(held[0]) if held else None

    @position.setter
    def position(self, at: int | None) -> None:
        choices = self.choices
        if at is not None:
            place_for(f"{type(self.form).__name__}.{self.name}.position", at)
        if at is not None and not 0 <= at < len(choices):
            raise ValueError(f"{type(self.form).__name__}.{self.name}: no position {at} in {len(choices)} choices")
        item = None if at is None else choices[at]
        self._engine.assign(self, (item,) if self._decl.multiple and item is not None else item)

    @property
    def choices(self) -> Choices[T]:
        """The choices, in order."""
        offered: Choices[T] = self._read("choices")
        return offered

    @choices.setter
    def choices(self, choices: Choices[T] | tuple[T, ...] | list[T]) -> None:
        self._engine.set_property(self, "choices", choices, Choices)


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

    def _current(self, prop: str) -> Any:
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


class LiveLines(LiveChecked, Generic[L]):
    """The lines of an open form: `for line in form.extras.rows`, `form.extras[0]`."""

    __slots__ = ("_attached", "_gone", "_members", "_positions", "_rows", "_serial", "_written")

    def __init__(self, form: OpenForm, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(form, owner, plan, engine)
        self._rows: tuple[L, ...] = ()
        self._serial = 0
        # For each line: its live controls, its usable controls, and its row in the store.
        self._members: dict[L, tuple[Any, ...]] = {}
        self._attached: set[L] = set()
        self._written: dict[L, Any] = {}
        self._gone: dict[L, Any] = {}
        # Until which entry of the trace the lines stood so: what the trace calls a line is its position at that time.
        self._positions: list[tuple[int, tuple[L, ...]]] = []

    def _current(self, prop: str) -> Any:
        # A check of the lines gets them as any other gets a value.
        return self._rows if prop in ("rows", "value") else super()._current(prop)

    @property
    def rows(self) -> tuple[L, ...]:
        """The lines in order. Rules can read them."""
        found: tuple[L, ...] = self._current("rows")
        tracker = self._engine.tracker
        if tracker is not None:
            tracker[(self, "rows")] = found
        return found

    def __len__(self) -> int:
        return len(self.rows)

    def __bool__(self) -> bool:
        return True

    def __iter__(self) -> Iterator[L]:
        return iter(self.rows)

    def __getitem__(self, place: int) -> L:
        return self.rows[place]

    def add(self, **values: Any) -> L | None:
        """Add a line with these values; return it, or None if it was blocked or refused."""
        line: L | None = self._engine.add_line(self, values)
        return line

    def remove(self, line: L) -> bool:
        """Remove a line; return False if it was blocked."""
        return self._engine.remove_line(self, line)

    def move(self, line: L, to: int) -> None:
        """Move a line to a zero-based position."""
        self._engine.move_line(self, line, place_for(f"{self.name}.move(…)", to))
