"""How values are written and read: the interface, and a plain implementation.

Locale formats are outside the core. `PlainFormats` writes numbers as Python and JSON do.
"""

from __future__ import annotations

import re
from datetime import date, datetime, time
from decimal import Decimal
from typing import Protocol

NUMBER = re.compile(r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)", re.ASCII)
CLOCK = re.compile(r"([0-9]{1,2}):([0-9]{2})(?::([0-9]{2}))?", re.ASCII)
GAP = re.compile(r"\s*[T,]\s*|\s+")
"""Between a date and a time."""
LONGEST_NUMBER = 300
"""The most digits in a typed number. All such numbers fit a float."""


class Formats(Protocol):
    """The functions that a session needs from a locale."""

    def parse_number(self, text: str) -> Decimal | None:
        """Return the number in a trimmed text, or None."""

    def show_number(self, value: float | Decimal, decimals: int | None) -> str:
        """Return a number as text, with `decimals` decimals, or as many as it needs (None)."""

    def parse_date(self, text: str) -> date | None:
        """Return the date in a trimmed text, or None. ISO 8601 is always accepted."""

    def show_date(self, value: date) -> str:
        """Return a date as text."""

    def parse_time(self, text: str) -> time | None:
        """Return the time in a trimmed text, or None. ISO 8601 is always accepted."""

    def show_time(self, value: time) -> str:
        """Return a time as text."""


class PlainFormats:
    """Numbers with a decimal point and no grouping; dates and times in ISO 8601."""

    def parse_number(self, text: str) -> Decimal | None:
        if len(text) > LONGEST_NUMBER or not NUMBER.fullmatch(text):
            return None
        return Decimal(text)

    def show_number(self, value: float | Decimal, decimals: int | None) -> str:
        if decimals is not None:
            return f"{value:.{decimals}f}"
        if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
            return str(int(value))
        exact = value if isinstance(value, Decimal) else Decimal(repr(value))
        text = f"{exact:f}"
        return text.rstrip("0").rstrip(".") if "." in text else text

    def parse_date(self, text: str) -> date | None:
        return iso_date(text)

    def show_date(self, value: date) -> str:
        return value.isoformat()

    def parse_time(self, text: str) -> time | None:
        return iso_time(text)

    def show_time(self, value: time) -> str:
        return value.isoformat("seconds" if value.second else "minutes")


def show_moment(value: datetime, formats: Formats) -> str:
    """Return a date and time as text: "5/4/2031 9:30 AM"; in plain formats ISO 8601."""
    between = "T" if isinstance(formats, PlainFormats) else " "
    return f"{formats.show_date(value.date())}{between}{formats.show_time(value.time())}"


def parse_moment(text: str, formats: Formats) -> datetime | None:
    """Return the date and time in a trimmed text, or None: a date, then a "T", a comma or a space, then a time."""
    for gap in GAP.finditer(text):
        day, hour = formats.parse_date(text[: gap.start()]), formats.parse_time(text[gap.end() :])
        if day is not None and hour is not None:
            return datetime.combine(day, hour)
    return None


def iso_date(text: str) -> date | None:
    """Return an ISO 8601 date with hyphens, or None."""
    try:
        return date.fromisoformat(text) if len(text) == 10 and text[4] == text[7] == "-" else None
    except ValueError:
        return None


def iso_time(text: str) -> time | None:
    """Return an ISO 8601 time with colons, or None. The hour may have one digit."""
    match = CLOCK.fullmatch(text)
    if not match:
        return None
    try:
        return time(int(match[1]), int(match[2]), int(match[3] or 0))
    except ValueError:
        return None
