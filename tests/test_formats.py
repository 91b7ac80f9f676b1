"""Formats by locale: shown values can be read again, and ISO 8601 is always accepted."""

from __future__ import annotations

from datetime import date, datetime, time
from decimal import Decimal, InvalidOperation
from random import Random
from unittest.mock import Mock

import pytest
from babel import localedata
from hypothesis import given
from hypothesis import strategies as st

from fuselatch import Date, DateTime, Form, Number, Percent, Time
from fuselatch.core.model.locale_formats import parse_moment, show_moment
from fuselatch.formats import LocaleFormats, locale_formats
from fuselatch.rehearsal import rehearse

LOCALES = ["en", "de", "fr", "sv", "en-GB", "de_CH", "ja", "pl", "pt-BR", "nl"]


class Log(Form):
    """Formats that differ by locale."""

    day = Date("Day", minimum=date(2031, 1, 1))
    hour = Time("Hour")
    due = DateTime("Due", maximum=datetime(2031, 5, 4, 22))
    depth = Number("Depth", decimals=1, unit="m")
    share = Percent("Share", decimals=1)


@pytest.mark.parametrize(
    ("locale", "control", "typed", "text"),
    [
        ("en", "day", "5/4/2031", "5/4/2031"), ("en", "day", "2031-05-04", "5/4/2031"), ("en-GB", "day", "4/5/2031", "04/05/2031"),
        ("de", "day", "4.5.2031", "04.05.2031"), ("sv", "day", "2031-05-04", "2031-05-04"), ("en", "hour", "9:30 pm", "9:30 PM"),
        ("en", "hour", "21:30", "9:30 PM"), ("de", "hour", "21:30", "21:30"), ("en", "due", "5/4/2031 9:30 pm", "5/4/2031 9:30 PM"),
        ("de", "due", "4.5.2031, 21:30", "04.05.2031 21:30"), ("de", "due", "2031-05-04T21:30:05", "04.05.2031 21:30:05"),
        ("en", "depth", "1,234.5", "1234.5"), ("de", "depth", "1.234,5", "1234,5"), ("de", "share", "12,5 %", "12,5"),
        ("en", "share", "12.5", "12.5"),
    ],
)  # fmt: skip
def test_entries_in_a_locale(locale: str, control: str, typed: str, text: str) -> None:
    with rehearse(Log, locale=locale) as desk:
        desk.type(control, typed)
        desk.tab()
        assert getattr(desk.form, control).draft is None
        assert getattr(desk.form, control).text == text
        assert desk.at(Log).share.value in (None, 0.125)


@pytest.mark.parametrize(
    ("locale", "control", "typed", "message"),
    [
        ("de", "day", "31.6.2031", "„31.6.2031“ ist kein Datum. Beispiel: 04.05.2031 oder 2031-05-04"),
        ("en", "day", "4 May", "'4 May' isn't a date. Example: 5/4/2031 or 2031-05-04"),
        ("en", "day", "5/4/31", "'5/4/31' isn't a date. Example: 5/4/2031 or 2031-05-04"),
        ("en", "day", "5/4/2030", "Too early: 5/4/2030. Minimum is 1/1/2031"),
        ("en", "hour", "25:00", "'25:00' isn't a time. Example: 9:30 AM or 09:30"),
        ("de", "hour", "noon", "„noon“ ist keine Uhrzeit. Beispiel: 09:30"),
        ("de", "due", "4.5.2031", "„4.5.2031“ ist kein Zeitpunkt. Beispiel: 04.05.2031 09:30 oder 2031-05-04T09:30"),
        ("en", "due", "2031-05-04 22:01", "Too late: 5/4/2031 10:01 PM. Maximum is 5/4/2031 10:00 PM"),
        ("de", "depth", "1.5", "„1.5“ ist keine Zahl. Beispiel: 12,5"),
        ("en", "depth", "1,5", "'1,5' isn't a number. Example: 12.5"),
        ("en", "depth", "1.25", "'1.25' has too many decimals. Maximum is 1 decimal"),
    ],
)
def test_what_is_expected_is_said_in_the_locale(locale: str, control: str, typed: str, message: str) -> None:
    with rehearse(Log, locale=locale) as desk:
        desk.type(control, typed)
        desk.tab()
        assert getattr(desk.form, control).marker.text == message


@given(st.sampled_from(LOCALES), st.dates(), st.times(), st.decimals(-(10**9), 10**9, places=3))
def test_what_is_shown_is_read_again(locale: str, day: date, hour: time, number: Decimal) -> None:
    formats = locale_formats(locale)
    hour = hour.replace(microsecond=0)
    assert formats.parse_date(formats.show_date(day)) == day == formats.parse_date(day.isoformat())
    assert formats.parse_time(formats.show_time(hour)) == hour == formats.parse_time(hour.isoformat())
    moment = datetime.combine(day, hour)
    assert parse_moment(show_moment(moment, formats), formats) == moment == parse_moment(moment.isoformat(), formats)
    assert formats.parse_number(formats.show_number(number, None)) == number


def test_a_locale_of_nobody_is_refused() -> None:
    with pytest.raises(ValueError, match="'zz' isn't a known locale; write one such as en, de or fr-CH"):
        rehearse(Log, locale="zz").__enter__()


HOURS = [time(hour, minute, second) for hour in range(24) for minute, second in ((0, 0), (30, 0), (5, 7))]
NUMBERS = [Decimal(each) for each in ("0", "-12.5", "1234567.25", "-0.001", "1e20", "123456789012345678901234567890.123456")]
DAYS = [date(1, 1, 1), date(999, 12, 31), date(2031, 5, 4), date(9999, 11, 30)]


def test_each_locale_of_cldr_reads_what_it_shows() -> None:
    unread = []
    for name in localedata.locale_identifiers():
        formats = LocaleFormats(name)
        pairs = [(value, formats.parse_date(formats.show_date(value))) for value in DAYS]
        pairs += [(value, formats.parse_time(formats.show_time(value))) for value in HOURS]  # type: ignore[misc]
        pairs += [(value, formats.parse_number(formats.show_number(value, None))) for value in NUMBERS]  # type: ignore[misc]
        moments = [datetime.combine(DAYS[2], hour) for hour in HOURS[::7]]
        pairs += [(value, parse_moment(show_moment(value, formats), formats)) for value in moments]
        unread += [(name, value) for value, found in pairs if found != value]
    assert not unread


@pytest.mark.parametrize("locale", ["en", "fr_CA", "ko", "th", "zh_TW", "ar", "fa"])
def test_the_example_of_a_marker_is_read(locale: str) -> None:
    with rehearse(Log, locale=locale) as desk:
        for name in ("day", "hour", "due", "depth", "share"):
            desk.paste(name, "?")
            desk.tab()
            example = desk.session.control(name).marker.text.partition(": ")[2].partition(" or ")[0]
            desk.paste(name, example)
            desk.tab()
            assert desk.session.control(name).value is not None, (name, example)
        desk.close()


HOSTILE = (
    "1," * 19 + "1", ",".join(map(str, range(1, 21))), "1/1/9999999999", "9" * 299, "1e999", "-" * 50, "--5", "+-5", "\u00b2", "\u00bd", "1_000",
    "\u0663", "99:99", "24:00", "2031-02-30", "0000-00-00", "1.1.99999999999999999999", "NaN", "inf", "-inf", "0x10", "1e-400", "\u202e12",
)  # fmt: skip
ALPHABET = "0123456789,.'-+/:  \u00a0eE%infNaTZ年月日\u0660\u0661\uff13\u2082\u00b2\u00bd\u202e\ud800\x00"


@pytest.mark.parametrize("error", [InvalidOperation, OverflowError, RecursionError])
def test_what_a_format_can_not_handle_is_a_finding(error: type[Exception], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(LocaleFormats, "parse_number", Mock(side_effect=error))
    with rehearse(Log, locale="en-GB") as desk:
        desk.type("depth", "1")
        desk.tab()
        assert desk.session.control("depth").marker.text == "'1' can't be read here"
        desk.close()


def test_whatever_is_typed_is_a_value_or_a_finding(request: pytest.FixtureRequest) -> None:
    random = Random(7)
    locales = random.sample(sorted(localedata.locale_identifiers()), 40)
    for locale in locales:
        with rehearse(Log, locale=locale) as desk:
            for _ in range(max(20, request.config.getoption("--entries") // 40)):
                name = random.choice(("day", "hour", "due", "depth", "share"))
                text = (
                    random.choice(HOSTILE)
                    if random.random() < 0.3
                    else "".join(random.choices(ALPHABET, k=random.choice((1, 4, 30, 300))))
                )
                desk.paste(name, text)
                desk.tab()
                control = desk.session.control(name)
                assert control.is_blank or control.draft is None
                assert desk.session.view.forms
            desk.close()


@given(
    st.floats(allow_nan=False, allow_infinity=False) | st.decimals(allow_nan=False, allow_infinity=False, places=6),
    st.none() | st.integers(0, 6),
)
def test_plain_english_numbers_are_those_of_the_locale(value: float | Decimal, decimals: int | None) -> None:
    english, babel = locale_formats("en"), LocaleFormats("en")
    text = babel.show_number(value, decimals)
    assert english.show_number(value, decimals) == text
    assert repr(english.parse_number(text)) == repr(babel.parse_number(text))
    assert [getattr(english, name) for name in SAID] == [getattr(babel, name) for name in SAID]


SAID = ("language", "direction", "first_weekday", "texts")
