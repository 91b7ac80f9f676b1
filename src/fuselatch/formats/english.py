"""Formats of the locale that a session has without another: English, as Babel writes it.

Most forms show nothing but texts and plain numbers, which are the same in the library's plain formats. Babel is loaded for
the first date, time or other number.
"""

from __future__ import annotations

import re
from datetime import date, time
from decimal import Decimal
from functools import cached_property
from typing import TYPE_CHECKING, ClassVar, Final

from fuselatch.core.model.texts import TEXTS
from fuselatch.core.model.values import EXACT
from fuselatch.formats.collation import collator_of, sort_key

if TYPE_CHECKING:
    from fuselatch.formats.by_locale import LocaleFormats

PLAIN: Final = re.compile(r"-?(0|[1-9][0-9]{0,2})(\.[0-9]{1,100})?", re.ASCII)
"""Numbers that read the same with and without a locale."""


class EnglishFormats:
    """Numbers, dates and times of the locale "en"; the same as `LocaleFormats("en")`."""

    language: ClassVar = "en"
    direction: ClassVar = "ltr"
    first_weekday: ClassVar = 1
    texts: ClassVar = TEXTS

    @cached_property
    def _babel(self) -> LocaleFormats:
        from fuselatch.formats.by_locale import LocaleFormats

        return LocaleFormats("en")

    @cached_property
    def _collator(self) -> object:
        return collator_of("en")

    def parse_number(self, text: str) -> Decimal | None:
        if PLAIN.fullmatch(text):
            number = Decimal(text)
            return number if number else abs(number)
        return self._babel.parse_number(text)

    def show_number(self, value: float | Decimal, decimals: int | None) -> str:
        exact = value if isinstance(value, Decimal) else Decimal(repr(value))
        if not exact.is_finite() or not exact:
            return self._babel.show_number(value, decimals)
        places = max(0, -int(exact.normalize(EXACT).as_tuple().exponent)) if decimals is None else decimals
        return format(EXACT.quantize(exact, Decimal(1).scaleb(-places)), "f")

    def parse_date(self, text: str) -> date | None:
        return self._babel.parse_date(text)

    def show_date(self, value: date) -> str:
        return self._babel.show_date(value)

    def parse_time(self, text: str) -> time | None:
        return self._babel.parse_time(text)

    def show_time(self, value: time) -> str:
        return self._babel.show_time(value)

    def fold(self, text: str) -> str:
        """Return text in plain letters without case, to find it: "Møre" is found by "more"."""
        return text.lower() if text.isascii() else self._babel.fold(text)

    def sort_key(self, text: str) -> object:
        """Return a key that sorts as the locale does."""
        return sort_key(self._collator, text, self.fold(text))
