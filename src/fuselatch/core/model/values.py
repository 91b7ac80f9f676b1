"""Values: convert a program's object, or typed text, to a control's exact type.

Conversions are strict: a wrong value is a `TypeError` (a program's) or `Unparsable` (the user's), never a guess.
"""

from __future__ import annotations

import decimal
import re
from collections.abc import Callable
from datetime import date, datetime, time
from decimal import Decimal
from math import isfinite
from typing import Any, Final, TypeAlias, TypeVar, cast

from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.texts import user_text

T = TypeVar("T")
Value: TypeAlias = Any
"""The value of a control, a column or a parameter: what its declaration says, so that handlers use it without a cast."""
ROUNDING = {
    "half-up": decimal.ROUND_HALF_UP,
    "half-even": decimal.ROUND_HALF_EVEN,
    "down": decimal.ROUND_DOWN,
    "up": decimal.ROUND_UP,
}
"""How an amount set by program is rounded, by the names of IEEE 754."""

KINDS = {
    bool: "yes or no", int: "a whole number", float: "a number", Decimal: "an amount",
    date: "a date", time: "a time of day", datetime: "a date and time",
}  # fmt: skip
"""The name of each type in messages."""

EXACT = decimal.Context(prec=400)
"""A context wide enough for every digit of a number that a form can have."""


class Unparsable(ValueError):
    """Typed text isn't a value. The message says what is right."""


def wrong_type(value: object, wanted: str) -> TypeError:
    """Return the error for a value of the wrong type."""
    return TypeError(f"expected {wanted}, not {type(value).__name__} {short(value)}")


def short(value: object, most: int = 40) -> str:
    """Return a value's repr on one line, cut to `most` characters, even if it fails."""
    try:
        text = " ".join(repr(value).split())
    except Exception:
        text = f"<{type(value).__name__}>"
    return text if len(text) <= most else text[: most - 1] + "…"


def exactly(kind: type[T], value: object, what: str) -> T:
    """Return a value of a type; raise `TypeError` about `what`.

    An int is accepted for a float, a bool only for a bool.
    """
    if kind is float and isinstance(value, int) and not isinstance(value, bool):
        value = float(value)
    if not isinstance(value, kind) or (isinstance(value, bool) and kind is int):
        raise TypeError(f"{what}: expected {kind.__name__}, not {type(value).__name__} {short(value)}")
    return value


def to_text(value: object) -> str:
    if value is None:
        return ""
    if not isinstance(value, str):
        raise wrong_type(value, "text (str)")
    text = str.__str__(value) if type(value) is not str else value
    return "" if text.isspace() else text


def text_for(what: str, value: object) -> str:
    """Return text from a handler unchanged; raise `TypeError` about `what`."""
    if not isinstance(value, str):
        raise TypeError(f"{what}: {wrong_type(value, 'text (str)')}")
    return value


def place_for(what: str, value: object) -> int:
    """Return a position from a handler; raise `TypeError` about `what`."""
    if not isinstance(value, int) or isinstance(value, bool):
        raise TypeError(f"{what}: {wrong_type(value, 'a position (int)')}")
    return value


def to_float(value: object) -> float | None:
    """Return a float, also from an int that fits."""
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
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int):
        raise wrong_type(value, "a whole number (int)")
    return int(value)


def to_decimal(value: object) -> Decimal | None:
    """Return a Decimal, also from an int, but not from a float."""
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | Decimal):
        raise wrong_type(value, "an amount (Decimal or int)")
    amount = Decimal(value)
    if not amount.is_finite():
        raise TypeError(f"expected a finite amount, not {amount}")
    return amount


def to_date(value: object) -> date | None:
    """Return a date, but not from a datetime."""
    if value is None:
        return None
    if not isinstance(value, date) or isinstance(value, datetime):
        raise wrong_type(value, "a date")
    return date(value.year, value.month, value.day)


def to_time(value: object) -> time | None:
    """Return a time without a zone, in whole seconds."""
    if value is None:
        return None
    if not isinstance(value, time) or value.tzinfo is not None:
        raise wrong_type(value, "a time of day without a zone")
    return time(value.hour, value.minute, value.second)


def to_datetime(value: object) -> datetime | None:
    """Return a date and time without a zone, in whole seconds."""
    if value is None:
        return None
    if not isinstance(value, datetime) or value.tzinfo is not None:
        raise wrong_type(value, "a date and time (datetime) without a zone")
    return datetime(value.year, value.month, value.day, value.hour, value.minute, value.second)


def to_bool(value: object) -> bool:
    if not isinstance(value, bool):
        raise wrong_type(value, "True or False")
    return value


def same(one: object, other: object) -> bool:
    """Return True if two values are of one class and equal; in tuples, also each of their parts."""
    if one is other:
        return True
    if type(one) is not type(other) or one != other:
        return False
    return not isinstance(one, tuple) or all(map(same, one, cast("tuple[object, ...]", other)))


def alike(one: object, other: object) -> bool:
    """Return True if two values of a row are the same to a user: 9.8 of one store is 9.80 of a control. Blanks are alike."""
    if one is None or one == "" or other is None or other == "":
        return (one is None or one == "") and (other is None or other == "")
    if type(one) is type(other):
        return bool(one == other)
    try:
        return bool(adapted(other, type(one)) == one)
    except TypeError:
        try:
            return bool(adapted(one, type(other)) == other)
        except TypeError:
            return bool(one == other)


def as_key(value: object) -> object:
    """Return a key that is equal for values that are `same`."""
    return (type(value), tuple(map(as_key, value))) if isinstance(value, tuple) else (type(value), value)


def adapted(value: object, wanted: type) -> Value:
    """Convert a store's value to another type without loss; raise `TypeError`.

    Numbers convert to numbers, a datetime at midnight to a date and back, and anything to text (ISO 8601 or Python's).
    """
    given = type(value)
    if value is None or given is wanted:
        return value
    converted: Any = None
    if wanted is str:
        converted = value if isinstance(value, str) else value.isoformat() if hasattr(value, "isoformat") else str(value)
    elif given is bool or wanted is bool:
        converted = bool(value) if given is int and value in (0, 1) else None
    elif wanted is date and isinstance(value, datetime):
        converted = value.date() if value.time() == time() else None
    elif wanted is datetime and isinstance(value, date):
        converted = datetime(value.year, value.month, value.day)
    elif wanted in (int, float, Decimal) and isinstance(value, int | float | Decimal):
        number = Decimal(repr(value)) if isinstance(value, float) else Decimal(value)
        converted = wanted(number) if number.is_finite() else None
        converted = (
            converted
            if converted is not None and Decimal(repr(converted) if wanted is float else converted) == number
            else None
        )
    if converted is None:
        raise wrong_type(value, KINDS.get(wanted, wanted.__name__))
    return converted


def rounded(amount: Decimal, decimals: int, rule: str) -> Decimal:
    """Return an amount with `decimals` decimals, rounded by a rule of `ROUNDING`."""
    return amount.quantize(Decimal(1).scaleb(-decimals), rounding=ROUNDING[rule], context=EXACT)


def parse_number(text: str, formats: Formats, wrong: Callable[[], str], decimals: int | None) -> Decimal:
    """Return a typed number with up to `decimals` decimals.

    Raises `Unparsable`, with the text that `wrong` returns or the one for too many decimals.
    """
    number = formats.parse_number(text)
    if number is None:
        raise Unparsable(wrong())
    if decimals is not None and places(number) > decimals:
        limit = ("none", "one")[decimals] if decimals < 2 else "more"
        raise Unparsable(user_text(formats, f"decimals.{limit}", text=short_text(text), limit=decimals))
    return number


def places(number: Decimal) -> int:
    """Return the number of decimals without trailing zeros."""
    exponent = number.normalize(EXACT).as_tuple().exponent
    return max(0, -exponent) if isinstance(exponent, int) else 0


def shown_as(kind: Any, value: Value, formats: Formats) -> str:
    """Return a value as a kind of control writes it: the one guard around every kind's `show`.

    What the kind or the locale can't write is shown as Python writes it. So no value, wherever it came from, ends a session.
    """
    try:
        return str(kind.show(value, formats))
    except Exception:
        return anyhow(value)


def anyhow(value: object) -> str:
    """Return a value's text, even if its `__str__` fails."""
    try:
        return str(value)
    except Exception:
        return f"<{type(value).__name__}>"


BREAKS: Final = re.compile("\r\n|[\r\n\v\f\x1c-\x1e\x85\u2028\u2029]")
"""The ends of lines, as `str.splitlines` has them."""
CONTROL: Final = re.compile("[\x00-\x08\x0e-\x1f\x7f-\x9f\ud800-\udfff]")
"""Control characters, but for tabs and line breaks; and lone surrogates, which no file can hold."""


def one_line(text: str) -> str:
    """Return text on one line, without control characters."""
    return CONTROL.sub("", BREAKS.sub(" ", text).replace("\t", " "))


def lines_of(text: str) -> str:
    """Return text whose lines end with a line feed, without other control characters than tabs."""
    return CONTROL.sub("", BREAKS.sub("\n", text))


def short_text(text: str, most: int = 40) -> str:
    """Return text for a message, on one line and cut to `most` characters."""
    text = " ".join(text.split())
    return text if len(text) <= most else text[: most - 1] + "…"


MASK: Final = "•"


def dots(value: object) -> Value:
    """Return a value with each character of its text masked. A blank stays as it is."""
    return value if value is None or value == "" else MASK * len(str(value))
