"""The controls that hold a value, named for what they hold."""

from __future__ import annotations

import re
from datetime import date, time
from decimal import Decimal
from typing import Any, Final, Generic, TypeVar, Unpack

from fuselatch.core.forms.controls import LiveEntry, LiveRange
from fuselatch.core.forms.declarations import Entry, EntryOptions, Source
from fuselatch.core.forms.defaults import LastEntered
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.formats import Formats, PlainFormats
from fuselatch.core.model.names import suggest
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import (
    ROUNDING,
    Unparsable,
    parse_number,
    rounded,
    short_text,
    to_bool,
    to_date,
    to_decimal,
    to_float,
    to_int,
    to_text,
    to_time,
)

T = TypeVar("T")
V = TypeVar("V")
G = TypeVar("G")

BOUNDS: Final[dict[str, Any]] = {"value": None, "default": None, "minimum": None, "maximum": None}
PLAIN: Final = PlainFormats()


class BoundOptions(EntryOptions, Generic[V], total=False):
    """What can be declared besides of a value that has an order; the bounds themselves are allowed."""

    value: Rule[V | None] | Rule[V]
    default: V | Rule[V] | Rule[V | None] | None
    minimum: V | Rule[V] | Rule[V | None] | None
    maximum: V | Rule[V] | Rule[V | None] | None
    unit: str


class Text(Entry[LiveEntry[str, str], str, str]):
    """A text (str; blank is ""). `min_length` and `max_length` count characters.

    `pattern` is a regular expression that must be found in the text (JSON Schema's meaning: anchor
    it with ^ and $ to have it match the whole); `example` is a right entry, for the message. Looks:
    multi-line, password (masked everywhere, the trace included).
    """

    kind = "text"
    as_is = str
    of_record = str
    live = LiveEntry
    looks = ("multi-line", "password")
    typed = Source("typed")

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        value: Rule[str] | None = None,
        default: str | Rule[str] = "",
        min_length: int = 0,
        max_length: int | None = None,
        pattern: str | None = None,
        example: str = "",
        **options: Unpack[EntryOptions],
    ) -> None:
        super().__init__(caption, options, value=value, default=default)
        self.min_length = min_length
        self.max_length = max_length
        self.example = example
        if max_length is not None and min_length > max_length:
            raise DeclarationError(f"Text({caption!r}): min_length {min_length} is greater than max_length {max_length}")
        try:
            self.pattern = re.compile(pattern) if pattern is not None else None
        except re.error as error:
            raise DeclarationError(
                f"Text({caption!r}): pattern {pattern!r} isn't a valid regular expression: {error}"
            ) from None

    @property
    def blank(self) -> str:
        """The empty text."""
        return ""

    def coerce(self, value: object) -> str:
        """Exactly a str."""
        return to_text(value)

    def parse(self, text: str, live: Any, formats: Formats) -> str:
        """The text itself."""
        return text

    def has_rules(self) -> bool:
        """Whether any declared rule has something to say about the value."""
        return bool(self.min_length or self.max_length is not None or self.pattern or super().has_rules())

    def judge(self, live: Any, value: str, formats: Formats) -> list[Finding]:
        """`required`, `min_length`, `max_length`, `pattern`; the last three as in JSON Schema, where not blank."""
        found = super().judge(live, value, formats)
        length = len(value)
        if value and length < self.min_length:
            found.append(Finding(user_text("min_length", length=length, limit=self.min_length), rule="min_length"))
        if self.max_length is not None and length > self.max_length:
            found.append(Finding(user_text("max_length", length=length, limit=self.max_length), rule="max_length"))
        if value and self.pattern is not None and not self.pattern.search(value):
            which = "pattern.example" if self.example else "pattern"
            found.append(Finding(user_text(which, text=short_text(value), example=self.example), rule="pattern"))
        return found


class Bounded(Entry[LiveRange[V | None, V], V | None, V], Generic[V]):
    """A value that has an order, with bounds that are themselves allowed, as in JSON Schema."""

    live = LiveRange
    rule_words = ("required", "minimum", "maximum")
    options = frozenset(BoundOptions.__annotations__)
    typed = Source("typed")
    bound_texts = "number"
    """Which texts of its bounds are shown: those of numbers, or of times."""

    def __init__(self, caption: str | Rule[str] = "", **options: Unpack[BoundOptions[V]]) -> None:
        self.unit = options.pop("unit", type(self).unit)
        super().__init__(caption, {**BOUNDS, **options})
        for name in ("minimum", "maximum", "default"):
            if name in self.constants:
                self.constants[name] = self._constant(name, self.constants[name])
        least, most = self.constants.get("minimum"), self.constants.get("maximum")
        if least is not None and most is not None and least > most:
            raise DeclarationError(f"{type(self).__name__}({caption!r}): minimum {least} is greater than maximum {most}")

    def _constant(self, name: str, value: object) -> object:
        if isinstance(value, LastEntered):
            first = value.first
            return value if first is None or callable(first) else LastEntered(self._constant(name, first))
        try:
            return self.coerce(value)
        except TypeError as error:
            raise DeclarationError(f"{type(self).__name__}({self.constants['caption']!r}): {name}: {error}") from None

    def with_unit(self, value: V, formats: Formats) -> str:
        """The value as a message names it."""
        text = self.show(value, formats)
        return f"{text} {self.unit}" if self.unit else text

    def judge(self, live: Any, value: Any, formats: Formats) -> list[Finding]:
        """`required`, `minimum`, `maximum`."""
        if value is None:
            return super().judge(live, value, formats)
        found: list[Finding] = []
        if live._cells is None and live._set is None:
            least, most = self.constants["minimum"], self.constants["maximum"]
        else:
            least, most = live.minimum, live.maximum
        if least is not None and value < least:
            found.append(self.out_of_bounds("minimum", value, least, formats))
        if most is not None and value > most:
            found.append(self.out_of_bounds("maximum", value, most, formats))
        return found

    def out_of_bounds(self, rule: str, value: V, limit: V, formats: Formats) -> Finding:
        """Return the finding for a value beyond a bound."""
        given, allowed = self.with_unit(value, formats), self.with_unit(limit, formats)
        return Finding(user_text(f"{rule}.{self.bound_texts}", value=given, limit=allowed), rule=rule)


class Numeric(Bounded[V], Generic[V]):
    """A number of some type, with at most `decimals` places."""

    such_as = Decimal("12.5")
    decimals: int | None = None

    def parse(self, text: str, live: Any, formats: Formats) -> V:
        """A number with at most `decimals` places."""

        def wrong() -> str:
            example = formats.show_number(self.such_as, self.decimals)
            return user_text(f"parse.{self.kind}", text=short_text(text), example=example)

        return self.of_number(parse_number(text, formats, wrong, self.decimals))

    def of_number(self, number: Decimal) -> V:
        """A parsed number as the type that the control holds."""
        raise NotImplementedError

    def show(self, value: Any, formats: Formats) -> str:
        """The number with `decimals` places, without its unit."""
        return formats.show_number(value, self.decimals)


class Number(Numeric[float]):
    """A number (float). `decimals` is what may be typed and is shown; more is a finding, never cut."""

    kind = "number"
    as_is = float
    of_record = float

    def __init__(
        self, caption: str | Rule[str] = "", *, decimals: int | None = None, **options: Unpack[BoundOptions[float]]
    ) -> None:
        self.decimals = decimals
        super().__init__(caption, **options)

    def coerce(self, value: object) -> float | None:
        """Exactly a float."""
        return to_float(value)

    def of_number(self, number: Decimal) -> float:
        """The nearest float."""
        return float(number)


class Percent(Number):
    """A share (float): a person types 10, or 10 %, and it holds 0.10. `decimals` are those of the percentage."""

    kind = "percent"
    unit = "%"

    def parse(self, text: str, live: Any, formats: Formats) -> float:
        """A percentage with at most `decimals` places, with or without its sign."""
        return super().parse(text.removesuffix("%").rstrip(), live, formats)

    def of_number(self, number: Decimal) -> float:
        """A hundredth of it."""
        return float(number / 100)

    def show(self, value: float, formats: Formats) -> str:
        """A hundred times the share."""
        return formats.show_number(Decimal(repr(value)) * 100, self.decimals)


class Integer(Numeric[int]):
    """A whole number (int)."""

    kind = "integer"
    as_is = int
    of_record = int
    such_as = Decimal(12)
    decimals = 0

    def coerce(self, value: object) -> int | None:
        """Exactly an int."""
        return to_int(value)

    def of_number(self, number: Decimal) -> int:
        """The int that it is: a whole number has no decimals."""
        return int(number)

    def show(self, value: int, formats: Formats) -> str:
        """All its digits."""
        return formats.show_number(Decimal(value), 0)


class Money(Numeric[Decimal]):
    """An amount of money (Decimal) in `unit`, with `decimals` places.

    An amount that a program sets is rounded by the rule `rounding` (one of half-up, half-even,
    down, up); a typed one with more decimals is a finding.
    """

    kind = "money"
    of_record = Decimal
    decimals: int

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        decimals: int = 2,
        rounding: str = "half-up",
        **options: Unpack[BoundOptions[Decimal]],
    ) -> None:
        if rounding not in ROUNDING:
            raise DeclarationError(f"Money({caption!r}): unknown rounding '{rounding}'; {suggest(rounding, ROUNDING)}")
        self.decimals = decimals
        self.rounding = rounding
        super().__init__(caption, **options)

    def coerce(self, value: object) -> Decimal | None:
        """Exactly a Decimal with `decimals` places."""
        amount = to_decimal(value)
        return None if amount is None else rounded(amount, self.decimals, self.rounding)

    def of_number(self, number: Decimal) -> Decimal:
        """The amount with all its places."""
        return rounded(number, self.decimals, self.rounding)


class Timed(Bounded[V], Generic[V]):
    """A day or a time of day. ISO 8601 is always taken, besides what the session's locale writes."""

    bound_texts = "time"
    right: Any
    """A value to show in messages as an example."""

    def parse(self, text: str, live: Any, formats: Formats) -> V:
        """A value as the locale writes it, or as in ISO 8601."""
        found = self.read(text, formats)
        if found is None:
            example = such_as(self.show(self.right, formats), self.show(self.right, PLAIN))
            raise Unparsable(user_text(f"parse.{self.kind}", text=short_text(text), example=example))
        return found

    def read(self, text: str, formats: Formats) -> V | None:
        """The value that a text stands for, or None."""
        raise NotImplementedError


class Date(Timed[date]):
    """A day (datetime.date). ISO 8601 is always taken, besides what the session's locale writes."""

    kind = "date"
    of_record = date
    right = date(2031, 5, 4)

    def coerce(self, value: object) -> date | None:
        """Exactly a date."""
        return to_date(value)

    def read(self, text: str, formats: Formats) -> date | None:
        """The date that a text stands for, or None."""
        return formats.parse_date(text)

    def show(self, value: date, formats: Formats) -> str:
        """The date as the locale writes it."""
        return formats.show_date(value)


class Time(Timed[time]):
    """A time of day (datetime.time). ISO 8601 is always taken, besides what the session's locale writes."""

    kind = "time"
    of_record = time
    right = time(9, 30)

    def coerce(self, value: object) -> time | None:
        """Exactly a time of day."""
        return to_time(value)

    def read(self, text: str, formats: Formats) -> time | None:
        """The time that a text stands for, or None."""
        return formats.parse_time(text)

    def show(self, value: time, formats: Formats) -> str:
        """The time as the locale writes it."""
        return formats.show_time(value)


def such_as(local: str, iso: str) -> str:
    """An example in the session's locale, and as ISO 8601 where that differs."""
    return local if local == iso else user_text("parse.either", local=local, iso=iso)


class Tick(Entry[LiveEntry[bool, bool], bool, bool]):
    """A box to tick (bool); starts False and is never blank. `required` means ticked."""

    kind = "tick"
    as_is = bool
    of_record = bool
    live = LiveEntry
    needed = "required.tick"

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        value: Rule[bool] | None = None,
        default: bool | Rule[bool] = False,
        **options: Unpack[EntryOptions],
    ) -> None:
        super().__init__(caption, options, value=value, default=default)

    @property
    def blank(self) -> bool:
        """What it starts as."""
        return False

    def coerce(self, value: object) -> bool:
        """Exactly a bool; None starts it anew."""
        return False if value is None else to_bool(value)

    def show(self, value: bool, formats: Formats) -> str:
        """yes or no."""
        return "yes" if value else "no"
