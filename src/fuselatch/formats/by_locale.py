"""Formats by locale, from Babel (Unicode CLDR). ISO 8601 is always accepted."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date, time
from decimal import Decimal, localcontext
from functools import cache
from pathlib import Path
from string import Formatter
from typing import Final

from anyascii import anyascii
from babel import Locale, UnknownLocaleError
from babel.dates import format_date, format_time
from babel.numbers import format_decimal, get_minus_sign_symbol, parse_decimal

from fuselatch.core.model.locale_formats import LONGEST_NUMBER, iso_date, iso_time
from fuselatch.core.model.texts import TEXTS
from fuselatch.core.model.values import EXACT
from fuselatch.formats.collation import collator_of, sort_key

DIGITS: Final = re.compile(r"[0-9]+", re.ASCII)
NO_NUMBER: Final = re.compile(r"[^0-9+\-.,'\u2019\u00a0\u202f\u066b\u066c ]")
"""A character that no locale writes in a number."""
MARKS: Final = re.compile("[\u200e\u200f\u061c\u2066-\u2069]")
"""Marks of direction, which some locales write within numbers, dates and times."""
BETWEEN: Final = re.compile(r"[\s.:,·\u00b7]+")
"""Separators of the parts of a time."""
DAY: Final = re.compile(r"[./\-\s年月日]*")
"""Characters that users may type around the parts of a date, in any locale."""
HALVES: Final[Mapping[str, int]] = {"am": 0, "pm": 12}
BAD: Final = (ValueError, ArithmeticError, LookupError)
"""Errors of Babel and of the calendar at numbers and dates that they can't handle."""


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
        self._around_day = set(re.sub(r"[dMy]", "", self._date))
        self._hours: dict[tuple[int, str], int] = {}
        # The digits of minutes and seconds: almost everywhere two.
        self._minutes = 2 if "mm" in self.locale.time_formats["short"].pattern else 1

    def parse_number(self, text: str) -> Decimal | None:
        text = MARKS.sub("", text.replace("\u2212", "-").replace("\u2012", "-"))
        if (
            len(text) > LONGEST_NUMBER
            or re.search(r"[^0-9+\-.,'\u2019\u00a0\u202f\u066b\u066c ]", text)
            or not DIGITS.search(text)
        ):
            return None
        minus = MARKS.sub("", get_minus_sign_symbol(self.locale)).replace("\u2212", "-")
        if minus != "-" and text.startswith(minus):
            text = f"-{text[len(minus) :]}"
        sign = text[:1] if text[:1] in ("+", "-") else ""
        if re.search("[+-]", text[len(sign) :]):
            return None
        try:
            # Its strict reading writes the number again, with as many digits as the context has.
            with localcontext(EXACT):
                number = parse_decimal(text[len(sign) :], locale=self.locale, strict=True)
        except BAD:
            return None
        return number.copy_negate() if sign == "-" and number else number

    def show_number(self, value: float | Decimal, decimals: int | None) -> str:
        exact = value if isinstance(value, Decimal) else Decimal(repr(value))
        places = max(0, -int(exact.normalize(EXACT).as_tuple().exponent)) if decimals is None else decimals
        pattern = "0" if places == 0 else f"0.{'0' * places}"
        with localcontext(EXACT):
            return str(format_decimal(exact, format=pattern, locale=self.locale, group_separator=False))

    def parse_date(self, text: str) -> date | None:
        date_read = iso_date(text)
        if date_read is not None:
            return date_read
        text = MARKS.sub("", text)
        parts = DIGITS.findall(text)
        if len(parts) != 3 or not (DAY.fullmatch(rest := DIGITS.sub("", text)) or set(rest) <= self._around_day):
            return None
        by_letter = dict(zip(self._order, parts, strict=False))
        # A year has four digits, so that no century is guessed.
        if len(by_letter.get("y", "")) != 4 or max(map(len, parts)) > 4:
            return None
        try:
            return date(int(by_letter["y"]), int(by_letter["M"]), int(by_letter["d"]))
        except BAD:
            return None

    def show_date(self, value: date) -> str:
        return str(format_date(value, format=self._date, locale=self.locale))

    def parse_time(self, text: str) -> time | None:
        time_read = iso_time(text)
        if time_read is not None:
            return time_read
        text = MARKS.sub("", text)
        parts = DIGITS.findall(text)
        if not 2 <= len(parts) <= 3 or max(map(len, parts)) > 2 or any(len(part) < self._minutes for part in parts[1:]):
            return None
        hour = self._hour(int(parts[0]), around(text))
        try:
            return None if hour is None else time(hour, int(parts[1]), int(parts[2]) if len(parts) == 3 else 0)
        except BAD:
            return None

    def _hour(self, hour: int, period: str) -> int | None:
        """Return the hour of 24 that is written as `hour`, with these words around it."""
        if not period:
            return hour
        if not self._hours:
            self._hours = self._written_hours()
        return self._hours.get((hour, period))

    def _written_hours(self) -> dict[tuple[int, str], int]:
        """Return each hour of the day by how it is written: the number, and the words around it.

        CLDR has locales with names for parts of the day, such as the early morning, and some that write "h" and "min". What
        is read is just what is shown, and the names of its two halves, also those of English.
        """
        hours: dict[tuple[int, str], int] = {}
        names = {
            around(names[half]): of
            for names in self.locale.day_periods["format"].values()
            for half, of in HALVES.items()
            if half in names
        }
        for name, half in {**HALVES, **names}.items():
            hours.update({(hour or 12, name): hour + half for hour in range(12)})
        for hour in range(24):
            for shown in (self.show_time(time(hour, minute, second)) for minute in (0, 30) for second in (0, 7)):
                written = MARKS.sub("", shown)
                hours[int(DIGITS.findall(written)[0]), around(written)] = hour
        return hours

    def fold(self, text: str) -> str:
        """Return text in plain letters without case, to find it: "Møre" is found by "more", "Łódź" by "lodz"."""
        return text.lower() if text.isascii() else str(anyascii(text)).lower()

    def sort_key(self, text: str) -> object:
        """Return a key that sorts as the locale does if PyICU is installed (`fuse-latch[collation]`); else as folded."""
        return sort_key(self._collator, text, self.fold(text))

    def show_time(self, value: time) -> str:
        text = str(format_time(value, format="medium" if value.second else "short", locale=self.locale))
        return text.replace("\u202f", " ")


def around(text: str) -> str:
    """Return the words around the numbers of a time, without what separates them: "am" of "9:30 a. m."."""
    return BETWEEN.sub("", DIGITS.sub("", MARKS.sub("", text))).casefold()


def four_digit_year(pattern: str) -> str:
    """Return a CLDR date pattern with a four-digit year."""
    return re.sub(r"y+", "yyyy", re.sub(r"'[^']*'|G+", "", pattern)).strip()


@cache
def texts_of(language: str) -> Mapping[str, str]:
    """Return the library's texts in a language, by id; in English if there is no catalog for it."""
    file = Path(__file__).with_name(f"{language}.po")
    return read_texts(file) if file.exists() else TEXTS


def read_texts(file: Path) -> Mapping[str, str]:
    """Return the translated texts of a .po file, by id (`msgctxt`). Raises `ValueError` for one that can't be filled in."""
    from babel.messages.pofile import read_po

    texts: dict[str, str] = {}
    with file.open("rb") as opened:
        for text in read_po(opened):
            text_id = text.context or ""
            if text_id in TEXTS and text.string and not text.fuzzy:
                texts[text_id] = fitting(text_id, str(text.string), file.name)
    return texts


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
