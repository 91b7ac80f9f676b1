"""The choices of a control: a shared sequence with the text of each item.

Indexes are built on first use: positions for look-ups, sorted keys for typing ahead.
"""

from __future__ import annotations

import re
import unicodedata
from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from enum import Enum, EnumMeta
from typing import Any, Final, Generic, TypeVar, overload

T = TypeVar("T")

AHEAD: Final = 50
"""The most items that typing ahead returns."""
HIGHEST: Final = "\U0010ffff"
NO_WORD: Final = re.compile(r"[\W_]")


class Choices(Sequence[T], Generic[T]):
    """The choices of a control, in order. Equal to any list or tuple of equal items.

    `items`: the values. `texts`: their texts (default: `str()`). `row`: returns the row at a position, for tables.
    """

    __slots__ = ("_ahead", "_items", "_places", "_row", "_texts")

    def __init__(
        self,
        items: Iterable[T] = (),
        texts: Sequence[str] | None = None,
        row: Callable[[int], Mapping[str, Any]] | None = None,
    ) -> None:
        self._items: Sequence[T] = items if isinstance(items, tuple) else tuple(items)
        self._texts = texts
        self._row = row
        self._places: dict[Any, int] | None = None
        self._ahead: Ahead | None = None

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
        return self.position(item) is not None

    def position(self, item: object) -> int | None:
        """Return an item's zero-based position, or None if it isn't offered."""
        places = self._places
        if places is None:
            try:
                items = self._items
                # Backwards, so that the first of equal items is found.
                places = self._places = dict(zip(reversed(items), range(len(items) - 1, -1, -1), strict=True))
            except TypeError:
                return self._items.index(item) if item in self._items else None
        try:
            return places.get(item)
        except TypeError:
            return None

    def __eq__(self, other: object) -> bool:
        if isinstance(other, Choices):
            same = self._items == other._items and self._texts == other._texts
            return self is other or (same and self._row is other._row)
        if isinstance(other, list | tuple):
            return tuple(self._items) == tuple(other)
        return NotImplemented

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return repr(list(self._items))

    def text(self, item: object) -> str:
        """Return an item's text."""
        if self._texts is None:
            return str(item)
        at = self.position(item)
        return str(item) if at is None else self._texts[at]

    def row(self, at: int) -> Mapping[str, Any]:
        """Return the row of the item at a position."""
        if self._row is None:
            raise TypeError("these choices aren't rows")
        return self._row(at)

    def shown(self, start: int = 0, stop: int | None = None) -> list[str]:
        """Return the items' texts, in order, or a part of them."""
        return list(map(str, (self._items if self._texts is None else self._texts)[start:stop]))

    def find(self, text: str) -> list[T]:
        """Return the items with a text: exact ones, or those that differ in case and accents."""
        texts = self._items if self._texts is None else self._texts
        if len(texts) > AHEAD or self._ahead is not None:
            near = self.ahead_index.exact(folded(text))
        else:
            wanted = folded(text)
            near = [at for at, shown in enumerate(texts) if folded(str(shown)) == wanted]
        # Two items may differ only in case: the one typed exactly wins.
        exact = [at for at in near if str(texts[at]) == text]
        return [self._items[at] for at in sorted(exact or near)]

    def ahead(self, text: str, most: int = AHEAD) -> list[T]:
        """Return the items that typed text may mean.

        Exact matches come first, then items that start with it, then items with a word that does.
        """
        return [self._items[at] for at in self.ahead_index.find(text.strip(), most)]

    @property
    def ahead_index(self) -> Ahead:
        """The sorted keys for typing ahead, built on first use."""
        if self._ahead is None:
            self._ahead = Ahead(self.shown())
        return self._ahead


class Ahead:
    """Sorted texts and words, for looking up by bisection.

    Only positions are stored, and texts are folded again for each comparison. A look-up compares some twenty texts, and a
    million folded texts would need more memory than the texts themselves.
    """

    __slots__ = ("order", "texts", "words")

    def __init__(self, texts: Sequence[str]) -> None:
        self.texts = texts
        keys = [folded(text) for text in texts]
        self.order = array("I", sorted(range(len(keys)), key=keys.__getitem__))
        # Freed before the words need as much memory.
        del keys
        places, rests = array("Q"), []
        for at, text in enumerate(texts):
            key = folded(text)
            rest = key if key.isalnum() else spaced(key).partition(" ")[2]
            while rest is not key and rest:
                # The rest after a word start is found again by its length.
                places.append(at << SHIFT | len(rest))
                rests.append(rest)
                rest = rest.partition(" ")[2]
        self.words = array("Q", [places[at] for at in sorted(range(len(rests)), key=rests.__getitem__)])

    def key(self, at: int) -> str:
        return folded(self.texts[at])

    def word(self, code: int) -> str:
        """Return the text from a word start on."""
        key = spaced(folded(self.texts[code >> SHIFT]))
        return key[len(key) - (code & MASK) :]

    def exact(self, key: str) -> Sequence[int]:
        low = bisect_left(self.order, key, key=self.key)
        return self.order[low : bisect_right(self.order, key, low, key=self.key)]

    def find(self, text: str, most: int) -> list[int]:
        """Return positions for typed text, in the order of `Choices.ahead`."""
        key = folded(text)
        found = dict.fromkeys(self._run(key, most))
        if len(found) > 1:
            # If several texts fold to the same key, the one typed exactly comes first.
            found = dict.fromkeys([*(at for at in found if self.texts[at] == text), *found])
        wanted = spaced(key)
        low = bisect_left(self.words, wanted, key=self.word)
        while len(found) < most and low < len(self.words) and self.word(self.words[low]).startswith(wanted):
            found[self.words[low] >> SHIFT] = None
            low += 1
        return list(found)

    def _run(self, key: str, most: int) -> list[int]:
        low = bisect_left(self.order, key, key=self.key)
        high = min(low + most, bisect_left(self.order, key + HIGHEST, low, key=self.key))
        return self.order[low:high].tolist()


SHIFT: Final = 32
MASK: Final = (1 << SHIFT) - 1


def spaced(key: str) -> str:
    """Return folded text with spaces for everything but letters and digits."""
    return key if key.replace(" ", "").isalnum() else NO_WORD.sub(" ", key)


def folded(text: str) -> str:
    """Return text without case and accents, for comparing."""
    if text.isascii():
        return text.lower()
    parts = unicodedata.normalize("NFKD", text.casefold())
    return "".join(part for part in parts if not unicodedata.combining(part))


def choices_of(given: Any) -> Choices[Any]:
    """Return what was declared as choices, or returned by a rule, as `Choices`.

    `given`: items, (value, text) pairs, a mapping of value to text, or an Enum. A mapping to anything but text gives its
    keys. An Enum's members are shown by their values if these are text, or by their names. None means an empty list.
    """
    if isinstance(given, Choices):
        return given
    if given is None:
        return Choices()
    if isinstance(given, EnumMeta):
        return Choices(tuple(given), [enum_text(member) for member in given])  # type: ignore[var-annotated]
    if isinstance(given, Mapping):
        texts = [shown for shown in given.values() if isinstance(shown, str)]
        return Choices(tuple(given), texts if len(texts) == len(given) else None)
    items = tuple(given)
    if items and all(item.__class__ is tuple and len(item) == 2 and isinstance(item[1], str) for item in items):
        return Choices(tuple(held for held, _ in items), [shown for _, shown in items])
    return Choices(items)


def enum_text(member: Enum) -> str:
    """Return the text of an Enum member."""
    return member.value if isinstance(member.value, str) else member.name.replace("_", " ").capitalize()
