"""Tables: rows of a source in columns, sorted, filtered, picked and double-clicked."""

from __future__ import annotations

from datetime import date
from typing import Any

from fuselatch import Button, Catalog, Choice, Event, Form, Table, Text
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords

BERTHS: list[dict[str, Any]] = [
    {"name": "N2", "pier": "North", "length": 9.5, "free": date(2031, 5, 6), "power": True},
    {"name": "N1", "pier": "North", "length": 12.0, "free": None, "power": False},
    {"name": "S1", "pier": "South", "length": 9.5, "free": date(2031, 5, 4), "power": True},
    {"name": "N3", "pier": "North", "length": None, "free": date(2031, 5, 5), "power": None},
]
COLUMNS = {"name": "Berth", "length": "Length", "free": "Free from", "power": "Power"}


class Plan(Form, title="Berths"):
    """Show the berths of a pier, and take some by double clicks."""

    pier = Choice("Pier", choices=("North", "South"))
    berths = Table("Berths", rows=Catalog("berths", text="name").where(pier=pier), columns=COLUMNS, sort="length")
    everywhere = Table("All", rows=Catalog("berths", text="name"), columns=("name",))
    told = Text("Picked", value=lambda form: f"{(form.berths.row or {}).get('name', 'none')} of {form.berths.count}")
    taken = Text("Names")
    soonest = Choice("Soonest", choices=Catalog("berths", text="name", sort="free"))
    ok = Button("OK", closes="accepted", keys="Enter")

    @berths.double_clicked
    def take(self, event: Event) -> None:
        """Add the berth's name."""
        self.taken.value += f"{event.new['name']} "


@scene
def plan() -> Scene:
    """Return the form with four berths."""
    return Scene(Plan, records=MemoryRecords({"berths": BERTHS}, keys={"berths": "name"}))
