"""Examples for type checkers: each line with an error says so at its end.

A marker names what mypy calls the error. Both mypy (strict) and pyright must find an error at each
marked line, and none elsewhere. This file is never imported.
"""

from dataclasses import dataclass
from decimal import Decimal
from typing import Any, assert_type

from fuselatch import (
    Button,
    Catalog,
    Choice,
    CustomEvent,
    Date,
    Event,
    Form,
    Group,
    Integer,
    Latch,
    Lines,
    Money,
    Number,
    Opener,
    Outcome,
    Param,
    Shared,
    Table,
    Text,
    Tick,
    derive,
    from_open,
    on,
)
from fuselatch.rehearsal import rehearse
from fuselatch.services import Letters

VISITS = Shared(int, 0)
ON_DUTY = Shared(str)


@dataclass
class Tariff:
    per_night: Decimal


def double(length: float) -> float:
    return length * 2


def event_name(name: str) -> str:
    return name


def price(length: float, vessel: str) -> Decimal:
    return Decimal(length)


class Extra(Group):
    price = Money("Price", required=True)


class Member(Form):
    number = Choice("Number", choices=Catalog("members", text="name", value="id", value_type=int))


class Search(Form):
    starts: str = Param(default="")
    most: int = Param()

    chosen = CustomEvent(str)
    imported = Latch(every="day")
    match = Choice("Match", choices=["Kittiwake", "Eider"])
    size = Choice("Size", choices=[1, 2], default=lambda form: 2)
    member = Choice(
        "Member", choices=Catalog("members", text="name", value="id", value_type=int), default=from_open(Member, "number")
    )
    ruled = Choice(
        "Ruled", choices=Catalog("members", text="name", value="id", value_type=int), default=lambda form: form.size.value
    )
    nights = Integer("Nights", required=True, default=lambda form: 1)
    depth = Number("Depth", required="warn")
    pier = Choice("Pier", choices=["North"], required=True)
    boats = Table("Boats", rows=Catalog("boats", text="name"), columns=["name"], required=True)
    extras = Lines(Extra, "Extras")
    take = Button("Take", closes="accepted")

    @take.clicked
    def hand_over(self) -> None:
        self.chosen.send("Eider")
        self.chosen.send(5)  # E: arg-type
        self.imported.set("14 rows")
        assert_type(self.imported.answer, str | None)
        assert_type(self.ask_value(Number("Depth")), float | None)
        assert_type(self.ask_value(Text("State")), str | None)
        self.session.services[Letters].send("Dear Imke")  # E: arg-type
        self.open(Search, most=3, hiding=True, place="beside")
        self.open(Search, most=3, place="left")  # E: arg-type


class Address(Group):
    street = Text("Street")

    @street.changed
    def tidy(self) -> None:
        assert_type(self.street.value, str)
        assert_type(self.form, Form)


class Booking(Form):
    opener: "Search" = Opener()
    tariff: Tariff = Param()

    vessel = Text("Vessel", max_length="long")  # E: arg-type
    length = Number("Length", minimum=3, unit="m")
    twice = Number("Twice", value=derive(double, length))
    wrong = Number("Wrong", value=derive(double, vessel))  # E: arg-type
    cost = Money("Cost", value=derive(price, length, vessel))
    day = Date("Day")
    power = Tick("Power")
    home = Address("Home")
    find = Button("Find")

    @length.changed
    def with_event(self, event: Event) -> None:
        assert_type(self.length.value, float | None)
        assert_type(self.length.required_value, float)
        self.length.value = 3
        self.length.value = "3"  # E: assignment
        self.vessel.value = "Eider"
        self.vessel.value = None  # E: assignment
        assert_type(self.home.street.value, str)
        event.block("why")
        event.block()  # E: call-arg

    @on(length.left, home.street.changed)
    def without_event(self) -> None:
        outcome = self.open(Search, most=3)
        assert_type(outcome, Outcome)
        assert_type(outcome[Search.match], str | None)
        assert_type(outcome[Search.size], int | None)
        assert_type(outcome[Search.member], int | None)
        assert_type(outcome[Search.ruled], int | None)
        assert_type(outcome[Search.nights], int)
        assert_type(outcome[Search.depth], float | None)
        assert_type(outcome[Search.pier], str)
        assert_type(outcome[Search.boats], str)
        assert_type([line["price"] for line in outcome[Search.extras]], list[Any])
        self.open(Search)  # E: call-arg
        self.open(Search, most="3")  # E: arg-type
        self.open(Search, most=3, mots=3)  # E: call-arg
        shown = self.show(Search, most=1)
        assert_type(shown.match.value, str | None)
        assert_type(self.opener.match.value, str | None)

    @Search.chosen
    def hear(self, event: Event) -> None:
        self.vessel.value = event.payload

    @find.clicked
    def look(self) -> None:
        assert_type(self.cost.value, Decimal | None)
        plain: Number = Booking.length
        assert_type(plain.name, str)
        assert_type(self.power.value, bool)
        found = self.session.find(Search)
        assert_type(found, Search | None)
        assert_type(self.session[VISITS], int)
        assert_type(self.session[ON_DUTY], str | None)
        self.session[ON_DUTY] = None
        self.session[VISITS] = None  # E: misc
        self.session[VISITS] = "3"  # E: misc
        self.ask("Sure?", buttons="Yes")  # E: arg-type
        event_name(self.vessel.changed.nothing)  # E: attr-defined


def test_it(tariff: Tariff) -> None:
    with rehearse(Booking, tariff=tariff) as desk:
        desk.type("length", "3")
        desk.type(Booking.length, 3)  # E: arg-type
        assert_type(desk.at(Booking), Booking)
    rehearse(Booking, tarif=tariff)  # E: call-overload
