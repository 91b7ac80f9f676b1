"""Catalogs: choices that are the rows of a record source."""

from __future__ import annotations

from typing import Any, Generic, TypeVar, overload

from fuselatch.core.model.errors import DeclarationError

T = TypeVar("T")


class Catalog(Generic[T]):
    """Choices from the rows of a record source: `Catalog("berths", text="name")`.

    Takes the name of the source, the column that is shown, the column that is held (`store`, the one
    shown if it is left out; `holds` is its type, for checkers), `by`, columns to have indexed from
    the start, and `sort`, the column that they are sorted by (else they come as in their source). Of rows that hold the
    same the first counts, rows that hold nothing are left out, so that `Catalog("vessels", text="kind")` is the
    different kinds in their order. `.where(pier=pier)` is the rows whose column `pier` equals what that control
    holds: none while it is blank.
    """

    __slots__ = ("indexed", "inputs", "sort", "source", "text", "value")

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
        value_type: Any = str,
        indexed: tuple[str, ...] = (),
        sort: str = "",
    ) -> None:
        for option, name in (("source", source), ("text", text), ("value", text if value is None else value)):
            if not isinstance(name, str) or not name:
                raise DeclarationError(f"Catalog(…): {option} must be a name, not {name!r}")
        self.source = source
        self.text = text
        self.value = text if value is None else value
        self.indexed = tuple(indexed)
        self.sort = sort
        self.inputs: tuple[Any, ...] = ()

    def where(self, **columns: Any) -> Catalog[T]:
        """The rows whose columns equal what declared controls hold: `where(pier=pier, size=size)`."""
        if not columns:
            raise DeclarationError("where() needs a column and a control, for example where(pier=pier)")
        for column, control in columns.items():
            if not getattr(control, "holds_value", False):
                raise DeclarationError(f"where({column}=…): expected a declared control with a value, not {control!r}")
        narrowed: Catalog[T] = Catalog.__new__(Catalog)
        narrowed.source, narrowed.text, narrowed.value, narrowed.sort = self.source, self.text, self.value, self.sort
        narrowed.indexed = (*self.indexed, *columns) if self.inputs else tuple(columns)
        narrowed.inputs = (*self.inputs, *columns.values())
        return narrowed

    def __repr__(self) -> str:
        return f"<Catalog of {self.source}, shows {self.text}>"
