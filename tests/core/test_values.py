"""Values: what a program may set, what a user may type, and how it is shown."""

from __future__ import annotations

import re
from datetime import date, datetime
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fuselatch import Choice, Form, Integer, Money, Number, Text, Tick
from fuselatch.core.model.locale_formats import PlainFormats
from fuselatch.core.model.values import adapted, one_line
from fuselatch.rehearsal import rehearse


class Kinds(Form):
    """One control of each kind."""

    text = Text("Text", max_length=5)
    number = Number("Number", decimals=2, minimum=-3, maximum=60, unit="m")
    free = Number("Free")
    integer = Integer("Integer")
    money = Money("Money", unit="EUR")
    tick = Tick("Tick")
    choice = Choice("Choice", choices=("North", "South", "south"))


@pytest.mark.parametrize(
    ("call", "message"),
    [
        (lambda form: form.say(5), "say(…): expected text (str), not int 5"),
        (lambda form: form.say("x", tone="loud"), "say(…): unknown tone 'loud'; choose from plain, question, warning, danger"),
        (lambda form: form.set_title(None), "set_title(…): expected text (str), not NoneType None"),
        (lambda form: form.close(5), "close(…): expected text (str), not int 5"),
        (lambda form: setattr(form.text, "caption", 5), "Kinds.text.caption: expected str, not 5"),
        (lambda form: setattr(form.text, "enabled", 1), "Kinds.text.enabled: expected bool, not 1"),
        (lambda form: setattr(form.choice, "choices", 5), "Kinds.choice.choices: expected a tuple or list of items, not 5"),
        (lambda form: setattr(form.choice, "position", "1"), "Kinds.choice.position: expected a position (int), not str '1'"),
        (lambda form: setattr(form.text, "vlaue", "x"), "'LiveInput' object has no attribute 'vlaue'"),
        (lambda form: delattr(form.text, "value"), "property 'value' of 'LiveInput' object has no deleter"),
    ],
)  # fmt: skip
def test_what_a_handler_hands_over_is_refused_in_the_words_of_its_own_call(call: Any, message: str) -> None:
    with rehearse(Kinds) as desk:
        before = desk.session.view
        with pytest.raises((TypeError, ValueError, AttributeError)) as caught:
            call(desk.form)
        assert str(caught.value).partition(" and no __dict__")[0] == message and desk.session.view == before


class Word(str):
    """A subclass of str."""


@pytest.mark.parametrize(
    ("name", "value", "held", "text"),
    [
        ("text", "abc", "abc", "abc"), ("text", Word("abc"), "abc", "abc"), ("text", "   ", "", ""), ("number", 4, 4.0, "4.00"),
        ("number", None, None, ""), ("free", 0.1, 0.1, "0.1"), ("free", 1e22, 1e22, "10000000000000000000000"),
        ("integer", 10**30, 10**30, "1" + "0" * 30), ("money", 3, Decimal("3.00"), "3.00"), ("money", Decimal("2.675"), Decimal("2.68"), "2.68"),
        ("tick", True, True, "yes"), ("choice", "South", "South", "South"),
    ],
)  # fmt: skip
def test_a_program_sets_exact_types(name: str, value: Any, held: Any, text: str) -> None:
    with rehearse(Kinds) as desk:
        control = getattr(desk.form, name)
        control.value = value
        assert (control.value, type(control.value), control.text) == (held, type(held), text)


@pytest.mark.parametrize(
    ("name", "value", "message"),
    [
        ("number", "4", "Kinds.number: expected a number (float or int), not str '4'"),
        ("number", True, "Kinds.number: expected a number (float or int), not bool True"),
        ("number", float("nan"), "Kinds.number: expected a finite number, not nan"),
        ("number", float("inf"), "Kinds.number: expected a finite number, not inf"),
        ("number", 10**400, f"Kinds.number: expected a number that fits a float, not int 1{'0' * 38}…"),
        ("integer", 1.0, "Kinds.integer: expected a whole number (int), not float 1.0"),
        ("money", 1.5, "Kinds.money: expected an amount (Decimal or int), not float 1.5"),
        ("money", Decimal("NaN"), "Kinds.money: expected a finite amount, not NaN"),
        ("tick", 1, "Kinds.tick: expected True or False, not int 1"),
        ("text", 1, "Kinds.text: expected text (str), not int 1"),
    ],
)
def test_a_wrong_type_is_a_type_error_and_changes_nothing(name: str, value: Any, message: str) -> None:
    with rehearse(Kinds) as desk:
        control = getattr(desk.form, name)
        before = control.value
        with pytest.raises(TypeError) as caught:
            control.value = value
        assert str(caught.value) == message
        assert control.value == before


@pytest.mark.parametrize(
    ("name", "typed", "value", "text", "finding"),
    [
        ("text", "  ab ", "ab", "ab", ""), ("text", "   ", "", "", ""),
        ("text", "abcdef", "abcdef", "abcdef", "Too long: 6 characters. Maximum is 5"), ("number", "4.5", 4.5, "4.50", ""),
        ("number", " 4 ", 4.0, "4.00", ""), ("number", "4.500", 4.5, "4.50", ""),
        ("number", "4.505", None, "4.505", "'4.505' has too many decimals. Maximum is 2 decimals"),
        ("number", "four", None, "four", "'four' isn't a number. Example: 12.50"),
        ("number", "nan", None, "nan", "'nan' isn't a number. Example: 12.50"),
        ("number", "1e3", None, "1e3", "'1e3' isn't a number. Example: 12.50"),
        ("number", "61", 61.0, "61.00", "Too high: 61.00 m. Maximum is 60.00 m"),
        ("number", "-4", -4.0, "-4.00", "Too low: -4.00 m. Minimum is -3.00 m"), ("free", ".5", 0.5, "0.5", ""), ("integer", "4.0", 4, "4", ""),
        ("integer", "4.5", None, "4.5", "'4.5' has too many decimals. No decimals are allowed"),
        ("integer", "4 4", None, "4 4", "'4 4' isn't a whole number. Example: 12"), ("money", "12.5", Decimal("12.50"), "12.50", ""),
        ("money", "12.505", None, "12.505", "'12.505' has too many decimals. Maximum is 2 decimals"), ("choice", "north", "North", "North", ""),
        ("choice", "South", "South", "South", ""), ("choice", "SOUTH", None, "SOUTH", "'SOUTH' matches 2 choices. Pick one from the list"),
        ("choice", "Nort", None, "Nort", "'Nort' isn't in the list. Did you mean 'North'?"),
    ],
)  # fmt: skip
def test_a_draft_settles_into_a_value_or_a_finding(name: str, typed: str, value: Any, text: str, finding: str) -> None:
    with rehearse(Kinds) as desk:
        desk.type(name, typed)
        control = getattr(desk.form, name)
        assert control.draft == typed
        desk.focus("tick")
        assert (control.value, control.text, control.marker.text) == (value, text, finding)
        assert control.draft == (typed if value is None else None)


@given(st.floats(allow_nan=False, allow_infinity=False))
def test_a_number_shown_is_the_number_read(value: float) -> None:
    formats = PlainFormats()
    text = formats.show_number(value, None)
    read = formats.parse_number(text)
    assert (read is None and len(text) > 300) or float(read or 0) == value


@given(st.text(max_size=12))
def test_no_text_breaks_an_entry(text: str) -> None:
    with rehearse(Kinds) as desk:
        for name in ("text", "number", "free", "integer", "money", "choice"):
            desk.type(name, text)
        desk.focus("tick")
        form = desk.at(Kinds)
        assert form.text.value == one_line(text).strip()
        for control in (form.number, form.free, form.integer, form.money):
            assert control.value is None or control.draft is None
            assert (control.value is None) is bool(control.is_blank)


def test_what_is_not_offered_can_not_be_set() -> None:
    with rehearse(Kinds) as desk:
        with pytest.raises(ValueError, match=r"Kinds\.choice: 'Nrth' isn't one of the choices; did you mean 'North'\?"):
            desk.at(Kinds).choice.value = "Nrth"


@pytest.mark.parametrize(
    ("value", "wanted", "found"),
    [
        (9, float, 9.0), (9.0, int, 9), (Decimal("9.50"), float, 9.5), (9.5, Decimal, Decimal("9.5")), (1, bool, True),
        (datetime(2031, 5, 4), date, date(2031, 5, 4)), (7, str, "7"), (date(2031, 5, 4), str, "2031-05-04"), (None, int, None),
        (9.5, int, "expected a whole number, not float 9.5"), ("9", int, "expected a whole number, not str '9'"),
        (Decimal("0.1000000000000000055511151231257827"), float, "expected a number"), (2, bool, "expected yes or no"),
        (datetime(2031, 5, 4, 9), date, "expected a date"), (float("inf"), Decimal, "expected an amount"),
        (True, int, "expected a whole number, not bool True"),
    ],
)  # fmt: skip
def test_what_a_store_holds_is_taken_as_another_type_only_where_nothing_is_lost(
    value: Any, wanted: type, found: Any
) -> None:
    if isinstance(found, str) and wanted is not str:
        with pytest.raises(TypeError, match=found):
            adapted(value, wanted)
    else:
        assert adapted(value, wanted) == found and type(adapted(value, wanted)) is type(found)


@pytest.mark.parametrize(
    ("pattern", "sample"),
    [
        ("^[A-Z]{2}-\\d{3,5}$", "AA-000"), ("(north|south) [a-z]*x", "north x"), (r"^[^@ ]+@[^@ ]+\.[a-z]{2,}$", "a@a.aa"),
        (r"(a|b)\1", "aa"), ("^(?!x).+$", "a"), (r"^[^\W\d]\S.{2}$", "aaaa"), ("[^a-zA-Z0-9]", " "), ("(?i)^w[в-я]$", "wв"),
    ],
)  # fmt: skip
def test_a_sample_is_made_for_a_pattern(pattern: str, sample: str) -> None:
    text = Text("Text", pattern=pattern)
    verb, wrong = text.wrong("pattern") or ("", "")
    assert (text.sample(), verb) == (sample, "type") and not re.search(pattern, wrong)
