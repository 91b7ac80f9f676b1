"""A kind of control that no other file knows: one to five stars, entered by digits or by arrow keys."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar

from fuselatch.frontends import Formats
from fuselatch.kinds import Deed, Enter, FieldPart, InputControl, Keys, LiveInput, Raise, Raises, Settle, Unparsable

MOST = 5


def rate(live: Any, key: str) -> Iterator[Deed]:
    """Give one star more or less."""
    yield Settle()
    stars = max(1, min(MOST, (live.value or 0) + (1 if key == "Up" else -1)))
    yield Enter(stars, "rate")
    yield Raise("rated", stars)


class Stars(InputControl[LiveInput[int | None, int], int | None, int]):
    """A field for stars."""

    kind = "stars"
    named = "a field for stars"
    holds_a = "number"
    example = "3"
    json: ClassVar[dict[str, Any]] = {"type": "integer", "minimum": 1, "maximum": MOST}
    of_record = int
    typed = Raises("typed")
    rated = Raises("rated")

    def coerce(self, value: object) -> int | None:
        if value is None or (type(value) is int and 1 <= value <= MOST):
            return value
        raise TypeError(f"expected 1 to {MOST} stars, not {value!r}")

    def parse(self, text: str, live: Any, formats: Formats) -> int:
        count = int(text) if text.isdecimal() else text.count("★")
        if 1 <= count <= MOST:
            return count
        raise Unparsable(f"Not 1 to {MOST} stars: {text}")

    def show(self, value: int, formats: Formats) -> str:
        return "★" * value + "☆" * (MOST - value)

    def keys(self, live: Any) -> Keys:
        return KEYS

    def field(self, live: Any, formats: Formats) -> FieldPart:
        return super().field(live, formats)._replace(minimum="1", maximum=str(MOST))


KEYS = Keys({"Up": rate, "Down": rate})
