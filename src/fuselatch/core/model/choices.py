"""The choices of a control: a sequence that is shared, never copied, and shows its items by `str()`."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any, Generic, TypeVar, overload

T = TypeVar("T")


class Choices(Sequence[T], Generic[T]):
    """What may be picked, in order. Equal to any list or tuple of equal items."""

    __slots__ = ("_items", "_members")

    def __init__(self, items: Iterable[T] = ()) -> None:
        self._items: Sequence[T] = items if isinstance(items, tuple) else tuple(items)
        self._members: frozenset[Any] | None = None

    def __len__(self) -> int:
        return len(self._items)

    @overload
    def __getitem__(self, index: int) -> T: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[T]: ...
    def __getitem__(self, index: int | slice) -> T | Sequence[T]:
        return self._items[index]

    def __iter__(self) -> Iterator[T]:
        return iter(self._items)

    def __contains__(self, item: object) -> bool:
        if self._members is None:
            try:
                self._members = frozenset(self._items)
            except TypeError:
                return item in self._items
        try:
            return item in self._members
        except TypeError:
            return False

    def __eq__(self, other: object) -> bool:
        if isinstance(other, Choices):
            return self._items is other._items or self._items == other._items
        if isinstance(other, list | tuple):
            return tuple(self._items) == tuple(other)
        return NotImplemented

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return repr(list(self._items))

    def shown(self) -> list[str]:
        """The texts that a person sees, in order."""
        return [str(item) for item in self._items]

    def find(self, text: str) -> list[T]:
        """The items whose text is `text`: exact ones, else the same but for case."""
        exact = [item for item in self._items if str(item) == text]
        if exact:
            return exact
        folded = text.casefold()
        return [item for item in self._items if str(item).casefold() == folded]
