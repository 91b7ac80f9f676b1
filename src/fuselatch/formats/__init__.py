"""Formats by locale, from Babel (Unicode CLDR). ISO 8601 is always accepted."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date, time
from decimal import Decimal, localcontext
from functools import cache
from importlib import import_module
from pathlib import Path
from string import Formatter
from typing import Any

from anyascii import anyascii
from babel import Locale, UnknownLocaleError
from babel.dates import format_date, format_time
from babel.numbers import NumberFormatError, format_decimal, parse_decimal

from fuselatch.core.model.locale_formats import LONGEST, iso_date, iso_time
from fuselatch.core.model.texts import TEXTS
from fuselatch.core.model.values import EXACT

DAY_PARTS = re.compile(r"[0-9]+", re.ASCII)
CLOCK = re.compile(r"([0-9]{1,2})[:.]([0-9]{2})(?:[:.]([0-9]{2}))?\s*(.*)", re.ASCII)


class LocaleFormats:
    """Numbers, dates and times in a locale: `LocaleFormats("de")`.

    Numbers are shown without grouping and read with or without it. Years have four digits. `texts`: a .po file with the
    library's texts (docs/languages.md); without it those of the locale's language, or English. Raises `ValueError` for an
    unknown locale. `language`, `direction` (ltr or rtl) and `first_weekday` (1: Monday) are for front ends.
    """

    def __init__(self, locale: str, texts: Path | None = None) -> None:
        try:
            self.locale = Locale.parse(locale, sep="-" if "-" in locale else "_")
        except (UnknownLocaleError, ValueError) as error:
            why = str(error).partition("\n")[0]
            raise ValueError(f"'{locale}' isn't a known locale; write one such as en, de or fr-CH ({why})") from None
        self.language = str(self.locale).replace("_", "-")
        self.direction = "rtl" if self.locale.character_order == "right-to-left" else "ltr"
        self.first_weekday = self.locale.first_week_day + 1
        self.texts = texts_of(self.locale.language) if texts is None else read_texts(texts)
        self._collator = collator_of(str(self.locale))
        self._date = four_digit_year(self.locale.date_formats["short"].pattern)
        self._order = list(dict.fromkeys(re.sub(r"[^dMy]", "", self._date)))

    def parse_number(self, text: str) -> Decimal | None:
        text = text.replace("\u2212", "-")
        if len(text) > LONGEST or re.search(r"[^0-9+\-.,'\u2019\u00a0\u202f ]", text) or not re.search("[0-9]", text):
            return None
        try:
            return parse_decimal(text, locale=self.locale, strict=True)
        except (NumberFormatError, ValueError):
            return None

    def show_number(self, value: float | Decimal, decimals: int | None) -> str:
        exact = value if isinstance(value, Decimal) else Decimal(repr(value))
        places = max(0, -int(exact.normalize().as_tuple().exponent)) if decimals is None else decimals
        pattern = "0" if places == 0 else f"0.{'0' * places}"
        with localcontext(EXACT):
            return str(format_decimal(exact, format=pattern, locale=self.locale, group_separator=False))

    def parse_date(self, text: str) -> date | None:
        found = iso_date(text)
        parts = DAY_PARTS.findall(text)
        if found is not None or len(parts) != 3 or re.search(r"[^0-9./\-\s\u200e\u200f年月日]", text):
            return found
        by_letter = dict(zip(self._order, map(int, parts), strict=False))
        if by_letter.get("y", 0) < 1000:
            return None
        try:
            return date(by_letter["y"], by_letter["M"], by_letter["d"])
        except ValueError:
            return None

    def show_date(self, value: date) -> str:
        return str(format_date(value, format=self._date, locale=self.locale))

    def parse_time(self, text: str) -> time | None:
        found = iso_time(text)
        if found is not None:
            return found
        parts = CLOCK.fullmatch(text)
        if not parts:
            return None
        hour = self._hour(int(parts[1]), parts[4].strip().casefold())
        try:
            return None if hour is None else time(hour, int(parts[2]), int(parts[3] or 0))
        except ValueError:
            return None

    def _hour(self, hour: int, period: str) -> int | None:
        """Return the hour of 24, for an hour with the locale's name of am or pm."""
        if not period:
            return hour
        names = self.locale.day_periods["format"]["abbreviated"]
        halves = {names["am"].casefold(): 0, names["pm"].casefold(): 12}
        return None if period not in halves or not 1 <= hour <= 12 else hour % 12 + halves[period]

    def fold(self, text: str) -> str:
        """Return text in plain letters without case, to find it: "Møre" is found by "more", "Łódź" by "lodz"."""
        return text.lower() if text.isascii() else str(anyascii(text)).lower()

    def sort_key(self, text: str) -> Any:
        """Return a key that sorts as the locale does if PyICU is installed (`fuse-latch[collation]`); else as folded."""
        if self._collator is not None:
            return self._collator.getSortKey(text)
        return self.fold(text), text

    def show_time(self, value: time) -> str:
        text = str(format_time(value, format="medium" if value.second else "short", locale=self.locale))
        return text.replace("\u202f", " ")


def collator_of(locale: str) -> Any:
    """Return what sorts texts by the Unicode Collation Algorithm in a locale; None without PyICU."""
    try:
        icu: Any = import_module("icu")
    except ImportError:
        return None
    return icu.Collator.createInstance(icu.Locale(locale))


def four_digit_year(pattern: str) -> str:
    """Return a CLDR date pattern with a four-digit year."""
    return re.sub(r"y+", "y", re.sub(r"'[^']*'|G+", "", pattern)).strip()


@cache
def texts_of(language: str) -> Mapping[str, str]:
    """Return the library's texts in a language, by id; in English if there is no catalog for it."""
    file = Path(__file__).with_name(f"{language}.po")
    return read_texts(file) if file.exists() else TEXTS


def read_texts(file: Path) -> Mapping[str, str]:
    """Return the translated texts of a .po file, by id (`msgctxt`). Raises `ValueError` for one that can't be filled in."""
    from babel.messages.pofile import read_po

    found: dict[str, str] = {}
    with file.open("rb") as opened:
        for text in read_po(opened):
            text_id = text.context or ""
            if text_id in TEXTS and text.string and not text.fuzzy:
                found[text_id] = fitting(text_id, str(text.string), file.name)
    return found


def fitting(text_id: str, text: str, file: str) -> str:
    """Return a translated text; raise `ValueError` if it has other names in braces than the English one."""
    try:
        named = names_in(text)
    except ValueError as error:
        raise ValueError(f"{file}: the text '{text_id}': {error}") from None
    unknown = sorted(named - names_in(TEXTS[text_id]))
    if unknown:
        known = ", ".join(sorted(names_in(TEXTS[text_id]))) or "none"
        raise ValueError(f"{file}: the text '{text_id}' can't have '{{{unknown[0]}}}'; choose from {known}")
    return text


def names_in(text: str) -> set[str]:
    """Return the names in braces of a text."""
    return {name for _, name, _, _ in Formatter().parse(text) if name is not None}


@cache
def locale_formats(locale: str) -> LocaleFormats:
    """Return the formats of a locale, created once."""
    return LocaleFormats(locale)
