"""Texts that a regular expression finds, for samples: short ones, and those with a little more."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any, Final

LETTERS: Final = "aA0 -_.,:;/@#+*'\"()!?é"
"""Characters that are tried, in this order, where a pattern takes any of many."""
PARSER: Final[Any] = vars(re)["_parser"]
"""The standard library's reader of patterns, which it doesn't name for others."""
MOST: Final = 400
"""Longer texts aren't made."""


def texts_found(pattern: re.Pattern[str]) -> Iterator[str]:
    """Yield texts that a pattern finds: of several ways the first, then the last; as few repeats as it takes, then one more.

    Yields none for a pattern that can't be satisfied so, as some that look ahead.
    """
    tree = PARSER.parse(pattern.pattern, pattern.flags)
    seen = set()
    for way in (0, -1):
        for more in (0, 1):
            text = Writing(way, more).of(tree)
            if text not in seen and len(text) <= MOST and pattern.search(text):
                seen.add(text)
                yield text


class Writing:
    """Writes a text for a pattern that is read. `way`: which of several ways; `more`: how many repeats above the fewest."""

    def __init__(self, way: int, more: int) -> None:
        self.way = way
        self.more = more
        self.groups: dict[int, str] = {}

    def of(self, tree: Any) -> str:
        """Return a text for a part of the pattern."""
        return "".join([self.one(str(kind), told) for kind, told in tree])

    def one(self, kind: str, told: Any) -> str:
        """Return a text for one element."""
        if kind == "LITERAL":
            return chr(told)
        if kind in ("NOT_LITERAL", "IN", "ANY"):
            items = told if kind == "IN" else [("NEGATE", None)] if kind == "ANY" else [("NEGATE", None), ("LITERAL", told)]
            return self.letter([(str(each), more) for each, more in items])
        if kind == "BRANCH":
            return self.of(told[1][self.way])
        if kind == "SUBPATTERN":
            number, _, _, inner = told
            self.groups[number] = text = self.of(inner)
            return text
        if kind == "GROUPREF":
            return self.groups.get(told, "")
        if kind.endswith("_REPEAT"):
            fewest, most, inner = told
            # Repeats within repeats stay short: what is longer isn't yielded anyway.
            times: int = min(fewest + self.more, int(most), MOST + 1)
            return (self.of(inner) * times)[: MOST + 1]
        return self.of(told) if kind == "ATOMIC_GROUP" else ""

    def letter(self, items: list[tuple[str, Any]]) -> str:
        """Return a character of a set: one that is usual, or else the first that the set names."""
        is_negated = items[:1] == [("NEGATE", None)]
        named = "".join([chr(told) if kind == "LITERAL" else chr(told[0]) for kind, told in items if kind in STARTS])
        usual = (each for each in LETTERS + named if any(is_in(each, item) for item in items) != is_negated)
        return next(usual, "")


STARTS: Final = ("LITERAL", "RANGE")


def is_in(letter: str, item: tuple[str, Any]) -> bool:
    """Return True if a character belongs to an element of a set."""
    kind, told = item
    if kind == "RANGE":
        return bool(told[0] <= ord(letter) <= told[1])
    if kind == "CATEGORY":
        name = str(told).removeprefix("CATEGORY_")
        belongs = CATEGORIES[name.removeprefix("NOT_")]
        return belongs(letter) != name.startswith("NOT_")
    return bool(kind == "LITERAL" and ord(letter) == told)


CATEGORIES: Final[dict[str, Callable[[str], bool]]] = {
    "DIGIT": str.isdigit,
    "SPACE": str.isspace,
    "WORD": lambda letter: letter.isalnum() or letter == "_",
}
