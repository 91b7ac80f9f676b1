"""The office of Saltmarsh Quay: bookings with what is booked besides, kept in records."""

from __future__ import annotations

from decimal import Decimal

from fuselatch import (
    Button,
    Catalog,
    Choice,
    Date,
    Event,
    Form,
    Group,
    Integer,
    Label,
    Lines,
    Money,
    Table,
    check,
    derive,
    last_entered,
)


class ExtraLine(Group):
    """Something that is booked besides a berth."""

    what = Choice("What", choices=Catalog("services", text="name", sort="name"), required=True)
    count = Integer("Count", minimum=1, default=1, required=True)
    price = Money("Price", unit="EUR", required=True)
    amount = Money("Amount", unit="EUR", value=derive(lambda count, price: count * price, count, price))

    @what.changed
    def quote(self) -> None:
        """Take the price from the list of services."""
        rows = self.form.session.records.rows("services")
        self.price.value = next((row["price"] for row in rows if row["name"] == self.what.value), None)


class OfficeForm(Form, title="Bookings", records="bookings", on_leave="ask"):
    """Keeps bookings, each with its extras."""

    place = Label("Record", value=lambda form: form.records.position_text)
    only_berth = Choice("Only berth", choices=Catalog("berths", text="name", sort="name"))
    vessel = Choice("Vessel", choices=Catalog("vessels", text="name", sort="name"), required=True)
    berth = Choice("Berth", choices=Catalog("berths", text="name", sort="name"), required=True, default=last_entered())
    arrival = Date("Arrival", required=True, default=lambda form: form.session.today())
    nights = Integer("Nights", minimum=1, maximum=30, default=1, required=True)
    price = Money("Price", unit="EUR", required=True)
    extras = Lines(ExtraLine, "Extras", records="extras", key="booking", new_parent="save_first")
    total = Money("To pay", unit="EUR", value=lambda form: form.sum_up())
    find_berth = Button("Berths…")
    keep = Button("Keep, and the next", submits=True)
    leave = Button("Leave", closes="cancelled")

    def sum_up(self) -> Decimal:
        """The berth and all that is booked besides."""
        return sum((line.amount.value or Decimal(0) for line in self.extras), self.price.value or Decimal(0))

    @check(price)
    def something(self, price: Decimal) -> str | None:
        """A berth is never given away."""
        return "a berth costs something" if price <= 0 else None

    @only_berth.changed
    def filter_by_berth(self) -> None:
        """Go through the bookings of one berth only."""
        self.records.where(berth=self.only_berth)
        self.records.first()

    @extras.line_adding
    def three_at_most(self, event: Event) -> None:
        """The form that goes with a booking has room for three."""
        if len(self.extras) == 3:
            event.block("there is room for three extras")

    @find_berth.clicked
    def choose_berth(self) -> None:
        """Let the person look through the berths."""
        outcome = self.open(BerthTable)
        if outcome.accepted:
            self.berth.value = outcome[BerthTable.berths]


class BerthTable(Form, title="Berths"):
    """The berths of a pier, one to be chosen."""

    pier = Choice("Pier", choices=Catalog("berths", text="pier", sort="pier"), default="North")
    berths = Table(
        "Berths",
        rows=Catalog("berths", text="name").where(pier=pier),
        columns={"name": "Berth", "length": "Length (m)", "depth": "Depth (m)"},
        sort="length",
        required=True,
    )
    take = Button("Take it", closes="accepted")
    back = Button("Back", closes="cancelled")

    @berths.double_clicked
    def take_at_once(self) -> None:
        """A double click, or Enter, takes the row."""
        self.close("accepted")
