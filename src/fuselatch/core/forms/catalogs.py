"""Catalogs: choices from the rows of a record source."""

from __future__ import annotations

from typing import Any, Generic, TypeVar, overload

from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.values import adapted

T = TypeVar("T")


class Catalog(Generic[T]):
    """Choices from a record source: `Catalog("berths", text="name")`.

    `text`: the column that is shown. `value`: the column that the control stores (default: `text`); `value_type` is its
    type, for type checkers. `indexed`: columns to index at the start. `sort`: the column to sort by (default: source
    order). If two rows have the same value, the first one is used. Rows with a blank value are left out, so
    `Catalog("vessels", text="kind")` offers each kind once. Raises `DeclarationError`.
    """

    __slots__ = ("indexed", "inputs", "sort", "source", "text", "value", "value_type")

    @overload
    def __init__(self: Catalog[str], source: str, *, text: str, indexed: tuple[str, ...] = (), sort: str = "") -> None: ...
    @overload
    def __init__(
        self, source: str, *, text: str, value: str, value_type: type[T], indexed: tuple[str, ...] = (), sort: str = ""
    ) -> None: ...
    @overload
    def __init__(
        self: Catalog[str], source: str, *, text: str, value: str, indexed: tuple[str, ...] = (), sort: str = ""
    ) -> None: ...
    def __init__(
        self,
        source: str,
        *,
        text: str,
        value: str | None = None,
        value_type: Any = None,
        indexed: tuple[str, ...] = (),
        sort: str = "",
    ) -> None:
        for option, name in (("source", source), ("text", text), ("value", text if value is None else value)):
            if not isinstance(name, str) or not name:
                raise DeclarationError(f"Catalog(…): {option} must be a name, not {name!r}")
        self.source = source
        self.text = text
        self.value = text if value is None else value
        self.value_type = value_type
        self.indexed = tuple(indexed)
        self.sort = sort
        self.inputs: tuple[Any, ...] = ()

    def where(self, **columns: Any) -> Catalog[T]:
        """Return the catalog's rows whose columns equal these controls' values.

        `Catalog("berths", text="name").where(pier=pier)` offers nothing while `pier` is blank.
        """
        if not columns:
            raise DeclarationError("where() needs a column and a control, for example where(pier=pier)")
        for column, control in columns.items():
            if not getattr(control, "holds_value", False):
                raise DeclarationError(f"where({column}=…): expected a declared control with a value, not {control!r}")
        narrowed: Catalog[T] = Catalog.__new__(Catalog)
        narrowed.source, narrowed.text, narrowed.value, narrowed.sort = self.source, self.text, self.value, self.sort
        narrowed.value_type = self.value_type
        narrowed.indexed = (*self.indexed, *columns) if self.inputs else tuple(columns)
        narrowed.inputs = (*self.inputs, *columns.values())
        return narrowed

    def converted(self, value: Any, otherwise: Any = None) -> Any:
        """Return a value of the source as `value_type`; `otherwise` if that would lose something."""
        if self.value_type is None or type(value) is self.value_type:
            return value
        try:
            return adapted(value, self.value_type)
        except TypeError:
            return otherwise

    def __repr__(self) -> str:
        return f"<Catalog of {self.source}, shows {self.text}>"
