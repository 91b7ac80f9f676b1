"""Lists that are narrowed by constants, entries, parts of texts, ranges, and several values."""

from __future__ import annotations

from typing import Any

from fuselatch import Catalog, Choice, Form, Integer, Text
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords

BERTHS: list[dict[str, Any]] = [
    {"name": "Møre", "pier": "N", "state": "free", "length": 8},
    {"name": "Morgan", "pier": "N", "state": "taken", "length": 10},
    {"name": "Lodz", "pier": "S", "state": "free", "length": 12},
    {"name": "Old Morgan", "pier": "S", "state": "free", "length": None},
]


class Narrowed(Form, title="Find a berth"):
    """Find a berth in each way."""

    pier = Choice("Pier", choices=("N", "S"))
    piers = Choice("Piers", choices=("N", "S"), multiple=True)
    box = Text("Part of the name")
    low = Integer("Shortest", unit="m")
    high = Integer("Longest", unit="m")
    free = Choice("Free", choices=Catalog("berths", text="name").where(pier=pier, state="free"))
    every = Choice("At the pier, or any", choices=Catalog("berths", text="name").where(pier=pier, state="free", blank="all"))
    several = Choice("At one of the piers", choices=Catalog("berths", text="name").where(pier=piers))
    first = Choice("Begins with", choices=Catalog("berths", text="name").begins(name=box))
    part = Choice("Contains", choices=Catalog("berths", text="name").where(pier=pier, blank="all").contains(name=box))
    fits = Choice("Fits", choices=Catalog("berths", text="name").between(length=(low, high)))


@scene
def berths() -> Scene:
    """Return the form with four berths."""
    return Scene(Narrowed, records=MemoryRecords({"berths": BERTHS}))
