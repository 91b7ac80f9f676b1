"""Catalogs: choices that are the rows of a record source."""

from __future__ import annotations

from typing import Any, Generic, TypeVar, overload

from fuselatch.core.model.errors import DeclarationError

T = TypeVar("T")


class Catalog(Generic[T]):
    """Choices from the rows of a record source: `Catalog("berths", show="name")`.

    Takes the name of the source, the column that is shown, the column that is held (`store`, the one
    shown if it is left out; `holds` is its type, for checkers), `by`, columns to have indexed from
    the start, and `sort`, the column that they are sorted by (else they come as in their source). Of rows that hold the
    same the first counts, rows that hold nothing are left out, so that `Catalog("vessels", show="kind")` is the
    different kinds in their order. `.where(pier=pier)` is the rows whose column `pier` equals what that control
    holds: none while it is blank.
    """

    __slots__ = ("by", "inputs", "show", "sort", "source", "store")

    @overload
    def __init__(self: Catalog[str], source: str, *, show: str, by: tuple[str, ...] = (), sort: str = "") -> None: ...
    @overload
    def __init__(
        self, source: str, *, show: str, store: str, holds: type[T], by: tuple[str, ...] = (), sort: str = ""
    ) -> None: ...
    @overload
    def __init__(
        self: Catalog[str], source: str, *, show: str, store: str, by: tuple[str, ...] = (), sort: str = ""
    ) -> None: ...
    def __init__(
        self, source: str, *, show: str, store: str | None = None, holds: Any = str, by: tuple[str, ...] = (), sort: str = ""
    ) -> None:
        for name, text in (("source", source), ("show", show), ("store", show if store is None else store)):
            if not isinstance(text, str) or not text:
                raise DeclarationError(f"Catalog(…): {name} must be a name, not {text!r}")
        self.source = source
        self.show = show
        self.store = show if store is None else store
        self.by = tuple(by)
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
        narrowed.source, narrowed.show, narrowed.store, narrowed.sort = self.source, self.show, self.store, self.sort
        narrowed.by = (*self.by, *columns) if self.inputs else tuple(columns)
        narrowed.inputs = (*self.inputs, *columns.values())
        return narrowed

    def __repr__(self) -> str:
        return f"<Catalog of {self.source}, shows {self.show}>"
