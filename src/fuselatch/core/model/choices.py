"""The choices of a control: a shared sequence with the text of each item.

Two indexes make long lists quick: positions of items, and sorted keys for typing ahead (`typing_ahead`). They are made in
parts while the user does nothing; until then all items are looked at, which finds the same.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from enum import Enum, EnumMeta
from typing import TYPE_CHECKING, Any, Final, Generic, TypeVar, overload

from fuselatch.core.model.record_changes import Record
from fuselatch.core.model.typing_ahead import Ahead, Fold, Making, Places, Scan, folded
from fuselatch.core.model.values import Value, as_key, same, short

if TYPE_CHECKING:
    from typing_extensions import TypeVar as WithDefault

    T = WithDefault("T", default=Any)
else:
    T = TypeVar("T")

AHEAD: Final = 50
"""The most items that typing ahead returns."""
AT_ONCE: Final = 20_000
"""Up to so many items, an index is made as soon as it is needed."""
FEW_ASKED: Final = 30
"""How often an item of a long list is looked for before the positions of all are noted at once."""


class Choices(Sequence[T], Generic[T]):
    """The choices of a control, in order. Equal to any list or tuple of equal items.

    `items`: the values. `texts`: their texts (default: `str()`). `row`: returns the row at a position, for tables.
    """

    __slots__ = ("_ahead", "_asked", "_items", "_making", "_places", "_row", "_scans", "_texts")

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
        # The positions of the items (None: they can't be looked up), and how often one was looked for before all were noted.
        self._places: Places | None = Places(len(self._items))
        self._asked = 0
        # For each fold that lists are searched with: the index for typing ahead, the one that is being made, and what looks
        # at all texts until then.
        self._ahead: dict[Fold, Ahead] = {}
        self._making: dict[Fold, Making] = {}
        self._scans: dict[Fold, Scan] = {}

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
        if places is not None and places.left > 0:
            self._asked += 1
            if len(self._items) > AT_ONCE and self._asked <= FEW_ASKED:
                return first_of(self._items, item)
            self._note_some(len(self._items))
            places = self._places
        if places is None:
            return first_of(self._items, item)
        try:
            return places.of(item)
        except TypeError:
            return None

    def _note_some(self, count: int) -> None:
        """Note the positions of so many more items."""
        assert self._places is not None, "asked for only where there are any to note"
        try:
            self._places.note(self._items, count)
        except TypeError:
            self._places = None

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

    def ahead_index(self, fold: Fold | None = None) -> Ahead | Scan:
        """Return what finds items for typing ahead: the index, or of a long list without one what looks at all its texts."""
        fold = fold or folded
        index = self._ahead.get(fold)
        if index is not None:
            return index
        if len(self._texts) > AT_ONCE:
            return self._scans.setdefault(fold, Scan(self._texts, fold))
        while self.index_some(AT_ONCE, fold):
            pass
        return self._ahead[fold]

    def is_indexed(self, fold: Fold | None = None) -> bool:
        """Return True if nothing is left to do for typing ahead."""
        return (fold or folded) in self._ahead and (self._places is None or self._places.left <= 0)

    def index_some(self, items: int, fold: Fold | None = None) -> bool:
        """Work on the indexes, on about so many items; return True if more is left to do.

        What is found doesn't depend on how the work was cut.
        """
        fold = fold or folded
        if self._places is not None and self._places.left > 0:
            self._note_some(items)
            return not self.is_indexed(fold)
        if fold in self._ahead:
            return False
        if fold not in self._making:
            self._making[fold] = Making(self._texts, fold)
        made = self._making[fold].some(items)
        if made is None:
            return True
        self._ahead[fold] = made
        del self._making[fold]
        self._scans.pop(fold, None)
        return False


def first_of(items: Sequence[object], item: object) -> int | None:
    """Return the position of the first item that is equal, or None."""
    try:
        return items.index(item)
    except ValueError:
        return None


def same_classes(items: Sequence[object], others: Sequence[object]) -> bool:
    """Return True if items that are equal are also of the same classes."""
    kinds = [*map(type, items)]
    return kinds == [*map(type, others)] and (tuple not in kinds or all(map(same, items, others)))


def texts_of(items: Sequence[Value]) -> Sequence[str]:
    """Return the texts of items: themselves, if all are texts."""
    return items if set(map(type, items)) <= {str} else [str(item) for item in items]


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
