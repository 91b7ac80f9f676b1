"""The controls that have a value, named for its type."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date, datetime, time
from decimal import Decimal
from functools import lru_cache
from typing import TYPE_CHECKING, Any, ClassVar, Final, Generic, Literal, TypeVar, Unpack, overload

from fuselatch.core.forms.controls import LiveInput, LiveRange
from fuselatch.core.forms.declarations import WIDE, EntryOptions, H, InputControl, InputOptions, Needed, Source
from fuselatch.core.forms.defaults import LastEntered
from fuselatch.core.forms.rules import Rule
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.locale_formats import Formats, PlainFormats, parse_moment, show_moment
from fuselatch.core.model.names import suggest
from fuselatch.core.model.patterns import texts_found
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import (
    EXACT,
    MASK,
    ROUNDING,
    Unparsable,
    lines_of,
    parse_number,
    rounded,
    short_text,
    shown_as,
    to_bool,
    to_date,
    to_datetime,
    to_decimal,
    to_float,
    to_int,
    to_text,
    to_time,
    wrong_type,
)

T = TypeVar("T")
V = TypeVar("V")
G = TypeVar("G")

BOUNDS: Final[dict[str, Any]] = {"value": None, "default": None, "minimum": None, "maximum": None}
PLAIN: Final = PlainFormats()


class BoundOptions(EntryOptions, Generic[V, G], total=False):
    """Options of controls with bounds: their values, and what may be given for one. The bounds themselves are allowed."""

    value: G | Rule[V | None] | Rule[V]
    default: G | Rule[V] | Rule[V | None] | None
    minimum: G | Rule[V] | Rule[V | None] | None
    maximum: G | Rule[V] | Rule[V | None] | None
    unit: str


class Text(InputControl[LiveInput[str, str], str, str]):
    """A text field (str; blank is "").

    `min_length`, `max_length`: number of characters. `pattern`: a regular expression that must be found in the text, as in
    JSON Schema; use ^ and $ to match the whole text. `example`: a right entry, for the message. Looks: multi-line,
    password (masked everywhere, also in the trace).
    """

    kind = "text"
    named = "a text field"
    example = "x"
    generated_for = str
    as_is = str
    of_record = str
    live = LiveInput
    looks = ("multi-line", "password")
    rule_words = ("required", "min_length", "max_length", "pattern")
    typed = Source("typed")

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        value: str | Rule[str] | None = None,
        default: str | Rule[str] = "",
        min_length: int = 0,
        max_length: int | None = None,
        pattern: str | None = None,
        example: str = "",
        **options: Unpack[InputOptions],
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

    def width(self) -> int:
        if self.constants["look"] == "multi-line":
            return 40
        return WIDE if self.max_length is None else max(1, min(self.max_length, 40))

    @property
    def blank(self) -> str:
        return ""

    def coerce(self, value: object) -> str:
        return to_text(value)

    def taken(self, text: str) -> str:
        return lines_of(text) if self.constants["look"] == "multi-line" else super().taken(text)

    def settled(self, draft: str) -> str:
        """Return a draft without space around it. A text of several lines keeps its first indent and its last line break."""
        text = draft.strip()
        return draft if text and self.constants["look"] == "multi-line" else text

    def parse(self, text: str, live: Any, formats: Formats) -> str:
        return text

    def validate(self, live: Any, value: str, formats: Formats) -> list[Finding]:
        """Return the findings of `required`, `min_length`, `max_length` and `pattern`.

        The last three have the meaning of JSON Schema, and don't apply to a blank text.
        """
        found = super().validate(live, value, formats)
        length = len(value)
        if value and length < self.min_length:
            found.append(Finding(user_text(formats, "min_length", limit=self.min_length), rule="min_length"))
        if self.max_length is not None and length > self.max_length:
            found.append(Finding(user_text(formats, "max_length", length=length, limit=self.max_length), rule="max_length"))
        if value and self.pattern is not None and not self.pattern.search(value):
            which = "pattern.example" if self.example else "pattern"
            given = MASK * len(value) if self.constants["look"] == "password" else value
            found.append(Finding(user_text(formats, which, text=short_text(given), example=self.example), rule="pattern"))
        return found

    def sample(self, first_choice: str = "") -> str:
        if self.pattern is not None:
            most = self.max_length or LONGEST
            made = (text for text in texts_found(self.pattern) if self.min_length <= len(text) <= most)
            return self.example or next(made, "")
        return "" if self.max_length == 0 else "x" * max(1, self.min_length)

    def wrong(self, rule: str) -> tuple[str, str] | None:
        if rule == "max_length" and self.max_length is not None and self.max_length < LONGEST:
            return "type", "x" * (self.max_length + 1)
        if rule == "min_length":
            return "type", "x" * (self.min_length - 1)
        if rule == "pattern" and self.pattern is not None:
            text = next((text for text in UNLIKELY if not self.pattern.search(text)), "")
            return ("type", text) if text else None
        return super().wrong(rule)

    def schema(self, needed: bool) -> dict[str, Any]:
        """Return the JSON Schema of the text. If it isn't required, it may be blank."""
        rules: dict[str, Any] = {}
        if self.min_length:
            rules["minLength"] = self.min_length
        if self.max_length is not None:
            rules["maxLength"] = self.max_length
        if self.pattern is not None:
            rules["pattern"] = self.pattern.pattern
        if needed:
            return {**self.json, **rules, "minLength": max(1, self.min_length)}
        return {**self.json, **({"anyOf": [{"const": ""}, rules]} if rules.keys() - {"maxLength"} else rules)}


NUMBER_WIDE: Final = 12
"""The width of numbers, dates and times, in characters."""
MOMENT_WIDE: Final = 20
"""The width of a date with a time."""
LONGEST: Final = 60
"""The longest text that is proposed to break a rule."""
UNLIKELY: Final = ("?", "x", "0", "? x 0")
"""Texts of which a pattern is unlikely to find all."""


def json_number(bound: Any) -> float | int:
    """Return a bound for JSON."""
    return bound if isinstance(bound, int | float) else float(bound)


class Bounded(InputControl[LiveRange[V | None, V], V | None, V], Generic[V, H]):
    """A value with bounds. The bounds themselves are allowed, as in JSON Schema."""

    live = LiveRange
    rule_words = ("required", "minimum", "maximum")
    options = frozenset({*BoundOptions.__annotations__, "required"})
    typed = Source("typed")
    bound_texts = "number"
    """The bounds' texts: "number" or "time"."""

    def __init__(
        self, caption: str | Rule[str] = "", *, required: Any = False, **options: Unpack[BoundOptions[V, Any]]
    ) -> None:
        self.unit = options.pop("unit", type(self).unit)
        super().__init__(caption, {**BOUNDS, "required": required, **options})
        for name in ("minimum", "maximum", "default"):
            if name in self.constants:
                self.constants[name] = self._constant(name, self.constants[name])
        least, most = self.constants.get("minimum"), self.constants.get("maximum")
        if least is not None and most is not None and least > most:
            raise DeclarationError(f"{type(self).__name__}({caption!r}): minimum {least} is greater than maximum {most}")

    if TYPE_CHECKING:

        @property
        def handed_over(self) -> H:  # type: ignore[override]
            """The type of its value in an outcome, for type checkers: never None if it is always required."""

    def _constant(self, name: str, value: object) -> object:
        if isinstance(value, LastEntered):
            first = value.first
            return value if first is None or callable(first) else LastEntered(self._constant(name, first))
        try:
            return self.coerce(value)
        except TypeError as error:
            raise DeclarationError(f"{type(self).__name__}({self.constants['caption']!r}): {name}: {error}") from None

    def width(self) -> int:
        return NUMBER_WIDE

    def with_unit(self, value: V, formats: Formats) -> str:
        """Return the value with its unit."""
        text = shown_as(self, value, formats)
        return f"{text} {self.unit}" if self.unit else text

    def validate(self, live: Any, value: Any, formats: Formats) -> list[Finding]:
        """Return the findings of `required`, `minimum` and `maximum`."""
        if value is None:
            return super().validate(live, value, formats)
        found: list[Finding] = []
        way: Any = formats
        if live._cells is None and live._set is None:
            least, most = self.constants["minimum"], self.constants["maximum"]
        else:
            least, most = live.minimum, live.maximum
        if least is not None and value < least:
            found.append(out_of_bounds(self, "minimum", value, least, way))
        if most is not None and value > most:
            found.append(out_of_bounds(self, "maximum", value, most, way))
        return found


@lru_cache(maxsize=256, typed=True)
def out_of_bounds(decl: Bounded[Any, Any], rule: str, value: Any, limit: Any, formats: Formats) -> Finding:
    """Return the finding for a value beyond a bound.

    It is kept: writing numbers is a large part of a check's cost, and a value is checked again at each submit.
    """
    given, allowed = decl.with_unit(value, formats), decl.with_unit(limit, formats)
    return Finding(user_text(formats, f"{rule}.{decl.bound_texts}", value=given, limit=allowed), rule=rule)


class Numeric(Bounded[V, H], Generic[V, H]):
    """A number with up to `decimals` decimals."""

    such_as = Decimal("12.5")
    decimals: int | None = None
    example = "1"
    json: ClassVar[Mapping[str, Any]] = {"type": "number"}

    def schema(self, needed: bool) -> dict[str, Any]:
        bounds = {name: self.constants.get(name) for name in ("minimum", "maximum")}
        return super().schema(needed) | {name: json_number(bound) for name, bound in bounds.items() if bound is not None}

    def parse(self, text: str, live: Any, formats: Formats) -> V:
        def wrong() -> str:
            example = formats.show_number(self.such_as, self.decimals)
            return user_text(formats, f"parse.{self.kind}", text=short_text(text), example=example)

        return self.of_number(parse_number(without_unit(text, self.unit), formats, wrong, self.decimals))

    def of_number(self, number: Decimal) -> V:
        """Convert a parsed number to the control's type."""
        raise NotImplementedError

    def show(self, value: Any, formats: Formats) -> str:
        return formats.show_number(value, self.decimals)


def without_unit(text: str, unit: str) -> str:
    """Return a typed text without the control's own unit, which may be typed along: "5 m", "3 EUR"."""
    cut = len(text) - len(unit)
    return text[:cut].rstrip() if unit and cut > 0 and text[cut:].casefold() == unit.casefold() else text


class Number(Numeric[float, H], Generic[H]):
    """A number field (float).

    `decimals`: how many may be typed and are shown. More are a finding, never cut.
    """

    kind = "number"
    named = "a number field"
    generated_for: ClassVar[type | None] = float
    as_is = float
    of_record = float

    @overload
    def __init__(
        self: Number[float],
        caption: str | Rule[str] = "",
        *,
        decimals: int | None = None,
        required: Literal[True],
        **options: Unpack[BoundOptions[float, float]],
    ) -> None: ...
    @overload
    def __init__(
        self: Number[float | None],
        caption: str | Rule[str] = "",
        *,
        decimals: int | None = None,
        required: Any = False,
        **options: Unpack[BoundOptions[float, float]],
    ) -> None: ...
    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        decimals: int | None = None,
        required: Any = False,
        **options: Unpack[BoundOptions[float, float]],
    ) -> None:
        self.decimals = decimals
        super().__init__(caption, required=required, **options)

    def coerce(self, value: object) -> float | None:
        return to_float(value)

    def of_number(self, number: Decimal) -> float:
        return float(number)


class Percent(Numeric[Decimal, H], Generic[H]):
    """A percentage field (Decimal): the user types 10 or 10 %, and the value is Decimal("0.1").

    `decimals` are those of the percentage. A float that is set counts as it is written: 0.15 is exactly 15 %.
    """

    kind = "percent"
    named = "a percentage field"
    of_record = Decimal
    unit = "%"

    @overload
    def __init__(
        self: Percent[Decimal],
        caption: str | Rule[str] = "",
        *,
        decimals: int | None = None,
        required: Literal[True],
        **options: Unpack[BoundOptions[Decimal, Decimal | float]],
    ) -> None: ...
    @overload
    def __init__(
        self: Percent[Decimal | None],
        caption: str | Rule[str] = "",
        *,
        decimals: int | None = None,
        required: Any = False,
        **options: Unpack[BoundOptions[Decimal, Decimal | float]],
    ) -> None: ...
    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        decimals: int | None = None,
        required: Any = False,
        **options: Unpack[BoundOptions[Decimal, Decimal | float]],
    ) -> None:
        self.decimals = decimals
        super().__init__(caption, required=required, **options)

    def parse(self, text: str, live: Any, formats: Formats) -> Decimal:
        return super().parse(text.removesuffix("%").rstrip(), live, formats)

    def coerce(self, value: object) -> Decimal | None:
        if isinstance(value, float):
            value = Decimal(repr(value))
        if value is not None and (isinstance(value, bool) or not isinstance(value, int | Decimal)):
            raise wrong_type(value, "a share (Decimal, int or float)")
        return to_decimal(value)

    def of_number(self, number: Decimal) -> Decimal:
        return number.scaleb(-2, EXACT)

    def show(self, value: Decimal, formats: Formats) -> str:
        return formats.show_number(value.scaleb(2, EXACT), self.decimals)


class Integer(Numeric[int, H], Generic[H]):
    """A whole-number field (int)."""

    kind = "integer"
    named = "an integer field"
    json: ClassVar[Mapping[str, Any]] = {"type": "integer"}
    generated_for = int
    as_is = int
    of_record = int
    such_as = Decimal(12)
    decimals = 0

    if TYPE_CHECKING:

        @overload
        def __init__(
            self: Integer[int],
            caption: str | Rule[str] = "",
            *,
            required: Literal[True],
            **options: Unpack[BoundOptions[int, int]],
        ) -> None: ...
        @overload
        def __init__(
            self: Integer[int | None],
            caption: str | Rule[str] = "",
            *,
            required: Needed = False,
            **options: Unpack[BoundOptions[int, int]],
        ) -> None: ...
        def __init__(self, caption: str | Rule[str] = "", **options: Any) -> None: ...

    def coerce(self, value: object) -> int | None:
        return to_int(value)

    def of_number(self, number: Decimal) -> int:
        return int(number)

    def show(self, value: int, formats: Formats) -> str:
        return formats.show_number(Decimal(value), 0)


class Money(Numeric[Decimal, H], Generic[H]):
    """An amount of money (Decimal) in `unit`, with `decimals` decimals.

    `rounding`: how an amount set by program is rounded (half-up, half-even, down or up). A typed amount with more decimals
    is a finding.
    """

    kind = "money"
    named = "a money field"
    generated_for = Decimal
    of_record = Decimal
    decimals: int

    @overload
    def __init__(
        self: Money[Decimal],
        caption: str | Rule[str] = "",
        *,
        decimals: int = 2,
        rounding: str = "half-up",
        required: Literal[True],
        **options: Unpack[BoundOptions[Decimal, Decimal | int]],
    ) -> None: ...
    @overload
    def __init__(
        self: Money[Decimal | None],
        caption: str | Rule[str] = "",
        *,
        decimals: int = 2,
        rounding: str = "half-up",
        required: Any = False,
        **options: Unpack[BoundOptions[Decimal, Decimal | int]],
    ) -> None: ...
    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        decimals: int = 2,
        rounding: str = "half-up",
        required: Any = False,
        **options: Unpack[BoundOptions[Decimal, Decimal | int]],
    ) -> None:
        if rounding not in ROUNDING:
            raise DeclarationError(f"Money({caption!r}): unknown rounding '{rounding}'; {suggest(rounding, ROUNDING)}")
        self.decimals = decimals
        self.rounding = rounding
        super().__init__(caption, required=required, **options)

    def coerce(self, value: object) -> Decimal | None:
        amount = to_decimal(value)
        return None if amount is None else rounded(amount, self.decimals, self.rounding)

    def of_number(self, number: Decimal) -> Decimal:
        return rounded(number, self.decimals, self.rounding)


class Timed(Bounded[V, H], Generic[V, H]):
    """A date or time. ISO 8601 is always accepted, besides the session's locale."""

    bound_texts = "time"
    right: Any
    """An example value for messages."""

    def parse(self, text: str, live: Any, formats: Formats) -> V:
        found = self.read(text, formats)
        if found is None:
            example = such_as(self.show(self.right, formats), self.show(self.right, PLAIN), formats)
            raise Unparsable(user_text(formats, f"parse.{self.kind}", text=short_text(text), example=example))
        return found

    def read(self, text: str, formats: Formats) -> V | None:
        """Return the value that a text means, or None."""
        raise NotImplementedError


class Date(Timed[date, H], Generic[H]):
    """A date field (datetime.date). ISO 8601 is always accepted, besides the session's locale."""

    kind = "date"
    named = "a date field"
    json: ClassVar[Mapping[str, Any]] = {"type": "string", "format": "date"}
    example = "2031-05-04"
    generated_for = date
    of_record = date
    right = date(2031, 5, 4)

    if TYPE_CHECKING:

        @overload
        def __init__(
            self: Date[date],
            caption: str | Rule[str] = "",
            *,
            required: Literal[True],
            **options: Unpack[BoundOptions[date, date]],
        ) -> None: ...
        @overload
        def __init__(
            self: Date[date | None],
            caption: str | Rule[str] = "",
            *,
            required: Needed = False,
            **options: Unpack[BoundOptions[date, date]],
        ) -> None: ...
        def __init__(self, caption: str | Rule[str] = "", **options: Any) -> None: ...

    def coerce(self, value: object) -> date | None:
        return to_date(value)

    def read(self, text: str, formats: Formats) -> date | None:
        return formats.parse_date(text)

    def show(self, value: date, formats: Formats) -> str:
        return formats.show_date(value)


class Time(Timed[time, H], Generic[H]):
    """A time field (datetime.time). ISO 8601 is always accepted, besides the session's locale."""

    kind = "time"
    named = "a time field"
    json: ClassVar[Mapping[str, Any]] = {"type": "string", "format": "time"}
    example = "09:30"
    generated_for = time
    of_record = time
    right = time(9, 30)

    if TYPE_CHECKING:

        @overload
        def __init__(
            self: Time[time],
            caption: str | Rule[str] = "",
            *,
            required: Literal[True],
            **options: Unpack[BoundOptions[time, time]],
        ) -> None: ...
        @overload
        def __init__(
            self: Time[time | None],
            caption: str | Rule[str] = "",
            *,
            required: Needed = False,
            **options: Unpack[BoundOptions[time, time]],
        ) -> None: ...
        def __init__(self, caption: str | Rule[str] = "", **options: Any) -> None: ...

    def coerce(self, value: object) -> time | None:
        return to_time(value)

    def read(self, text: str, formats: Formats) -> time | None:
        return formats.parse_time(text)

    def show(self, value: time, formats: Formats) -> str:
        return formats.show_time(value)


class DateTime(Timed[datetime, H], Generic[H]):
    """A field for a date with a time of day (datetime.datetime without a zone, in whole seconds).

    ISO 8601 is always accepted (2031-05-04T09:30), besides the session's locale: the date, a space and the time.
    """

    kind = "datetime"
    named = "a date and time field"
    # RFC 3339, which "format": "date-time" means, would require a zone.
    json: ClassVar[Mapping[str, Any]] = {"type": "string", "pattern": r"^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?$"}
    example = "2031-05-04T09:30"
    generated_for = datetime
    of_record = datetime
    right = datetime(2031, 5, 4, 9, 30)

    if TYPE_CHECKING:

        @overload
        def __init__(
            self: DateTime[datetime],
            caption: str | Rule[str] = "",
            *,
            required: Literal[True],
            **options: Unpack[BoundOptions[datetime, datetime]],
        ) -> None: ...
        @overload
        def __init__(
            self: DateTime[datetime | None],
            caption: str | Rule[str] = "",
            *,
            required: Needed = False,
            **options: Unpack[BoundOptions[datetime, datetime]],
        ) -> None: ...
        def __init__(self, caption: str | Rule[str] = "", **options: Any) -> None: ...

    def width(self) -> int:
        return MOMENT_WIDE

    def coerce(self, value: object) -> datetime | None:
        return to_datetime(value)

    def read(self, text: str, formats: Formats) -> datetime | None:
        return parse_moment(text, formats)

    def show(self, value: datetime, formats: Formats) -> str:
        return show_moment(value, formats)


def such_as(local: str, iso: str, formats: Formats) -> str:
    """Return an example in the session's locale, and in ISO 8601 if it differs."""
    return local if local == iso else user_text(formats, "either_way", local=local, iso=iso)


class Tick(InputControl[LiveInput[bool, bool], bool, bool]):
    """A tick box (bool). It starts unticked and is never blank; `required` means ticked."""

    kind = "tick"
    named = "a tick box"
    accepts = frozenset({"tick", "untick"})
    enters = "tick"
    shape = "tick"
    space = "toggle"
    json: ClassVar[Mapping[str, Any]] = {"type": "boolean"}
    generated_for = bool
    as_is = bool
    of_record = bool
    live = LiveInput
    needed = "required.tick"

    def __init__(
        self,
        caption: str | Rule[str] = "",
        *,
        value: bool | Rule[bool] | None = None,
        default: bool | Rule[bool] = False,
        **options: Unpack[InputOptions],
    ) -> None:
        super().__init__(caption, options, value=value, default=default)

    @property
    def blank(self) -> bool:
        return False

    def coerce(self, value: object) -> bool:
        return False if value is None else to_bool(value)

    def show(self, value: bool, formats: Formats) -> str:
        return "yes" if value else "no"

    def sample(self, first_choice: str = "") -> str:
        return "yes"

    def wrong(self, rule: str) -> tuple[str, str] | None:
        return ("untick", "") if rule == "required" else None

    def schema(self, needed: bool) -> dict[str, Any]:
        return {**self.json, "const": True} if needed else {**self.json}
