"""A long, immutable sequence of which a copy with a few other items costs little."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import chain
from typing import Final, Generic, TypeVar, overload

T = TypeVar("T")

SIZE: Final = 64
"""The items of one chunk. A copy with one other item copies one chunk, and the list of chunks."""


class Parts(Sequence[T], Generic[T]):
    """An immutable sequence: `Parts(items)`, and `parts.replaced({3: item})` for a copy that shares all other items.

    Equal to any tuple or list of equal items.
    """

    __slots__ = ("_chunks", "_count")

    def __init__(self, items: Iterable[T] = ()) -> None:
        whole = tuple(items)
        self._count = len(whole)
        self._chunks = tuple([whole[at : at + SIZE] for at in range(0, len(whole), SIZE)])

    def replaced(self, items: Mapping[int, T]) -> Parts[T]:
        """Return a copy with other items at some positions."""
        chunks: dict[int, list[T]] = {}
        for at, item in items.items():
            number = at // SIZE
            if number not in chunks:
                chunks[number] = list(self._chunks[number])
            chunks[number][at % SIZE] = item
        made: Parts[T] = object.__new__(Parts)
        made._count = self._count
        whole = list(self._chunks)
        for number, chunk in chunks.items():
            whole[number] = tuple(chunk)
        made._chunks = tuple(whole)
        return made

    def differing(self, before: Parts[T]) -> Iterator[tuple[T, T]]:
        """Yield the items that aren't the same objects as before, with the earlier ones; as far as both go."""
        for old, new in zip(before._chunks, self._chunks, strict=False):
            if old is not new:
                yield from ((was, item) for was, item in zip(old, new, strict=False) if was is not item)

    def __len__(self) -> int:
        return self._count

    @overload
    def __getitem__(self, at: int) -> T: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[T]: ...
    def __getitem__(self, at: int | slice) -> T | Sequence[T]:
        if isinstance(at, slice):
            return tuple(self)[at]
        place = at + self._count if at < 0 else at
        if not 0 <= place < self._count:
            raise IndexError(f"no position {at} in {self._count} items")
        return self._chunks[place // SIZE][place % SIZE]

    def __iter__(self) -> Iterator[T]:
        return chain.from_iterable(self._chunks)

    def __eq__(self, other: object) -> bool:
        if isinstance(other, Parts):
            return self._chunks == other._chunks
        return tuple(self) == tuple(other) if isinstance(other, list | tuple) else NotImplemented

    def __hash__(self) -> int:
        return hash(tuple(self))

    def __repr__(self) -> str:
        return repr(tuple(self))

    def __reduce__(self) -> tuple[object, ...]:
        return Parts, (tuple(self),)
