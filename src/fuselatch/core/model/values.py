"""Values: from a program's object to a control's exact type, and from typed text to a value.

Every conversion is strict: what does not fit is a `TypeError` (a program's) or `Unparsable`
(a person's), never a guess.
"""

from __future__ import annotations

import decimal
from collections.abc import Callable
from datetime import date, datetime, time
from decimal import Decimal
from math import isfinite
from typing import Any, TypeVar

from fuselatch.core.model.formats import Formats
from fuselatch.core.model.texts import user_text

T = TypeVar("T")
ROUNDING = {
    "half-up": decimal.ROUND_HALF_UP,
    "half-even": decimal.ROUND_HALF_EVEN,
    "down": decimal.ROUND_DOWN,
    "up": decimal.ROUND_UP,
}
"""Named rules by which a Money set by a program is rounded; the names are those of IEEE 754 in words."""

KINDS = {
    bool: "yes or no", int: "a whole number", float: "a number", Decimal: "an amount",
    date: "a date", time: "a time of day", datetime: "a date and time",
}  # fmt: skip
"""What a value of a type is called in messages."""

EXACT = decimal.Context(prec=400)
"""Wide enough that no number a form can hold loses a digit."""


class Unparsable(ValueError):
    """A typed text is no value; the text of this error says what is expected."""


def wrong_type(value: object, wanted: str) -> TypeError:
    """The error for a value that a program set, of a type that its control does not hold."""
    return TypeError(f"expected {wanted}, not {type(value).__name__} {short(value)}")


def short(value: object, most: int = 40) -> str:
    """A value's repr on one line, cut to `most` characters; a broken repr gives the type's name."""
    try:
        text = " ".join(repr(value).split())
    except Exception:
        text = f"<{type(value).__name__}>"
    return text if len(text) <= most else text[: most - 1] + "…"


def exactly(kind: type[T], value: Any, what: str) -> T:
    """A value of a type; an int is taken for a float, a bool for nothing but a bool. Else a `TypeError` about `what`."""
    if kind is float and isinstance(value, int) and not isinstance(value, bool):
        value = float(value)
    if not isinstance(value, kind) or (isinstance(value, bool) and kind is int):
        raise TypeError(f"{what}: expected {kind.__name__}, not {type(value).__name__} {short(value)}")
    return value


def to_text(value: object) -> str:
    """Exactly a str; None is the blank text."""
    if value is None:
        return ""
    if not isinstance(value, str):
        raise wrong_type(value, "text (str)")
    text = str.__str__(value) if type(value) is not str else value
    return "" if text.isspace() else text


def text_for(what: str, value: object) -> str:
    """A text that a handler hands over, unchanged; raises a `TypeError` that says what for."""
    if not isinstance(value, str):
        raise TypeError(f"{what}: {wrong_type(value, 'text (str)')}")
    return value


def place_for(what: str, value: object) -> int:
    """A place, from 0, that a handler hands over; raises a `TypeError` that says what for."""
    if not isinstance(value, int) or isinstance(value, bool):
        raise TypeError(f"{what}: {wrong_type(value, 'a position (int)')}")
    return value


def to_float(value: object) -> float | None:
    """Exactly a float; an int is taken where it fits."""
    if value.__class__ is float and isfinite(value):
        return value
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise wrong_type(value, "a number (float or int)")
    try:
        number = float(value)
    except OverflowError:
        raise wrong_type(value, "a number that fits a float") from None
    if not isfinite(number):
        raise TypeError(f"expected a finite number, not {number}")
    return number


def to_int(value: object) -> int | None:
    """Exactly an int."""
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int):
        raise wrong_type(value, "a whole number (int)")
    return int(value)


def to_decimal(value: object) -> Decimal | None:
    """Exactly a Decimal; an int is taken, a float never."""
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | Decimal):
        raise wrong_type(value, "an amount (Decimal or int)")
    amount = Decimal(value)
    if not amount.is_finite():
        raise TypeError(f"expected a finite amount, not {amount}")
    return amount


def to_date(value: object) -> date | None:
    """Exactly a date; a datetime is none."""
    if value is None:
        return None
    if not isinstance(value, date) or isinstance(value, datetime):
        raise wrong_type(value, "a date")
    return date(value.year, value.month, value.day)


def to_time(value: object) -> time | None:
    """Exactly a time of day without a zone, in whole seconds."""
    if value is None:
        return None
    if not isinstance(value, time) or value.tzinfo is not None:
        raise wrong_type(value, "a time of day without a zone")
    return time(value.hour, value.minute, value.second)


def to_bool(value: object) -> bool:
    """Exactly a bool."""
    if not isinstance(value, bool):
        raise wrong_type(value, "True or False")
    return value


def adapted(value: Any, wanted: type) -> Any:
    """A value that a store holds as one of another type, where nothing is lost; else a `TypeError`.

    Numbers of one kind stand for those of another, a time at midnight for its day, and text for
    anything, as ISO 8601 and Python write it.
    """
    given = type(value)
    if value is None or given is wanted:
        return value
    found: Any = None
    if wanted is str:
        found = value if isinstance(value, str) else value.isoformat() if hasattr(value, "isoformat") else str(value)
    elif given is bool or wanted is bool:
        found = bool(value) if given is int and value in (0, 1) else None
    elif wanted is date and isinstance(value, datetime):
        found = value.date() if value.time() == time() else None
    elif wanted in (int, float, Decimal) and isinstance(value, int | float | Decimal):
        number = Decimal(repr(value)) if isinstance(value, float) else Decimal(value)
        found = wanted(number) if number.is_finite() else None
        found = found if found is not None and Decimal(repr(found) if wanted is float else found) == number else None
    if found is None:
        raise wrong_type(value, KINDS.get(wanted, wanted.__name__))
    return found


def rounded(amount: Decimal, decimals: int, rule: str) -> Decimal:
    """An amount with `decimals` places by one of the rules in `ROUNDING`."""
    return amount.quantize(Decimal(1).scaleb(-decimals), rounding=ROUNDING[rule], context=EXACT)


def parse_number(text: str, formats: Formats, wrong: Callable[[], str], decimals: int | None) -> Decimal:
    """A typed number with at most `decimals` places that matter.

    Raises `Unparsable`, with the text that `wrong` returns or that of too many decimals.
    """
    number = formats.parse_number(text)
    if number is None:
        raise Unparsable(wrong())
    if decimals is not None and places(number) > decimals:
        limit = ("none", "one")[decimals] if decimals < 2 else "more"
        raise Unparsable(user_text(f"decimals.{limit}", text=short_text(text), limit=decimals))
    return number


def places(number: Decimal) -> int:
    """Decimal places that are not just trailing noughts."""
    exponent = number.normalize(EXACT).as_tuple().exponent
    return max(0, -exponent) if isinstance(exponent, int) else 0


def short_text(text: str, most: int = 40) -> str:
    """A typed text for a message, on one line and cut to `most` characters."""
    text = " ".join(text.split())
    return text if len(text) <= most else text[: most - 1] + "…"
