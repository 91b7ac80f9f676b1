"""Shared values: declared once in a module, with one value per session."""

from __future__ import annotations

from typing import Generic, TypeVar, overload

from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.values import Value, exactly, short

T = TypeVar("T")
K = TypeVar("K")


class Shared(Generic[T]):
    """A value of the session that forms share: `ON_DUTY = Shared(str)`.

    `kind`: its type. `start`: its first value. Without one it is None until it is set, and can be set to None again. In a
    handler, `self.session[ON_DUTY]` reads it and `self.session[ON_DUTY] = "Imke"` sets it. Rules can read it.
    """

    __slots__ = ("kind", "name", "start")

    @overload
    def __init__(self: Shared[K], kind: type[K], start: K, *, name: str = "") -> None: ...
    @overload
    def __init__(self: Shared[K | None], kind: type[K], start: None = None, *, name: str = "") -> None: ...
    def __init__(self, kind: type, start: Value = None, *, name: str = "") -> None:
        if not isinstance(kind, type):
            raise DeclarationError(f"Shared(…): expected a type such as int, not {short(kind)}")
        self.kind = kind
        self.start = start
        self.name = name or kind.__name__
        if start is not None:
            self.exact(start)

    def exact(self, value: object) -> T:
        """Return a value of the type; an int is accepted for a float, and None without a first value. Raises `TypeError`."""
        if value is None and self.start is None:
            return None  # type: ignore[return-value]
        value_exact: T = exactly(self.kind, value, f"Shared {self.name}")
        return value_exact

    def __repr__(self) -> str:
        return f"<Shared {self.name}>"
