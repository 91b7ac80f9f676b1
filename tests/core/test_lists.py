"""Lists: kinds of choices, catalogs and chains of them, typing ahead, multiple choices, and other values."""

from __future__ import annotations

import enum
import re
import sys
from datetime import date
from types import SimpleNamespace
from typing import Any

import pandas
import pycountry
import pytest
from hypothesis import given
from hypothesis import strategies as st
from small.narrowed import BERTHS

from fuselatch import (
    Button,
    Catalog,
    Choice,
    Choices,
    DeclarationError,
    Form,
    HandlerFailed,
    Number,
    Refused,
    Table,
    UnknownName,
    first_choice,
    nth_choice,
)
from fuselatch.core.model.choices import choices_of
from fuselatch.core.model.typing_ahead import folded
from fuselatch.formats import LocaleFormats
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.scenes import Scene
from fuselatch.stores import MemoryRecords
from tests.helpers import act, told


class Tide(enum.Enum):
    """Members with text values, which are shown."""

    HIGH = "high water"
    SLACK_WATER = 3


PLACES = [
    {"country": "Norland", "region": "Coast", "town": "Pell Haven", "code": 1},
    {"country": "Norland", "region": "Coast", "town": "Dunmarrow", "code": 2},
    {"country": "Norland", "region": "Hills", "town": "Cadlow", "code": 3},
    {"country": "Sunderey", "region": "Coast", "town": "Ostrey Pool", "code": 4},
    {"country": "Sunderey", "region": "Coast", "town": "", "code": 5},
    {"country": "Sunderey", "region": "Coast", "town": "Ostrey Pool", "code": 6},
]


@pytest.mark.parametrize(
    ("declared", "held", "shown"),
    [
        (("a", "b"), ["a", "b"], ["a", "b"]), ([(1, "one"), (2, "two")], [1, 2], ["one", "two"]), ({1: "one", 2: "two"}, [1, 2], ["one", "two"]),
        ({"a": None, "b": None}, ["a", "b"], ["a", "b"]), (Tide, [Tide.HIGH, Tide.SLACK_WATER], ["high water", "Slack water"]),
        (range(2), [0, 1], ["0", "1"]), (None, [], []),
    ],
)  # fmt: skip
def test_what_choices_may_be(declared: Any, held: list[Any], shown: list[str]) -> None:
    choices = choices_of(declared)
    assert (list(choices), choices.shown()) == (held, shown)
    assert [choices.text(item) for item in held] == shown and choices_of(choices) is choices
    assert [choices.position(item) for item in held] == list(range(len(held)))
    assert [choices.find(text.upper()) for text in shown] == [[item] for item in held]


class Voyage(Form):
    """A chain of three lists over one source, and lists of other kinds."""

    country = Choice("Country", choices=Catalog("places", text="country"), default=first_choice())
    region = Choice("Region", choices=Catalog("places", text="region").where(country=country))
    town = Choice(
        "Town", choices=Catalog("places", text="town", value="code", value_type=int).where(country=country, region=region)
    )
    tide = Choice("Tide", choices=Tide, default=nth_choice(2))
    far = Choice("Far", choices=("a",), default=nth_choice(2))
    gone = Choice("Gone", choices=lambda form: ("a",), default="b")
    power = Choice("Power", choices=("solar", "shore", "wind"), multiple=True, default=("wind",))
    kind = Choice("Kind", choices=("sloop", "barge"), other=True)
    region_too = Choice("Region too", choices=Catalog("places", text="region").where(country=country), other=True)
    done = Button("Done", closes="accepted")


def voyage(**more: Any) -> Desk:
    return Desk(Scene(Voyage, records={"places": PLACES}, **more))


def test_a_chain_of_catalogs_and_defaults_by_place() -> None:
    with voyage() as desk:
        form = desk.at(Voyage)
        assert (form.country.value, form.tide.value, form.far.value, form.gone.value, form.power.value) == (
            "Norland", Tide.SLACK_WATER, None, None, ("wind",),
        )  # fmt: skip
        form.power.value = ("wind", "solar")
        assert form.power.value == ("solar", "wind"), "in the order of the list"
        assert (list(form.region.choices), form.town.choices.shown()) == (["Coast", "Hills"], [])
        desk.pick("region", "Coast")
        assert (list(form.town.choices), form.town.choices.shown()) == ([1, 2], ["Pell Haven", "Dunmarrow"])
        desk.pick("town", "Dunmarrow")
        assert (form.town.value, form.town.text, form.town.position) == (2, "Dunmarrow", 1)
        start = len(desk.trace)
        desk.pick("country", "Sunderey")
        # The region is still offered and stays; the town is not.
        assert (form.region.value, form.town.value, form.town.choices.shown()) == ("Coast", None, ["Ostrey Pool"] * 2)
        assert told(desk.trace[start:], "change") == [
            "country.value: Norland → Sunderey",
            "region.choices: 2: Coast, Hills → 1: Coast",
            "town.choices: 2: Pell Haven, Dunmarrow → 2: Ostrey Pool, Ostrey Pool",
            "town.value: 2 → blank",
            "region_too.choices: 2: Coast, Hills → 1: Coast",
        ]
        form.town.position = 0
        assert form.town.value == 4
        form.town.position = None
        with pytest.raises(ValueError, match=r"Voyage.town: no position 3 in 2 choices"):
            form.town.position = 3
        form.country.value = None
        assert list(form.region.choices) == []


def test_several_are_picked_and_taken_away_in_the_order_of_the_list() -> None:
    with voyage() as desk:
        form: Any = desk.at(Voyage)
        desk.pick("power", "solar")
        assert form.power.value == ("solar", "wind") and form.power.text == "solar, wind" and form.power.position == 0
        act(desk, "pick power wind", "pick power SOLAR")
        assert form.power.value == () and form.power.is_blank and form.power.position is None
        form.power.value = ["wind", "solar", "wind"]
        assert form.power.value == ("solar", "wind")
        with pytest.raises(ValueError, match="'steam' isn't one of the choices"):
            form.power.value = ("steam",)
        with pytest.raises(TypeError, match="expected a tuple or list of items, not 'wind'"):
            form.power.value = "wind"
        form.power.choices = ("wind", "steam")
        assert form.power.value == ("wind",)
        with pytest.raises(Refused, match="pick from the list; multiple choices can't be typed"):
            desk.type("power", "w")
        view: Any = next(one for one in desk.session.view.forms[0].controls if one.name == "power")
        assert (view.part.picked, view.value) == (("wind",), "wind")


def test_an_entry_that_is_not_in_the_list_is_offered_to_it() -> None:
    records = MemoryRecords({"places": [dict(row) for row in PLACES]})
    with Desk(Scene(Voyage, records=records)) as desk:
        form = desk.at(Voyage)
        act(desk, "type kind ' ketch '", "tab")
        assert desk.prompt.text == "Add 'ketch' to Kind?"
        desk.answer("Use once")
        assert form.kind.value == "ketch" and list(form.kind.choices) == ["sloop", "barge"]
        act(desk, "type kind cutter", "tab", "answer 'Add it'")
        assert list(form.kind.choices) == ["sloop", "barge", "cutter"]
        act(desk, "type kind BARGE", "tab")
        assert not desk.prompt and form.kind.value == "barge"
        act(desk, "type region_too Marsh", "tab", "answer 'Add it'")
        assert records.sources["places"][-1] == {"country": "Norland", "region": "Marsh", "town": None, "code": None}
        assert list(form.region.choices) == ["Coast", "Hills", "Marsh"]
        form.kind.value = "yawl"
        assert form.kind.value == "yawl" and not desk.prompt


TEXTS = st.lists(st.text("abé -A1", max_size=6), max_size=70)


@given(TEXTS, st.text("abé -A1", max_size=3), st.integers(1, 60))
def test_typing_ahead_is_what_a_plain_search_gives(texts: list[str], typed: str, most: int) -> None:
    choices = Choices(tuple(range(len(texts))), texts)
    key = folded(typed.strip())
    words = [
        at for at, text in enumerate(texts) if any((" " + plain(text)).startswith(plain(key), at2) for at2 in starts(text))
    ]
    begins = [at for at, text in enumerate(texts) if folded(text).startswith(key)]
    found = choices.ahead(typed, most)
    assert len(found) == len(set(found)) == min(most, len({*begins, *words}))
    assert found[: len(begins)] == found[:most][: len(begins)] and set(found[: len(begins)]) <= set(begins)
    exact = [at for at in begins if folded(texts[at]) == key]
    assert set(found[: len(exact)]) <= set(exact)
    assert sorted(choices.find(typed)) == sorted(
        [at for at, text in enumerate(texts) if text == typed]
        or [at for at, text in enumerate(texts) if folded(text) == folded(typed)]
    )


def plain(text: str) -> str:
    """Return a folded text with spaces between its words."""
    return "".join(letter if letter.isalnum() else " " for letter in folded(text))


def starts(text: str) -> list[int]:
    """Return the starts of all words but the first, in the text with a space before it."""
    spaced = plain(text)
    return [at + 2 for at, letter in enumerate(spaced) if letter == " " and spaced[at + 1 :]]


def test_what_is_declared_wrongly() -> None:
    def whole(**members: Any) -> None:
        type("Wrong", (Form,), members)

    catalog: Any = Catalog("x", text="y")
    both: Any = {"multiple": True, "other": True}

    for make, error in (
        (lambda: Catalog("", text="x"), "source must be a name, not ''"),
        (lambda: Catalog("x", text="y").where(), "where.. needs a column and a control"),
        (
            lambda: Catalog("x", text="y").where(pier=None),
            "expected a declared control with a value, or a constant, not None",
        ),
        (lambda: Catalog("x", text="y").begins(pier="North"), "expected a declared control with a value, not 'North'"),
        (lambda: Catalog("x", text="y").begins(), "need a column and a control, as begins.name=search."),
        (lambda: nth_choice(0), "nth_choice.0.: the first choice is nth_choice.1."),
        (lambda: Choice("x", choices=("a",), **both), "other= and multiple= can't be combined"),
        (lambda: whole(n=Number("N", minimum=catalog)), "a Catalog can only be used for choices, not minimum"),
        (
            lambda: whole(c=Choice("C", choices=Catalog("x", text="y").where(a=Number("N")))),
            "can't follow: Wrong has no control",
        ),
    ):
        with pytest.raises(DeclarationError, match=error):
            make()


def test_what_a_source_does_not_have_is_said() -> None:
    class Wrong(Form):
        a = Choice("A", choices=Catalog("places", text="twon"))

    for records, error in (
        ({"places": PLACES}, "has no column 'twon'; did you mean 'town'"),
        ({}, "unknown record source 'places'"),
    ):
        with pytest.raises(HandlerFailed, match=error), rehearse(Wrong, records=records):
            pass


def test_countries_and_their_subdivisions_as_iso_3166_has_them() -> None:
    countries = [{"code": one.alpha_2, "name": one.name} for one in pycountry.countries]
    regions = [{"code": one.code, "name": one.name, "country": one.country_code} for one in pycountry.subdivisions]

    class Address(Form):
        country = Choice("Country", choices=Catalog("countries", text="name", value="code", sort="name"))
        region = Choice("Region", choices=Catalog("regions", text="name", value="code", sort="name").where(country=country))

    with rehearse(Address, records={"countries": countries, "regions": regions}) as desk:
        form = desk.at(Address)
        names = form.country.choices.shown()
        assert len(names) == len(countries) and names == sorted(names, key=desk.session.formats.sort_key)  # type: ignore[attr-defined]
        for country in countries:
            desk.pick("country", country["name"])
            assert form.country.value == country["code"]
            assert set(form.region.choices) == {one["code"] for one in regions if one["country"] == country["code"]}
        for typed, code in (("germ", "DE"), ("cote d", "CI"), ("aland", "AX"), ("viet", "VN"), ("lao", "LA")):
            desk.type("country", typed)
            desk.key("Enter")
            assert form.country.value == code, typed


class Patients(Form):
    """A list in which two items read the same."""

    guest = Choice("Patient", choices=Catalog("patients", text="name", value="id", value_type=int))
    look = Button("Look")


@pytest.mark.parametrize(
    ("which", "picked", "refused"),
    [
        ("", None, "2 items read 'Abel'; say which: pick guest 'Abel' at 2"), (" at 2", 3, ""), (" where born 2031-01-01", 1, ""),
        (" at 3", None, "2 items of guest read 'Abel': use a number from 1 to 2, not '3'"),
        (" where bron 1", None, "'patients' has no column 'bron'; did you mean 'born'"),
        (" where born 2030-01-01", None, "0 items of guest read 'Abel' where born is '2030-01-01'"),
        (" is 2", None, "after pick guest Abel comes 'at PLACE' or 'where COLUMN VALUE', not 'is 2'"),
    ],
)  # fmt: skip
def test_of_two_items_that_read_the_same_none_is_taken_unseen(which: str, picked: int | None, refused: str) -> None:
    born = [date(2031, 1, 1), date(2031, 1, 1), date(2032, 2, 2)]
    people = [{"id": at + 1, "name": name, "born": born[at]} for at, name in enumerate(("Abel", "Bela", "Abel"))]
    with rehearse(Patients, records=MemoryRecords({"patients": people})) as desk:
        form = desk.at(Patients)
        if refused:
            with pytest.raises((Refused, UnknownName), match=re.escape(refused)):
                act(desk, f"pick guest Abel{which}")
        else:
            act(desk, f"pick guest Abel{which}")
        assert form.guest.value == picked
        for typed in ("Abel", "Ab"):
            act(desk, f"type guest {typed}", "tab")
            assert form.guest.value is None and form.guest.marker, "Tab takes none of them"
        act(desk, "type guest Be", "tab")
        assert form.guest.value == 2
        desk.session.feed(Gesture(verb="pick", control="guest", item="i3"))
        assert form.guest.value == 3 and desk.as_cues().splitlines()[-1] == "pick    guest Abel at 2"
        assert told(desk.trace, "change")[-1] == "guest.value: Bela → Abel", "the trace shows texts, not keys"


class Framed(Form):
    """A list and a table of a data frame that is given itself."""

    town = Choice("Town", choices=Catalog(pandas.DataFrame(BERTHS), text="name", value="length", value_type=float))
    table = Table("Table", rows=Catalog(pandas.DataFrame(BERTHS), text="name"), columns=("name", "length"))


def test_a_data_frame_is_given_itself() -> None:
    with rehearse(Framed) as desk:
        act(desk, "pick town Lodz", "pick table Lodz")
        form = desk.at(Framed)
        assert form.town.value == 12.0 and form.table.row == {"name": "Lodz", "pier": "S", "state": "free", "length": 12.0}
        assert form.town.choices.shown() == ["Møre", "Morgan", "Lodz"], "a row with a blank value is left out"


class Sorted(Form):
    """A list that is sorted by its texts."""

    name = Choice("Name", choices=Catalog("names", text="name", sort="name"))


@pytest.mark.parametrize(
    ("collator", "order"), [(None, "Ada Åland ångö Ärla Zebra"), ("swedish", "Ada Zebra Åland ångö Ärla")]
)
def test_texts_are_sorted_as_the_locale_does_where_a_collator_is_installed(
    collator: str | None, order: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    if collator is not None:
        # As PyICU's module is used. What it sorts is its own affair.
        swedish = SimpleNamespace(getSortKey=lambda text: [SWEDISH.index(letter) for letter in text.lower()])
        icu = SimpleNamespace(Collator=SimpleNamespace(createInstance=lambda locale: swedish), Locale=str)
        monkeypatch.setitem(sys.modules, "icu", icu)
    formats = LocaleFormats("sv")
    names = [{"name": name} for name in ("Zebra", "Ärla", "ångö", "Åland", "Ada")]
    with Session(Sorted, records=MemoryRecords({"names": names}), formats=formats) as session:
        form: Any = session.front
        assert form.name.choices.shown() == order.split()


SWEDISH = "abcdefghijklmnopqrstuvwxyzåäö"
