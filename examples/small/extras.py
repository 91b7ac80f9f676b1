"""Lines under a record: their events, rules and checks, and how they are saved with it."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from fuselatch import Button, Choice, Event, Finding, Form, Group, Integer, Lines, Money, Text, check, on, warn
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords

PRICES = {"power": Decimal(3), "water": Decimal(1), "crane": None}
VISITS = [{"number": 1, "vessel": "Eider"}, {"number": 2, "vessel": "Teal"}]
EXTRAS: list[dict[str, Any]] = [
    {"id": 1, "booking": 1, "what": "power", "count": 2, "price": Decimal("3.00"), "place": 2},
    {"id": 2, "booking": 1, "what": "crane", "count": 1, "price": Decimal("40.00"), "place": 1},
    {"id": 3, "booking": 2, "what": "power", "count": 1, "price": Decimal("3.00"), "place": None},
    {"id": 4, "booking": 2, "what": "water", "count": 1, "price": Decimal("1.00"), "place": 1},
]


class Extra(Group):
    """An extra, with its price. Handlers of a group run for each line."""

    what = Choice("What", choices=tuple(PRICES), required=True)
    count = Integer("Count", default=1, minimum=1)
    price = Money("Price", required=True)
    amount = Money("Amount", value=lambda line: (line.count.value or 0) * (line.price.value or Decimal(0)))

    @check(count, price)
    def affordable(self, count: int, price: Decimal) -> str | None:
        """Check two entries of a line."""
        return "too dear" if count * price > 1000 else None

    @what.changed
    def fill_price(self) -> None:
        """Set the price. The crane's price is entered."""
        self.price.value = PRICES[self.what.required_value]


class Visit(Form, title="Visit", records="bookings"):
    """Save a visit with its extras, which keep their order in a column."""

    vessel = Text("Vessel", required=True)
    extras = Lines(Extra, "Extras", records="extras", key="booking", order="place", new_parent="save_first")
    total = Money("Total", value=lambda form: sum((line.amount.value or Decimal(0) for line in form.extras), Decimal(0)))
    last = Text("Last change")
    ok = Button("OK", closes="accepted")

    @extras.line_adding
    def four_at_most(self, event: Event) -> None:
        """Block a fifth line."""
        if len(self.extras) == 4:
            event.block("four are enough")

    @extras.line_removing
    def never_the_crane(self, event: Event) -> None:
        """Block the removal of one kind of line."""
        if event.old.what.value == "crane":
            event.block("the crane stays")

    @on(extras.line_added, extras.line_changed)
    def note_it(self, event: Event) -> None:
        """Show the event and its line."""
        self.last.value = f"{event.name.removeprefix('line_')} {event.new.path} {event.new.amount.text}"


class WithExtras(Form, title="Visit with extras", records="bookings"):
    """Save a visit together with one or two extras."""

    vessel = Text("Vessel")
    extras = Lines(Extra, "Extras", records="extras", key="booking", new_parent="together", min_items=1, max_items=2)
    keep = Button("Keep", submits=True, after_submit="same")


class Guest(Group):
    """Someone who comes along."""

    name = Text("Name")


class Party(Form, title="Party"):
    """Check all lines together, and against another entry. Another list of lines is beside them."""

    seats = Integer("Seats", default=2)
    extras = Lines(Extra, "Extras", min_items=1)
    guests = Lines(Guest, "Guests")
    remark = Text("Remark")
    done = Button("Done", closes="accepted")

    @check(extras)
    def not_too_many(self, extras: tuple[Extra, ...]) -> str | None:
        """Check the lines. Their marker is at the list."""
        return "more than seats" if sum(one.count.value or 0 for one in extras) > (self.seats.value or 0) else None

    @check(extras, seats, at=seats)
    def odd(self, extras: tuple[Extra, ...], seats: int) -> Finding | None:
        """Warn at the other entry."""
        return warn(f"{len(extras)} on {seats}") if len(extras) % 2 != seats % 2 else None


def rows() -> MemoryRecords:
    """Return two visits with three extras."""
    return MemoryRecords({"bookings": VISITS, "extras": EXTRAS}, keys={"bookings": "number", "extras": "id"})


@scene
def visit() -> Scene:
    """Return the first visit."""
    return Scene(Visit, records=rows(), at=1)


@scene
def with_extras() -> Scene:
    """Return the form that saves both together."""
    return Scene(WithExtras, records=rows())
