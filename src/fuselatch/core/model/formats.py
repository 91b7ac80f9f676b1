"""How values are written and read as text: the interface, and the plain form of it.

Locale formats come from outside of the core; `PlainFormats` writes numbers as Python and JSON do.
"""

from __future__ import annotations

import re
from datetime import date, time
from decimal import Decimal
from typing import Protocol

NUMBER = re.compile(r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)", re.ASCII)
CLOCK = re.compile(r"([0-9]{1,2}):([0-9]{2})(?::([0-9]{2}))?", re.ASCII)
LONGEST = 300
"""Digits that a typed number may have: all such numbers fit a float."""


class Formats(Protocol):
    """What a session needs of a locale."""

    def parse_number(self, text: str) -> Decimal | None:
        """The number that a trimmed text stands for; None where it is none."""

    def show_number(self, value: float | Decimal, decimals: int | None) -> str:
        """A number as text, with exactly `decimals` places, or as many as it needs."""

    def parse_date(self, text: str) -> date | None:
        """The date that a trimmed text stands for; None where it is none. ISO 8601 is always taken."""

    def show_date(self, value: date) -> str:
        """A date as text."""

    def parse_time(self, text: str) -> time | None:
        """The time of day that a trimmed text stands for; None where it is none. ISO 8601 is always taken."""

    def show_time(self, value: time) -> str:
        """A time of day as text."""


class PlainFormats:
    """Numbers with a decimal point and no grouping; dates and times as in ISO 8601."""

    def parse_number(self, text: str) -> Decimal | None:
        """The number that a trimmed text stands for; None where it is none."""
        if len(text) > LONGEST or not NUMBER.fullmatch(text):
            return None
        return Decimal(text)

    def show_number(self, value: float | Decimal, decimals: int | None) -> str:
        """A number as text, with exactly `decimals` places, or as many as it needs."""
        if decimals is not None:
            return f"{value:.{decimals}f}"
        if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
            return str(int(value))
        exact = value if isinstance(value, Decimal) else Decimal(repr(value))
        text = f"{exact:f}"
        return text.rstrip("0").rstrip(".") if "." in text else text

    def parse_date(self, text: str) -> date | None:
        """The date that a trimmed text stands for, as in ISO 8601; None where it is none."""
        return iso_date(text)

    def show_date(self, value: date) -> str:
        """A date as in ISO 8601."""
        return value.isoformat()

    def parse_time(self, text: str) -> time | None:
        """The time of day that a trimmed text stands for, as in ISO 8601; None where it is none."""
        return iso_time(text)

    def show_time(self, value: time) -> str:
        """A time of day as in ISO 8601, to the minute where it has no seconds."""
        return value.isoformat("seconds" if value.second else "minutes")


def iso_date(text: str) -> date | None:
    """A date as in ISO 8601 with hyphens, or None."""
    try:
        return date.fromisoformat(text) if len(text) == 10 and text[4] == text[7] == "-" else None
    except ValueError:
        return None


def iso_time(text: str) -> time | None:
    """A time of day as in ISO 8601 with colons (the hour may have one digit), or None."""
    found = CLOCK.fullmatch(text)
    if not found:
        return None
    try:
        return time(int(found[1]), int(found[2]), int(found[3] or 0))
    except ValueError:
        return None
