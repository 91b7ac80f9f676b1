"""A form for which a page adds a record bar, lines, and lists that are always open; one button takes long."""

from __future__ import annotations

from threading import Event
from typing import Final

from fuselatch import Button, Choice, Form, Group, Lines, Text, Tick
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords

ready: Final = Event()
"""Set once the engine has warmed up: until then, its button takes long."""


class Guest(Group):
    """One guest of a trip."""

    name = Text("Name", required=True)
    aged = Tick("Aged")


class Trip(Form, title="Trip", records="trips"):
    """A trip with its boat and its guests."""

    boat = Choice("Boat", choices=("Launch", "Dinghy", "Yawl"), look="radio", required=True)
    extras = Choice("Extras", choices=("power", "water", "crane"), look="list", multiple=True)
    guests = Lines(Guest, "Guests", records="guests", key="trip", order="place", min_items=1)
    slow = Button("Slow")
    leave = Button("Leave", closes="cancelled")

    @slow.clicked
    def warm_up(self) -> None:
        """Wait for the engine."""
        ready.wait(120)


@scene
def trips() -> Scene:
    """Return two trips, one with two guests."""
    rows = [{"id": 1, "boat": "Yawl", "extras": ()}, {"id": 2, "boat": "Launch", "extras": ()}]
    guests = [{"id": at, "trip": 1, "name": name, "aged": False, "place": at} for at, name in ((1, "Imke"), (2, "Nolke"))]
    return Scene(Trip, records=MemoryRecords({"trips": rows, "guests": guests}, keys={"trips": "id", "guests": "id"}))
