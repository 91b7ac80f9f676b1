"""Values: what a program may set, what a person may type, and how it is shown."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fuselatch import Choice, Form, Money, Number, Text, Tick, Whole
from fuselatch.core.model.formats import PlainFormats
from fuselatch.core.model.values import adapted
from fuselatch.rehearsal import rehearse


class Kinds(Form):
    """One control of each kind."""

    text = Text("Text", max_length=5)
    number = Number("Number", decimals=2, minimum=-3, maximum=60, unit="m")
    free = Number("Free")
    whole = Whole("Whole")
    money = Money("Money", unit="EUR")
    tick = Tick("Tick")
    choice = Choice("Choice", choices=("North", "South", "south"))


@pytest.mark.parametrize(
    ("call", "message"),
    [
        (lambda form: form.say(5), "say(…): a text (str) is wanted here, not int 5"),
        (
            lambda form: form.say("x", tone="loud"),
            "say(…): there is no tone 'loud'; it has plain, question, warning, danger",
        ),
        (lambda form: form.retitle(None), "retitle(…): a text (str) is wanted here, not NoneType None"),
        (lambda form: form.close(5), "close(…): a text (str) is wanted here, not int 5"),
        (lambda form: setattr(form.text, "caption", 5), "Kinds.text.caption: str is wanted here, not 5"),
        (lambda form: setattr(form.text, "enabled", 1), "Kinds.text.enabled: bool is wanted here, not 1"),
        (
            lambda form: setattr(form.choice, "choices", 5),
            "Kinds.choice.choices: a tuple or list of items is wanted here, not 5",
        ),
        (
            lambda form: setattr(form.choice, "position", "1"),
            "Kinds.choice.position: a place (int) is wanted here, not str '1'",
        ),
        (lambda form: setattr(form.text, "vlaue", "x"), "'LiveEntry' object has no attribute 'vlaue'"),
        (lambda form: delattr(form.text, "value"), "property 'value' of 'LiveEntry' object has no deleter"),
    ],
)
def test_what_a_handler_hands_over_is_refused_in_the_words_of_its_own_call(call: Any, message: str) -> None:
    with rehearse(Kinds) as desk:
        before = desk.session.view
        with pytest.raises((TypeError, ValueError, AttributeError)) as caught:
            call(desk.form)
        assert str(caught.value) == message and desk.session.view == before


class Word(str):
    """A str that is not exactly one."""


@pytest.mark.parametrize(
    ("name", "value", "held", "text"),
    [
        ("text", "abc", "abc", "abc"),
        ("text", Word("abc"), "abc", "abc"),
        ("text", "   ", "", ""),
        ("number", 4, 4.0, "4.00"),
        ("number", None, None, ""),
        ("free", 0.1, 0.1, "0.1"),
        ("free", 1e22, 1e22, "10000000000000000000000"),
        ("whole", 10**30, 10**30, "1" + "0" * 30),
        ("money", 3, Decimal("3.00"), "3.00"),
        ("money", Decimal("2.675"), Decimal("2.68"), "2.68"),
        ("tick", True, True, "yes"),
        ("choice", "South", "South", "South"),
    ],
)
def test_a_program_sets_exact_types(name: str, value: Any, held: Any, text: str) -> None:
    with rehearse(Kinds) as desk:
        control = getattr(desk.form, name)
        control.value = value
        assert (control.value, type(control.value), control.text) == (held, type(held), text)


@pytest.mark.parametrize(
    ("name", "value", "message"),
    [
        ("number", "4", "Kinds.number: a number (float or int) is wanted here, not str '4'"),
        ("number", True, "Kinds.number: a number (float or int) is wanted here, not bool True"),
        ("number", float("nan"), "Kinds.number: a finite number is wanted here, not nan"),
        ("number", float("inf"), "Kinds.number: a finite number is wanted here, not inf"),
        ("number", 10**400, f"Kinds.number: a number that fits a float is wanted here, not int 1{'0' * 38}…"),
        ("whole", 1.0, "Kinds.whole: a whole number (int) is wanted here, not float 1.0"),
        ("money", 1.5, "Kinds.money: an amount (Decimal or int) is wanted here, not float 1.5"),
        ("money", Decimal("NaN"), "Kinds.money: a finite amount is wanted here, not NaN"),
        ("tick", 1, "Kinds.tick: True or False is wanted here, not int 1"),
        ("text", 1, "Kinds.text: text (str) is wanted here, not int 1"),
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
        ("text", "  ab ", "ab", "ab", ""),
        ("text", "   ", "", "", ""),
        ("text", "abcdef", "abcdef", "abcdef", "6 characters are too many; at most 5"),
        ("number", "4.5", 4.5, "4.50", ""),
        ("number", " 4 ", 4.0, "4.00", ""),
        ("number", "4.500", 4.5, "4.50", ""),
        ("number", "4.505", None, "4.505", "'4.505' has more decimals than fit; at most 2 decimals"),
        ("number", "four", None, "four", "'four' is not a number such as 12.50"),
        ("number", "nan", None, "nan", "'nan' is not a number such as 12.50"),
        ("number", "1e3", None, "1e3", "'1e3' is not a number such as 12.50"),
        ("number", "61", 61.0, "61.00", "61.00 m is too large; at most 60.00 m"),
        ("number", "-4", -4.0, "-4.00", "-4.00 m is too small; at least -3.00 m"),
        ("free", ".5", 0.5, "0.5", ""),
        ("whole", "4.0", 4, "4", ""),
        ("whole", "4.5", None, "4.5", "'4.5' has more decimals than fit; no decimals"),
        ("whole", "4 4", None, "4 4", "'4 4' is not a whole number such as 12"),
        ("money", "12.5", Decimal("12.50"), "12.50", ""),
        ("money", "12.505", None, "12.505", "'12.505' has more decimals than fit; at most 2 decimals"),
        ("choice", "north", "North", "North", ""),
        ("choice", "South", "South", "South", ""),
        ("choice", "SOUTH", None, "SOUTH", "'SOUTH' is 2 of the choices; pick one"),
        ("choice", "Nort", None, "Nort", "'Nort' is none of the choices; did you mean 'North'?"),
    ],
)
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


@given(st.decimals(allow_nan=False, allow_infinity=False, places=2, min_value=-(10**12), max_value=10**12))
def test_an_amount_typed_as_shown_is_the_amount(value: Decimal) -> None:
    with rehearse(Kinds) as desk:
        form = desk.at(Kinds)
        form.money.value = value
        text = form.money.text
        desk.type("money", text)
        desk.tab()
        assert form.money.value == value


@given(st.text(max_size=12))
def test_no_text_breaks_an_entry(text: str) -> None:
    with rehearse(Kinds) as desk:
        for name in ("text", "number", "free", "whole", "money", "choice"):
            desk.type(name, text)
        desk.focus("tick")
        form = desk.at(Kinds)
        assert form.text.value == text.strip()
        for control in (form.number, form.free, form.whole, form.money):
            assert control.value is None or control.draft is None
            assert (control.value is None) is bool(control.is_blank)


def test_what_is_not_offered_can_not_be_set() -> None:
    with rehearse(Kinds) as desk:
        with pytest.raises(ValueError, match=r"Kinds\.choice: 'Nrth' is none of its choices; did you mean 'North'\?"):
            desk.at(Kinds).choice.value = "Nrth"


def test_given_wants_a_value() -> None:
    with rehearse(Kinds) as desk:
        form = desk.at(Kinds)
        message = r"Kinds\.number is blank; ask number\.is_blank first, or read number\.value"
        with pytest.raises(ValueError, match=message):
            _ = form.number.given
        assert form.tick.given is False
        assert not form.tick.is_blank


@pytest.mark.parametrize(
    ("value", "wanted", "found"),
    [
        (9, float, 9.0), (9.0, int, 9), (Decimal("9.50"), float, 9.5), (9.5, Decimal, Decimal("9.5")), (1, bool, True),
        (datetime(2031, 5, 4), date, date(2031, 5, 4)), (7, str, "7"), (date(2031, 5, 4), str, "2031-05-04"), (None, int, None),
        (9.5, int, "a whole number is wanted here, not float 9.5"), ("9", int, "a whole number is wanted here, not str '9'"),
        (Decimal("0.1000000000000000055511151231257827"), float, "a number is wanted here"), (2, bool, "yes or no is wanted"),
        (datetime(2031, 5, 4, 9), date, "a date is wanted here"), (float("inf"), Decimal, "an amount is wanted here"),
        (True, int, "a whole number is wanted here, not bool True"),
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
