"""Rows that a handler writes: seats on harbour tours, each sold once, with the people who sit there.

fuselatch rehearse examples/tours.cues
"""

from __future__ import annotations

from datetime import date
from typing import Any

from fuselatch import Button, Catalog, Choice, Form, Group, Latch, Lines, Text, check
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryLatches, MemoryRecords

SEATS = [
    {"id": 1, "tour": "Lagoon", "seat": "1 bow", "state": "free"},
    {"id": 2, "tour": "Lagoon", "seat": "2 bow", "state": "free"},
    {"id": 3, "tour": "Lighthouse", "seat": "1 stern", "state": "free"},
]
GUESTS = [
    {"id": 1, "name": "Abel Sund", "born": date(2001, 1, 1)},
    {"id": 2, "name": "Abel Sund", "born": date(2013, 2, 2)},
    {"id": 3, "name": "Ørsa Møre", "born": date(1988, 3, 3)},
]


class Guest(Group):
    """A guest on the tour."""

    guest = Choice("Guest", choices=Catalog("guests", text="name", value="id", value_type=int, sort="name"), required=True)


class Sale(Form, title="Tours", records="sales"):
    """Sell a seat, note who sits there, and print the ticket once."""

    ticket = Latch(per="saved_record")

    tour = Choice("Tour", choices=("Lagoon", "Lighthouse"), required=True)
    seat = Choice(
        "Seat",
        choices=Catalog("seats", text="seat", value="id", value_type=int).where(tour=tour, state="free"),
        required=True,
    )
    remark = Text("Remark")
    guests = Lines(Guest, "Guests", records="guests_on_tour", key="sale", new_parent="together", min_items=1, max_items=2)
    sell = Button("Sell", submits=True, after_submit="same")
    print_it = Button("Print ticket")
    leave = Button("Leave", closes="cancelled")

    @check(tour, seat)
    def still_free(self, tour: str, seat: int) -> str | None:
        row = self.session.records.read("seats", seat)
        return "this seat isn't free any more" if row is not None and row["state"] == "taken" else None

    @check(guests)
    def each_guest_once(self, guests: tuple[Guest, ...]) -> str | None:
        seated = [line.guest.value for line in guests if line.guest.value is not None]
        return "a guest is here twice" if len(set(seated)) < len(seated) else None

    @Form.submitted
    def mark_as_sold(self) -> None:
        # Checked against the row as it was read: if someone else has sold it since, this runs again.
        self.session.records.change("seats", self.seat.required_value, {"state": "sold"})

    @print_it.clicked
    def print_once(self) -> None:
        self.say("Ticket printed" if self.ticket.set() else "This ticket was printed before")


@scene
def tours() -> Scene:
    """Return the form with three seats, three guests, and no sales."""
    sales = [{"number": 1, "tour": "Lighthouse", "seat": 9, "remark": None}]
    sources: dict[str, list[dict[str, Any]]] = {
        "sales": sales,
        "seats": SEATS,
        "guests": GUESTS,
        "guests_on_tour": [{"id": 1, "sale": 1, "guest": 3}],
    }
    records = MemoryRecords(sources, keys={"sales": "number", "seats": "id", "guests": "id", "guests_on_tour": "id"})
    return Scene(Sale, user="clerk-1", records=records, latches=MemoryLatches())
