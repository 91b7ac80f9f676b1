"""Numbers, percentages and money."""

from __future__ import annotations

from decimal import Decimal
from typing import TYPE_CHECKING, Any, ClassVar, Generic, Literal, TypeVar, Unpack, overload

from fuselatch.core.forms.control_options import H, Needed
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.forms.rules import Rule
from fuselatch.core.kinds.bounded import Bounded, BoundOptions
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.names import suggest
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import (
    EXACT,
    ROUNDING,
    Value,
    parse_number,
    rounded,
    short_text,
    to_decimal,
    to_float,
    to_int,
    wrong_type,
)

V = TypeVar("V")


def json_number(bound: Any) -> float | int:
    """Return a bound for JSON."""
    return bound if isinstance(bound, int | float) else float(bound)


class Numeric(Bounded[V, H], Generic[V, H]):
    """A number with up to `decimals` decimals."""

    such_as = Decimal("12.5")
    decimals: int | None = None
    example = "1"
    holds_a = "number"
    json: ClassVar[Plain] = {"type": "number"}

    def schema(self, needed: bool) -> Plain:
        bounds = {name: self.constants.get(name) for name in ("minimum", "maximum")}
        return super().schema(needed) | {name: json_number(bound) for name, bound in bounds.items() if bound is not None}

    def parse(self, text: str, live: ControlState, formats: Formats) -> V:
        def wrong() -> str:
            example = formats.show_number(self.such_as, self.decimals)
            return user_text(formats, f"parse.{self.kind}", text=short_text(text), example=example)

        return self.of_number(parse_number(without_unit(text, self.unit), formats, wrong, self.decimals))

    def of_number(self, number: Decimal) -> V:
        """Convert a parsed number to the control's type."""
        raise NotImplementedError

    def show(self, value: Value, formats: Formats) -> str:
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

    def parse(self, text: str, live: ControlState, formats: Formats) -> Decimal:
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
    json: ClassVar[Plain] = {"type": "integer"}
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
