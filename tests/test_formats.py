"""Formats by locale: shown values can be read again, and ISO 8601 is always accepted."""

from __future__ import annotations

from datetime import date, datetime, time
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fuselatch import Date, DateTime, Form, Number, Percent, Time
from fuselatch.core.model.locale_formats import parse_moment, show_moment
from fuselatch.formats import locale_formats
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


@given(st.sampled_from(LOCALES), st.dates(min_value=date(1000, 1, 1)), st.times(), st.decimals(-(10**9), 10**9, places=3))
def test_what_is_shown_is_read_again(locale: str, day: date, hour: time, number: Decimal) -> None:
    formats = locale_formats(locale)
    hour = hour.replace(microsecond=0)
    assert formats.parse_date(formats.show_date(day)) == day == formats.parse_date(day.isoformat())
    assert formats.parse_time(formats.show_time(hour)) == hour == formats.parse_time(hour.isoformat())
    moment = datetime.combine(day, hour)
    assert parse_moment(show_moment(moment, formats), formats) == moment == parse_moment(moment.isoformat(), formats)
    assert formats.parse_number(formats.show_number(number, None)) == number


@given(st.sampled_from(LOCALES), st.text(max_size=12))
def test_no_text_breaks_a_format(locale: str, text: str) -> None:
    formats = locale_formats(locale)
    for parse in (formats.parse_number, formats.parse_date, formats.parse_time):
        parse(text)


def test_a_locale_of_nobody_is_refused() -> None:
    with pytest.raises(ValueError, match="'zz' isn't a known locale; write one such as en, de or fr-CH"):
        rehearse(Log, locale="zz").__enter__()
