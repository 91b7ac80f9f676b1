"""The office of Saltmarsh Quay: bookings with their extras, saved as records."""

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
    """An extra of a booking."""

    what = Choice("What", choices=Catalog("services", text="name", sort="name"), required=True)
    count = Integer("Count", minimum=1, default=1, required=True)
    price = Money("Price", unit="EUR", required=True)
    amount = Money("Amount", unit="EUR", value=derive(lambda count, price: count * price, count, price))

    @what.changed
    def quote(self) -> None:
        """Fill in the price from the list of services."""
        rows = self.form.session.records.rows("services")
        self.price.value = next((row["price"] for row in rows if row["name"] == self.what.value), None)


class OfficeForm(Form, title="Bookings", records="bookings", on_leave="ask"):
    """Save bookings, each with its extras."""

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
    keep = Button("Save and next", submits=True)
    leave = Button("Leave", closes="cancelled")

    def sum_up(self) -> Decimal:
        """Return the price of the berth and all extras."""
        return sum((line.amount.value or Decimal(0) for line in self.extras), self.price.value or Decimal(0))

    @check(price)
    def something(self, price: Decimal) -> str | None:
        """Refuse a price of nothing."""
        return "Enter a price above 0" if price <= 0 else None

    @only_berth.changed
    def filter_by_berth(self) -> None:
        """Show the bookings of one berth only."""
        self.records.where(berth=self.only_berth)
        self.records.first()

    @extras.line_adding
    def three_at_most(self, event: Event) -> None:
        """Block a fourth extra; the printed form has room for three."""
        if len(self.extras) == 3:
            event.block("There is room for only three extras")

    @find_berth.clicked
    def choose_berth(self) -> None:
        """Let the clerk look through the berths."""
        outcome = self.open(BerthTable)
        if outcome.accepted:
            self.berth.value = outcome[BerthTable.berths]


class BerthTable(Form, title="Berths"):
    """Choose a berth of a pier."""

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
        """Accept the row after a double click or Enter."""
        self.close("accepted")
