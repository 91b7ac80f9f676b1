"""How values are written and read as text: the interface, and the plain form of it.

Locale formats come from outside of the core; `PlainFormats` writes numbers as Python and JSON do.
"""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Protocol

NUMBER = re.compile(r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)", re.ASCII)
LONGEST = 300
"""Digits that a typed number may have: all such numbers fit a float."""


class Formats(Protocol):
    """What a session needs of a locale."""

    def parse_number(self, text: str) -> Decimal | None:
        """The number that a trimmed text stands for; None where it is none."""

    def show_number(self, value: float | Decimal, decimals: int | None) -> str:
        """A number as text, with exactly `decimals` places, or as many as it needs."""


class PlainFormats:
    """Numbers with a decimal point and no grouping."""

    def parse_number(self, text: str) -> Decimal | None:
        """The number that a trimmed text stands for; None where it is none."""
        if len(text) > LONGEST or not NUMBER.fullmatch(text):
            return None
        return Decimal(text)

    def show_number(self, value: float | Decimal, decimals: int | None) -> str:
        """A number as text, with exactly `decimals` places, or as many as it needs."""
        if decimals is not None:
            return f"{value:.{decimals}f}"
        exact = value if isinstance(value, Decimal) else Decimal(repr(value))
        text = f"{exact:f}"
        return text.rstrip("0").rstrip(".") if "." in text else text
