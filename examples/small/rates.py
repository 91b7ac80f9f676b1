"""A form with services, and their stand-ins while it is explored: nothing real is touched then."""

from __future__ import annotations

from email.message import EmailMessage
from typing import Any, Final
from xml.etree import ElementTree

from fuselatch import Button, Form, Integer, Latch, Text
from fuselatch.scenes import Scene, scene
from fuselatch.services import Drawings, Letters
from fuselatch.stores import MemoryRecords

calls: list[str] = []
"""The calls that reached the real world."""


class Rates:
    """The harbour's rates."""

    def latest(self) -> int:
        """Ask the harbour."""
        calls.append("rates")
        return 40


class FakeRates(Rates):
    """The stand-in: always the same rate."""

    def latest(self) -> int:
        """Return a rate that the form can't divide by."""
        return 30


class Post(Letters):
    """Letters that go out."""

    def send(self, letter: EmailMessage) -> None:
        """Send a letter."""
        calls.append("letter")


class Plotter(Drawings):
    """Drawings that are printed."""

    def draw(self, name: str, drawing: ElementTree.Element) -> None:
        """Print a drawing."""
        calls.append("drawing")


class Crew(Form, title="Crew", records="crew"):
    """Saves the crew, asks for a rate, sends a letter and a drawing, and remembers that."""

    id = Integer("Number")
    name = Text("Name", required=True)
    told = Latch(per="user")
    keep = Button("Keep", submits=True)
    rate = Button("Rate")
    post = Button("Post")
    done = Button("Done", closes="accepted")

    @rate.clicked
    def ask_for_rate(self) -> None:
        """Show a share of the rate; a rate of 30 fails."""
        self.say(str(100 // (30 - self.session.services[Rates].latest())))

    @post.clicked
    def write_to_crew(self) -> None:
        """Send a letter and a drawing, set a latch, and add a row."""
        self.told.set()
        self.session.records.add("crew", {"name": "Wren"})
        letter, plan = EmailMessage(), ElementTree.Element("svg")
        letter["To"], letter["Subject"] = "crew@quay.example", "Monday"
        self.afterwards(self.session.services[Letters].send, letter)
        self.afterwards(self.session.services[Drawings].draw, "crew", plan)


CREW: Final = ({"id": 1, "name": "Oda"},)
REAL: Final[dict[str, Any]] = {"explored": {Rates: FakeRates}}
"""The options of the scene; a test of the boundary puts real stores among them."""


@scene
def monday() -> Scene:
    """Return the crew list with real services."""
    services = {Rates: Rates(), Letters: Post(), Drawings: Plotter()}
    records = MemoryRecords({"crew": CREW}, keys={"crew": "id"})
    options = {"records": records, "services": services, **REAL}
    return Scene(Crew, user="Imke", on_failure=lambda error: calls.append("log"), **options)
