"""The choices of a control: a shared sequence with the text of each item.

Indexes are built on first use: positions for look-ups, sorted keys for typing ahead.
"""

from __future__ import annotations

import re
import unicodedata
from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Generator, Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from enum import Enum, EnumMeta
from typing import TYPE_CHECKING, Any, Final, Generic, TypeAlias, TypeVar, overload

from fuselatch.core.model.record_changes import Record
from fuselatch.core.model.values import Value, as_key, same, short

if TYPE_CHECKING:
    from typing_extensions import TypeVar as WithDefault

    T = WithDefault("T", default=Any)
else:
    T = TypeVar("T")

Fold: TypeAlias = Callable[[str], str]
"""A function that returns text as it is compared, to find it."""
AHEAD: Final = 50
"""The most items that typing ahead returns."""
COUNTED: Final = 1_000
"""How many matches are counted."""
HIGHEST: Final = "\U0010ffff"
NO_WORD: Final = re.compile(r"[\W_]")


class Choices(Sequence[T], Generic[T]):
    """The choices of a control, in order. Equal to any list or tuple of equal items.

    `items`: the values. `texts`: their texts (default: `str()`). `row`: returns the row at a position, for tables.
    """

    __slots__ = ("_ahead", "_items", "_making", "_places", "_row", "_texts")

    def __init__(
        self,
        items: Iterable[T] = (),
        texts: Sequence[str] | None = None,
        row: Callable[[int], Record] | None = None,
    ) -> None:
        self._items: Sequence[T] = items if isinstance(items, tuple) else tuple(items)
        # Made here, so that an item that can't be shown fails where the list is set.
        self._texts: Sequence[str] = texts_of(self._items) if texts is None else texts
        self._row = row
        self._places: dict[Any, int] | None = None
        # For each fold that lists are searched with: the index for typing ahead, and the one that is being made.
        self._ahead: dict[Fold, Ahead] = {}
        self._making: dict[Fold, Making] = {}

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
        """Return an item's zero-based position, or None if it isn't offered: 1, 1.0 and True are different items."""
        at = self._equal_at(item)
        if at is None or same(self._items[at], item):
            return at
        return next((at for at, one in enumerate(self._items) if same(one, item)), None)

    def equal(self, item: object, default: object = None) -> Value:
        """Return the item that is equal, of the same class if there is one; `default` if none is."""
        at = self.position(item)
        at = self._equal_at(item) if at is None else at
        return default if at is None else self._items[at]

    def _equal_at(self, item: object) -> int | None:
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
            if self is other:
                return True
            alike = self._items == other._items and (self._texts is other._texts or [*self._texts] == [*other._texts])
            return alike and self._row is other._row and same_classes(self._items, other._items)
        if isinstance(other, list | tuple):
            return tuple(self._items) == tuple(other)
        return NotImplemented

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return repr(list(self._items))

    def text(self, item: object) -> str:
        """Return an item's text."""
        at = self.position(item)
        return str(item) if at is None else self._texts[at]

    @property
    def texts(self) -> Sequence[str]:
        """The items' texts, in order."""
        return self._texts

    def row(self, at: int) -> Record:
        """Return the row of the item at a position."""
        if self._row is None:
            raise TypeError("these choices aren't rows")
        return self._row(at)

    def shown(self, start: int = 0, stop: int | None = None) -> list[str]:
        """Return the items' texts, in order, or a part of them."""
        return list(self._texts[start:stop])

    def find(self, text: str, fold: Fold | None = None) -> list[T]:
        """Return the items with a text: exact ones, or those that `fold` makes equal (default: without case and accents)."""
        texts, fold = self._texts, fold or folded
        if len(texts) > AHEAD or fold in self._ahead:
            near = self.ahead_index(fold).exact(fold(text))
        else:
            wanted = fold(text)
            near = [at for at, shown in enumerate(texts) if fold(shown) == wanted]
        # Two items may differ only in case: the one typed exactly wins.
        exact = [at for at in near if texts[at] == text]
        return [self._items[at] for at in sorted(exact or near)]

    def ahead(self, text: str, most: int = AHEAD, fold: Fold | None = None) -> list[T]:
        """Return the items that typed text may mean.

        Exact matches come first, then items that start with it, then items with a word that does.
        """
        return [self._items[at] for at in self.ahead_index(fold).find(text.strip(), most)]

    def ahead_index(self, fold: Fold | None = None) -> Ahead:
        """Return the sorted keys for typing ahead, built on first use."""
        fold = fold or folded
        while not self.is_indexed(fold):
            self.index_some(len(self._texts) or 1, fold)
        return self._ahead[fold]

    def is_indexed(self, fold: Fold | None = None) -> bool:
        """Return True if the index for typing ahead is there."""
        return (fold or folded) in self._ahead

    def index_some(self, items: int, fold: Fold | None = None) -> bool:
        """Work on the index for typing ahead, on about so many items; return True if more is left to do.

        What is found doesn't depend on how the work was cut.
        """
        fold = fold or folded
        if fold in self._ahead:
            return False
        if fold not in self._making:
            self._making[fold] = Making(self._texts, fold)
        made = self._making[fold].some(items)
        if made is None:
            return True
        self._ahead[fold] = made
        del self._making[fold]
        return False


def same_classes(items: Sequence[object], others: Sequence[object]) -> bool:
    """Return True if items that are equal are also of the same classes."""
    kinds = [*map(type, items)]
    return kinds == [*map(type, others)] and (tuple not in kinds or all(map(same, items, others)))


def texts_of(items: Sequence[Value]) -> Sequence[str]:
    """Return the texts of items: themselves, if all are texts."""
    return items if set(map(type, items)) <= {str} else [str(item) for item in items]


class Making:
    """An index for typing ahead that is made in parts.

    Sorting a million texts at once takes seconds. So the texts are first dealt out to buckets, whose bounds are taken from a
    sample; then one bucket after the other is sorted. Together that is the same order as sorting all of them.
    """

    __slots__ = ("fold", "steps", "texts")

    def __init__(self, texts: Sequence[str], fold: Fold) -> None:
        self.texts = texts
        self.fold = fold
        self.steps = self._steps()
        # Runs to the first `yield`, which takes the size of a part.
        next(self.steps)

    def some(self, items: int) -> Ahead | None:
        """Go on for about so many items; return the index when it is finished."""
        return self.steps.send(max(1, items))

    def _steps(self) -> Generator[Ahead | None, int, None]:
        texts, fold = self.texts, self.fold
        room = yield None
        step = max(1, len(texts) // SAMPLE)
        # Made at once, one bucket is quickest.
        some = texts[::step] if room < len(texts) else ()
        by_text = bounds_of(map(fold, some), len(texts))
        by_word = bounds_of((word for text in some for word in words_of(fold(text))), len(texts))
        # Only positions are kept, and texts folded again where they are sorted: that needs far less memory.
        of_texts = [array("I") for _ in range(len(by_text) + 1)]
        of_words = [array("Q") for _ in range(len(by_word) + 1)]
        for at, text in enumerate(texts):
            key = fold(text)
            of_texts[bisect_right(by_text, key)].append(at)
            for rest in words_of(key):
                # The rest after a word start is found again by its length.
                of_words[bisect_right(by_word, rest)].append(at << SHIFT | len(rest))
            room -= 1
            if room <= 0:
                room = yield None
        made = Ahead(texts, array("I"), array("Q"), fold)
        for buckets, places, key_of in ((of_texts, made.order, made.key), (of_words, made.words, made.word)):
            for bucket in buckets:
                keys: list[str] = []
                while len(keys) < len(bucket):
                    # Many equal texts are all in one bucket, so that it may be far larger than a part.
                    part = bucket[len(keys) : len(keys) + room]
                    keys.extend(map(key_of, part))
                    room -= len(part)
                    if room <= 0:
                        room = yield None
                places.extend(map(bucket.__getitem__, sorted(range(len(keys)), key=keys.__getitem__)))
        yield made


def words_of(key: str) -> Iterator[str]:
    """Yield the rest of a folded text from each word on, but the first."""
    rest = "" if key.isalnum() else spaced(key).partition(" ")[2]
    while rest:
        yield rest
        rest = rest.partition(" ")[2]


def bounds_of(keys: Iterable[str], count: int) -> list[str]:
    """Return bounds between buckets, from a sample of their keys."""
    sample = sorted(keys)
    return sample[:: max(1, len(sample) * BUCKET // max(1, count))]


SAMPLE: Final = 4096
BUCKET: Final = 16_000


class Ahead:
    """Sorted texts and words, for looking up by bisection.

    Only positions are stored, and texts are folded again for each comparison. A look-up compares some twenty texts, and a
    million folded texts would need more memory than the texts themselves.
    """

    __slots__ = ("counted", "fold", "found", "order", "texts", "words")

    def __init__(self, texts: Sequence[str], order: array[int], words: array[int], fold: Fold) -> None:
        self.texts = texts
        self.fold = fold
        self.order = order
        self.words = words
        # The last answers: at a keystroke the list, its view and its keys ask the same.
        self.found: tuple[str, int, tuple[int, ...]] = ("", 0, ())
        self.counted: tuple[str, int] = ("", 0)

    def key(self, at: int) -> str:
        key: str = self.fold(self.texts[at])
        return key

    def word(self, code: int) -> str:
        """Return the text from a word start on."""
        key = spaced(self.fold(self.texts[code >> SHIFT]))
        return key[len(key) - (code & MASK) :]

    def exact(self, key: str) -> Sequence[int]:
        low = bisect_left(self.order, key, key=self.key)
        return self.order[low : bisect_right(self.order, key, low, key=self.key)]

    def find(self, text: str, most: int) -> tuple[int, ...]:
        """Return positions for typed text, in the order of `Choices.ahead`."""
        if self.found[:2] == (text, most):
            return self.found[2]
        key = self.fold(text)
        positions = dict.fromkeys(self._run(key, most))
        if len(positions) > 1:
            # If several texts fold to the same key, the one typed exactly comes first.
            positions = dict.fromkeys([*(at for at in positions if self.texts[at] == text), *positions])
        low, high = self._words_of(key)
        while len(positions) < most and low < high:
            positions[self.words[low] >> SHIFT] = None
            low += 1
        self.found = text, most, tuple(positions)
        return self.found[2]

    def count(self, text: str) -> int:
        """Return how many items typed text may mean; at most `COUNTED`."""
        if text and self.counted[0] == text:
            return self.counted[1]
        key = self.fold(text)
        low, high = self._words_of(key)
        positions = {code >> SHIFT for code in self.words[low : min(high, low + COUNTED)]}
        positions.update(self._run(key, COUNTED))
        self.counted = text, min(len(positions), COUNTED)
        return self.counted[1]

    def _words_of(self, key: str) -> tuple[int, int]:
        wanted = spaced(key)
        low = bisect_left(self.words, wanted, key=self.word)
        return low, bisect_left(self.words, wanted + HIGHEST, low, key=self.word)

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


def choices_of(given: Any) -> Choices:
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
    if isinstance(given, set | frozenset):
        raise TypeError("a set has no order; use a tuple or a list, for example sorted(…)")
    items = tuple(given)
    if items and all(item.__class__ is tuple and len(item) == 2 and isinstance(item[1], str) for item in items):
        must_differ(items)
        return Choices(tuple(held for held, _ in items), [shown for _, shown in items])
    return Choices(items)


def must_differ(pairs: Sequence[tuple[Any, str]]) -> None:
    """Refuse a value that has two texts: who picks the second would get the first."""
    known: dict[object, str] = {}
    for value, text in pairs:
        try:
            before = known.setdefault(as_key(value), text)
        except TypeError:
            # Such a value can't be looked up at all.
            continue
        if before != text:
            raise ValueError(
                f"the value {short(value)} has two texts, '{before}' and '{text}'; give each text its own value"
            )


def enum_text(member: Enum) -> str:
    """Return the text of an Enum member."""
    return member.value if isinstance(member.value, str) else member.name.replace("_", " ").capitalize()


# ---- ids of items


def item_id(choices: Choices, at: int) -> str:
    """Return the id of an item: made from its value, or else its position."""
    value = choices[at]
    if isinstance(value, Enum):
        return f"e{value.name}"
    mark = MARKS.get(type(value))
    if mark is None or len(mark_and_value := f"{mark}{value}") > LONGEST_ID:
        return f"#{at}"
    return mark_and_value


MARKS: Final = {str: "=", int: "i", float: "f", bool: "b", Decimal: "d", date: "t", time: "c", datetime: "m"}
LONGEST_ID: Final = 200


def position_of_id(choices: Choices, item: str) -> int | None:
    """Return the position of an item by its id, or None if the list doesn't have it."""
    if item[:1] == "#":
        at = int(item[1:]) if item[1:].isdecimal() else len(choices)
        return at if at < len(choices) and item_id(choices, at) == item else None
    if item[:1] == "=":
        return choices.position(item[1:])
    try:
        read = READ[item[:1]](item[1:])
    except (KeyError, ValueError, ArithmeticError):
        return next((at for at, value in enumerate(choices) if item_id(choices, at) == item), None)
    return choices.position(read)


READ: Final[Any] = {
    "i": int,
    "f": float,
    "b": {"True": True, "False": False}.__getitem__,
    "d": Decimal,
    "t": date.fromisoformat,
    "c": time.fromisoformat,
    "m": datetime.fromisoformat,
}


def fold_of(formats: object) -> Fold:
    """Return the fold of a session's formats; `folded` if they have none."""
    fold: Fold = getattr(formats, "fold", folded)
    return fold
