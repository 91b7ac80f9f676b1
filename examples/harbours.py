"""Records and lists: harbours kept by country, region and town, with what each has to offer.

fuselatch rehearse examples/harbours.cues
"""

from __future__ import annotations

from fuselatch import FIRST, Button, Catalog, Choice, Form, Label, MemoryRecords, Text, Whole
from fuselatch.rehearsal import Scene

PLACES = [
    {"country": "Norland", "region": "Coast", "town": "Pell Haven"},
    {"country": "Norland", "region": "Coast", "town": "Dunmarrow"},
    {"country": "Norland", "region": "Hills", "town": "Cadlow Sound"},
    {"country": "Sunderey", "region": "Coast", "town": "Ostrey Pool"},
    {"country": "Sunderey", "region": "Isles", "town": "Vannermouth"},
]
HARBOURS = [
    {"number": 1, "harbour": "Old Basin", "country": "Norland", "region": "Coast", "town": "Pell Haven", "berths": 40},
    {"number": 2, "harbour": "Sound Quay", "country": "Norland", "region": "Hills", "town": "Cadlow Sound", "berths": 12},
]


class HarbourForm(Form, title="Harbours", records="harbours"):
    """Keeps harbours, each with its place and what it offers."""

    harbour = Text("Harbour", required=True)
    country = Choice("Country", choices=Catalog("places", show="country"), default=FIRST, keep=True)
    region = Choice("Region", choices=Catalog("places", show="region").where(country=country))
    town = Choice("Town", choices=Catalog("places", show="town").where(country=country, region=region), required=True)
    berths = Whole("Berths", minimum=1, default=1)
    has = Choice("Has", choices=("water", "shore power", "fuel", "crane"), many=True, look="list")
    place = Label("Record", value=lambda form: form.records.shown)
    keep_it = Button("Keep, and the next", submits=True)
    leave = Button("Leave", closes="cancelled")


def harbours() -> Scene:
    """Two harbours, five towns."""
    records = MemoryRecords({"places": PLACES, "harbours": HARBOURS}, keys={"harbours": "number"})
    return Scene(HarbourForm, user="desk-1", records=records)
