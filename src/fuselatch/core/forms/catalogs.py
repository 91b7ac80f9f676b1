"""Catalogs: choices from the rows of a record source."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, time
from decimal import Decimal
from enum import Enum
from typing import Any, Generic, Literal, Protocol, TypeVar, overload

from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.values import Value, adapted, short

T = TypeVar("T")


class Frame(Protocol):
    """A data frame, as pandas has it."""

    @property
    def columns(self) -> Any: ...
    @property
    def iloc(self) -> Any: ...


class Catalog(Generic[T]):
    """Choices from a record source, or from a pandas data frame: `Catalog("berths", text="name")`.

    `text`: the column that is shown. `value`: the column that the control stores (default: `text`); `value_type` is its
    type, for type checkers. `indexed`: columns to index at the start. `sort`: the column to sort by (default: source
    order). If two rows have the same value, the first one is used. Rows with a blank value are left out, so
    `Catalog("vessels", text="kind")` offers each kind once. Raises `DeclarationError`.
    """

    __slots__ = (
        "blank_is_all",
        "fixed",
        "frame",
        "indexed",
        "inputs",
        "sort",
        "source",
        "tests",
        "text",
        "value",
        "value_type",
    )

    @overload
    def __init__(
        self: Catalog[str], source: str | Frame, *, text: str, indexed: tuple[str, ...] = (), sort: str = ""
    ) -> None: ...
    @overload
    def __init__(
        self,
        source: str | Frame,
        *,
        text: str,
        value: str,
        value_type: type[T],
        indexed: tuple[str, ...] = (),
        sort: str = "",
    ) -> None: ...
    @overload
    def __init__(
        self: Catalog[str], source: str | Frame, *, text: str, value: str, indexed: tuple[str, ...] = (), sort: str = ""
    ) -> None: ...
    def __init__(
        self,
        source: str | Frame,
        *,
        text: str,
        value: str | None = None,
        value_type: Any = None,
        indexed: tuple[str, ...] = (),
        sort: str = "",
    ) -> None:
        # A data frame that is given itself, and isn't a source of the session.
        self.frame: Any = source if hasattr(source, "iloc") else None
        source = "a data frame" if self.frame is not None else source
        for option, name in (("source", source), ("text", text), ("value", text if value is None else value)):
            if not isinstance(name, str) or not name:
                raise DeclarationError(f"Catalog(…): {option} must be a name, not {short(name)}")
        self.source: Any = source
        self.text = text
        self.value = text if value is None else value
        self.value_type = value_type
        self.indexed = tuple(indexed)
        self.sort = sort
        # The controls that narrow it: those of `where` first, one for each of `indexed`; then one for each of `tests`.
        self.inputs: tuple[Any, ...] = ()
        # Kind and column of each other condition, and the constants of `where`.
        self.tests: tuple[tuple[str, str], ...] = ()
        self.fixed: tuple[tuple[str, Value], ...] = ()
        self.blank_is_all = False

    def where(self, *, blank: Literal["none", "all"] = "none", **columns: Value) -> Catalog[T]:
        """Return the catalog's rows whose columns equal these controls' values, or constants.

        `Catalog("berths", text="name").where(pier=pier, state="free")` offers nothing while `pier` is blank, or the rows of
        all piers with `blank="all"`. Of a choice with `multiple=True`, a row needs one of the values.
        """
        if not columns:
            raise DeclarationError("where() needs a column and a control, for example where(pier=pier)")
        if blank not in ("none", "all"):
            raise DeclarationError(f"where(blank={blank!r}): use 'none' (a blank control offers nothing) or 'all'")
        controls = {column: given for column, given in columns.items() if is_control(given, f"where({column}=…)")}
        narrowed = self._copy()
        narrowed.indexed = (*self._equal, *controls)
        narrowed.inputs = (*self.inputs[: len(self._equal)], *controls.values(), *self.inputs[len(self._equal) :])
        narrowed.fixed = (*self.fixed, *[pair for pair in columns.items() if pair[0] not in controls])
        narrowed.blank_is_all = self.blank_is_all or blank == "all"
        return narrowed

    def begins(self, **columns: Value) -> Catalog[T]:
        """Return the rows whose columns begin with these controls' texts, whatever their case and accents.

        A blank control narrows nothing: `Catalog("berths", text="name").begins(name=search)`.
        """
        return self._tested("begins", columns)

    def contains(self, **columns: Value) -> Catalog[T]:
        """Return the rows whose columns contain these controls' texts, whatever their case and accents."""
        return self._tested("contains", columns)

    def between(self, **columns: tuple[Value, Value]) -> Catalog[T]:
        """Return the rows whose columns lie between two controls' values: `between(length=(shortest, longest))`.

        Both limits count; a blank one narrows nothing.
        """
        for column, given in columns.items():
            if not isinstance(given, tuple) or len(given) != 2:
                raise DeclarationError(f"between({column}=…): expected two controls, the least and the most")
        least = self._tested("from", {column: given[0] for column, given in columns.items()})
        return least._tested("to", {column: given[1] for column, given in columns.items()})

    @property
    def _equal(self) -> tuple[str, ...]:
        """The columns that equal a control's value."""
        return self.indexed if len(self.inputs) > len(self.tests) else ()

    def _tested(self, kind: str, columns: Mapping[str, object]) -> Catalog[T]:
        if not columns:
            raise DeclarationError("begins(), contains() and between() need a column and a control, as begins(name=search)")
        for column, given in columns.items():
            if not is_control(given, f"{kind}({column}=…)"):
                raise DeclarationError(f"{kind}({column}=…): expected a declared control with a value, not {short(given)}")
        narrowed = self._copy()
        narrowed.tests = (*self.tests, *[(kind, column) for column in columns])
        narrowed.inputs = (*self.inputs, *columns.values())
        return narrowed

    def _copy(self) -> Catalog[T]:
        made: Catalog[T] = Catalog.__new__(Catalog)
        for name in Catalog.__slots__:
            setattr(made, name, getattr(self, name))
        return made

    def converted(self, value: object, otherwise: object = None) -> Value:
        """Return a value of the source as `value_type`; `otherwise` if that would lose something."""
        if self.value_type is None or type(value) is self.value_type:
            return value
        try:
            return adapted(value, self.value_type)
        except TypeError:
            return otherwise

    def __repr__(self) -> str:
        return f"<Catalog of {self.source}, shows {self.text}>"


def is_control(given: object, where: str) -> bool:
    """Return True for a declared control with a value, and False for a constant. Refuses anything else."""
    if getattr(given, "holds_value", False):
        return True
    if given is None or not isinstance(given, str | int | float | Decimal | date | time | Enum):
        raise DeclarationError(f"{where}: expected a declared control with a value, or a constant, not {short(given)}")
    return False
