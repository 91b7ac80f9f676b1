"""A form bound to records: moving, saving only what differs, filters, and values that follow the current record."""

from __future__ import annotations

from typing import Any

from fuselatch import Button, Choice, Event, Form, Number, Text, Tick, first_choice
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords

BOATS: list[dict[str, Any]] = [
    {"number": 1, "boat": "Eider", "size": 9.5, "state": "in", "paid": True, "note": "old"},
    {"number": 2, "boat": "Teal", "size": None, "state": "gone", "paid": False, "note": None},
    {"number": 5, "boat": "Heron", "size": 12, "state": "lost", "paid": False, "note": ""},
]


class Boats(Form, title="Boats", records="boats"):
    """Save boats. Entries without a column of their name stay as they are when the record changes."""

    boat = Text("Boat", required=True)
    size = Number("Size", default=8)
    whereabouts = Choice("State", column="state", choices=("in", "gone"), default=first_choice())
    paid = Tick("Paid")
    double = Number("Double", value=lambda form: (form.size.value or 0) * 2)
    note = Text("Note", enabled=lambda form: form.paid.value)
    shown = Text("Shown")
    only = Text("Only in state")
    place = Text("Record", value=lambda form: form.records.position_text)
    many = Number("Saved", value=lambda form: form.records.count)
    filter_it = Button("Filter")
    next_one = Button("Save, next", submits=True)
    new_one = Button("Save, new", submits=True, after_submit="new")
    same_one = Button("Save, same", submits=True, after_submit="same")
    ok = Button("OK", closes="accepted")
    leave = Button("Leave", closes="cancelled")

    @Form.record_shown
    def say_where(self, event: Event) -> None:
        """Note the record's key and position."""
        self.shown.value = f"{event.new} {self.records.position_text}"

    @filter_it.clicked
    def filter_by_state(self) -> None:
        """Follow an entry from now on. A blank one shows all records."""
        self.records.where(state=self.only)

    @boat.changed
    def never_by_a_record(self, event: Event) -> None:
        """Hear of the user's changes. A record that is shown changes nothing."""
        self.shown.value = f"now {event.new}"


@scene
def boats() -> Scene:
    """Return the form with three boats."""
    return Scene(Boats, records=MemoryRecords({"boats": BOATS}, keys={"boats": "number"}))
