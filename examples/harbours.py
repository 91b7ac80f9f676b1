"""Records and lists: harbours by country, region and town, with what each offers.

fuselatch rehearse examples/harbours.cues
"""

from __future__ import annotations

from fuselatch import Button, Catalog, Choice, Form, Integer, Label, Text, first_choice, last_entered
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords

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
    """Save harbours, each with its town and what it offers."""

    harbour = Text("Harbour", required=True)
    country = Choice("Country", choices=Catalog("places", text="country"), default=last_entered(first=first_choice()))
    region = Choice("Region", choices=Catalog("places", text="region").where(country=country))
    town = Choice("Town", choices=Catalog("places", text="town").where(country=country, region=region), required=True)
    berths = Integer("Berths", minimum=1, default=1)
    has = Choice("Has", choices=("water", "shore power", "fuel", "crane"), multiple=True, look="list")
    place = Label("Record", value=lambda form: form.records.position_text)
    keep_it = Button("Save and next", submits=True)
    leave = Button("Leave", closes="cancelled")


@scene
def harbours() -> Scene:
    """Return the form with two harbours and five towns."""
    records = MemoryRecords({"places": PLACES, "harbours": HARBOURS}, keys={"harbours": "number"})
    return Scene(HarbourForm, user="clerk-1", records=records)
