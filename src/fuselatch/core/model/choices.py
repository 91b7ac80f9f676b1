"""The choices of a control: a sequence that is shared, never copied, with what each item is shown as.

What costs is built when it is first needed: places when something is looked up, sorted keys when
somebody types. Both are as large as this list, whatever there is beside it.
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
"""How many items typing ahead gives at most."""
LAST: Final = "\U0010ffff"
NO_WORD: Final = re.compile(r"[\W_]")


class Choices(Sequence[T], Generic[T]):
    """What may be picked, in order. Equal to any list or tuple of equal items.

    Takes the items that are held, what each is shown as (by `str()` where nothing is given), and for those of a
    table what gives the row at a place.
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
        """Where an item stands, from 0; None where it is not offered."""
        places = self._places
        if places is None:
            try:
                items = self._items
                # From the end, so that of equal items the first is found.
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
        """What an item is shown as."""
        if self._texts is None:
            return str(item)
        at = self.position(item)
        return str(item) if at is None else self._texts[at]

    def row(self, at: int) -> Mapping[str, Any]:
        """The row that the item at a place stands for."""
        if self._row is None:
            raise TypeError("these choices aren't rows")
        return self._row(at)

    def shown(self, start: int = 0, stop: int | None = None) -> list[str]:
        """The texts that a person sees, in order; of a stretch only, where one is named."""
        return list(map(str, (self._items if self._texts is None else self._texts)[start:stop]))

    def find(self, text: str) -> list[T]:
        """The items shown as `text`: exact ones, else the same but for case and accents."""
        texts = self._items if self._texts is None else self._texts
        if len(texts) > AHEAD or self._ahead is not None:
            near = self.ahead_index.exact(folded(text))
        else:
            wanted = folded(text)
            near = [at for at, shown in enumerate(texts) if folded(str(shown)) == wanted]
        exact = [at for at in near if str(texts[at]) == text]
        return [self._items[at] for at in sorted(exact or near)]

    def ahead(self, text: str, most: int = AHEAD) -> list[T]:
        """The items that a typed text may mean: an exact match, then those that begin so, then those with such a word."""
        return [self._items[at] for at in self.ahead_index.find(text.strip(), most)]

    @property
    def ahead_index(self) -> Ahead:
        """The sorted keys of typing ahead, built when first needed."""
        if self._ahead is None:
            self._ahead = Ahead(self.shown())
        return self._ahead


class Ahead:
    """Texts in order of their folded form, and of the words in them, for looking up by bisection.

    Only places are kept, and texts folded anew where two are compared: a look-up compares some twenty,
    whereas a million folded texts would take more room than the texts themselves.
    """

    __slots__ = ("order", "texts", "words")

    def __init__(self, texts: Sequence[str]) -> None:
        self.texts = texts
        keys = [folded(text) for text in texts]
        self.order = array("I", sorted(range(len(keys)), key=keys.__getitem__))
        # Let go of before the words take as much room.
        del keys
        places, rests = array("Q"), []
        for at, text in enumerate(texts):
            key = folded(text)
            rest = key if key.isalnum() else spaced(key).partition(" ")[2]
            while rest is not key and rest:
                # What stands behind a word start is found again by how long it is.
                places.append(at << SHIFT | len(rest))
                rests.append(rest)
                rest = rest.partition(" ")[2]
        self.words = array("Q", [places[at] for at in sorted(range(len(rests)), key=rests.__getitem__)])

    def key(self, at: int) -> str:
        """The folded form of the text at a place."""
        return folded(self.texts[at])

    def word(self, code: int) -> str:
        """What stands behind a word start."""
        key = spaced(folded(self.texts[code >> SHIFT]))
        return key[len(key) - (code & MASK) :]

    def exact(self, key: str) -> Sequence[int]:
        """The places of texts that fold to just this."""
        low = bisect_left(self.order, key, key=self.key)
        return self.order[low : bisect_right(self.order, key, low, key=self.key)]

    def find(self, text: str, most: int) -> list[int]:
        """Places for a typed text: exact ones first, then those that begin so, then those with such a word."""
        key = folded(text)
        found = dict.fromkeys(self._run(key, most))
        if len(found) > 1:
            # Of those that fold alike, the one written just so comes first.
            found = dict.fromkeys([*(at for at in found if self.texts[at] == text), *found])
        wanted = spaced(key)
        low = bisect_left(self.words, wanted, key=self.word)
        while len(found) < most and low < len(self.words) and self.word(self.words[low]).startswith(wanted):
            found[self.words[low] >> SHIFT] = None
            low += 1
        return list(found)

    def _run(self, key: str, most: int) -> list[int]:
        low = bisect_left(self.order, key, key=self.key)
        high = min(low + most, bisect_left(self.order, key + LAST, low, key=self.key))
        return self.order[low:high].tolist()


SHIFT: Final = 32
MASK: Final = (1 << SHIFT) - 1


def spaced(key: str) -> str:
    """A folded text with each character that is neither letter nor digit as a space."""
    return key if key.replace(" ", "").isalnum() else NO_WORD.sub(" ", key)


def folded(text: str) -> str:
    """A text without case and accents, as typing ahead compares it."""
    if text.isascii():
        return text.lower()
    parts = unicodedata.normalize("NFKD", text.casefold())
    return "".join(part for part in parts if not unicodedata.combining(part))


def choices_of(given: Any) -> Choices[Any]:
    """Whatever choices were declared as, or a rule gives, as choices.

    Takes items, (held, shown) pairs, a mapping from what is held to the text that is shown (one to anything
    else gives its keys), or an Enum, shown by its members' values where these are text, else by their
    names. None is none.
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
    """What a member of an Enum is shown as."""
    return member.value if isinstance(member.value, str) else member.name.replace("_", " ").capitalize()
