"""The controls that hold a value, named for what they hold."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal
from typing import Any, Generic, TypeVar, Unpack

from fuselatch.core.forms.controls import LiveChoice, LiveEntry, LiveRange
from fuselatch.core.forms.declarations import Entry, EntryOptions, Source
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.formats import Formats
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import (
    ROUNDING,
    Unparsable,
    parse_number,
    rounded,
    short_text,
    to_bool,
    to_decimal,
    to_float,
    to_int,
    to_text,
)

T = TypeVar("T")
N = TypeVar("N", float, int, Decimal)
BOUNDS = {"value": None, "default": None, "minimum": None, "maximum": None}


class RangeOptions(EntryOptions, Generic[N], total=False):
    """What every number can be declared with besides; the bounds themselves are allowed."""

    value: Rule[N | None] | Rule[N]
    default: N | Rule[N] | None
    minimum: N | Rule[N] | None
    maximum: N | Rule[N] | None
    unit: str


class Text(Entry[LiveEntry[str, str], str, str]):
    """A line of text (str; blank is ""). `max_length` and `min_length` count characters."""

    kind = "text"
    typed = Source("typed")
    live = LiveEntry

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        value: Rule[str] | None = None,
        default: str | Rule[str] = "",
        min_length: int = 0,
        max_length: int | None = None,
        **options: Unpack[EntryOptions],
    ) -> None:
        super().__init__(caption, options, value=value, default=default)
        self.min_length = min_length
        self.max_length = max_length

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

    def judge(self, live: Any, value: str, formats: Formats) -> list[Finding]:
        """`required`, `min_length`, `max_length`, the last two as in JSON Schema."""
        found = super().judge(live, value, formats)
        length = len(value)
        if value and length < self.min_length:
            found.append(Finding(f"{length} characters are too few; at least {self.min_length}", rule="min_length"))
        if self.max_length is not None and length > self.max_length:
            found.append(Finding(f"{length} characters are too many; at most {self.max_length}", rule="max_length"))
        return found


class Ranged(Entry[LiveRange[N | None, N], N | None, N], Generic[N]):
    """A number of some type, with bounds that are themselves allowed, as in JSON Schema."""

    live = LiveRange
    options = frozenset(RangeOptions.__annotations__)
    typed = Source("typed")
    expected = "a number such as 12.5"
    decimals: int | None = None

    def __init__(
        self,
        caption: str | Rule[str] = "",
        **options: Unpack[RangeOptions[N]],
    ) -> None:
        self.unit = options.pop("unit", "")
        super().__init__(caption, {**BOUNDS, **options})
        for name in ("minimum", "maximum", "default"):
            if name in self.constants:
                self.constants[name] = self._constant(name, self.constants[name])

    def _constant(self, name: str, value: object) -> object:
        try:
            return self.coerce(value)
        except TypeError as error:
            raise DeclarationError(f"{type(self).__name__}({self.constants['caption']!r}): {name}: {error}") from None

    def parse(self, text: str, live: Any, formats: Formats) -> N | None:
        """A number with at most `decimals` places."""
        return self.of_number(parse_number(text, formats, self.expected, self.decimals))

    def of_number(self, number: Decimal) -> N | None:
        """A parsed number as the type that the control holds."""
        raise NotImplementedError

    def show(self, value: N, formats: Formats) -> str:
        """The number with `decimals` places, without its unit."""
        return formats.show_number(value, self.decimals)

    def with_unit(self, value: N, formats: Formats) -> str:
        """The number as a message names it."""
        text = self.show(value, formats)
        return f"{text} {self.unit}" if self.unit else text

    def judge(self, live: Any, value: N | None, formats: Formats) -> list[Finding]:
        """`required`, `minimum`, `maximum`."""
        found = super().judge(live, value, formats)
        if value is None:
            return found
        least, most = live.minimum, live.maximum
        if least is not None and value < least:
            text = f"{self.with_unit(value, formats)} is too small; at least {self.with_unit(least, formats)}"
            found.append(Finding(text, rule="minimum"))
        if most is not None and value > most:
            text = f"{self.with_unit(value, formats)} is too large; at most {self.with_unit(most, formats)}"
            found.append(Finding(text, rule="maximum"))
        return found


class Number(Ranged[float]):
    """A number (float). `decimals` is what may be typed and is shown; more is a finding, never cut."""

    kind = "number"

    def __init__(
        self, caption: str | Rule[str] = "", *, decimals: int | None = None, **options: Unpack[RangeOptions[float]]
    ) -> None:
        super().__init__(caption, **options)
        self.decimals = decimals

    def coerce(self, value: object) -> float | None:
        """Exactly a float."""
        return to_float(value)

    def of_number(self, number: Decimal) -> float:
        """The nearest float."""
        return float(number)


class Whole(Ranged[int]):
    """A whole number (int)."""

    kind = "whole"
    expected = "a whole number such as 12"
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


class Money(Ranged[Decimal]):
    """An amount of money (Decimal) in `unit`, with `decimals` places.

    An amount that a program sets is rounded by the rule `rounding` (one of half-up, half-even,
    down, up); a typed one with more decimals is a finding.
    """

    kind = "money"
    expected = "an amount such as 12.50"

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        decimals: int = 2,
        rounding: str = "half-up",
        **options: Unpack[RangeOptions[Decimal]],
    ) -> None:
        if rounding not in ROUNDING:
            raise DeclarationError(f"Money({caption!r}): there is no rounding '{rounding}'; {suggest(rounding, ROUNDING)}")
        self.decimals: int = decimals
        self.rounding = rounding
        super().__init__(caption, **options)

    def coerce(self, value: object) -> Decimal | None:
        """Exactly a Decimal with `decimals` places."""
        amount = to_decimal(value)
        return None if amount is None else rounded(amount, self.decimals, self.rounding)

    def of_number(self, number: Decimal) -> Decimal:
        """The amount with all its places."""
        return rounded(number, self.decimals, self.rounding)


class Tick(Entry[LiveEntry[bool, bool], bool, bool]):
    """A box to tick (bool); starts False and is never blank. `required` means ticked."""

    kind = "tick"
    live = LiveEntry
    needed = "a tick is needed"

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


class Choice(Entry[LiveChoice[T], T | None, T], Generic[T]):
    """One of several `choices`: a sequence, or a function of the form that gives one.

    It holds the item itself and shows it by `str()`. What it holds reads as blank as soon as it
    is no longer offered.
    """

    kind = "choice"
    typed = Source("typed")
    live = LiveChoice
    needed = "a choice is needed"

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        choices: Iterable[T] | Rule[Iterable[T]],
        value: Rule[T | None] | Rule[T] | None = None,
        default: T | Rule[T] | None = None,
        **options: Unpack[EntryOptions],
    ) -> None:
        super().__init__(caption, options, value=value, default=default, choices=choices)
        if "choices" in self.constants:
            if isinstance(choices, str) or not isinstance(choices, Iterable):
                raise DeclarationError(f"Choice({caption!r}): choices are a tuple or list of items, not {choices!r}")
            self.constants["choices"] = Choices(choices)

    def coerce(self, value: object) -> object:
        """The item itself: whether it is offered is seen when it is set."""
        return value

    def parse(self, text: str, live: Any, formats: Formats) -> T:
        """The one item with this text."""
        found: list[T] = live.choices.find(text)
        if len(found) == 1:
            return found[0]
        if found:
            raise Unparsable(f"'{short_text(text)}' is {len(found)} of the choices; pick one")
        raise Unparsable(f"'{short_text(text)}' is none of the choices; {suggest(text, live.choices.shown(), 'there are')}")
