"""A berth whose row goes while the form is submitted: the choice keeps its value until then."""

from __future__ import annotations

from fuselatch import Button, Catalog, Choice, Form, Text
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords


class Take(Form, title="Take a berth"):
    """Takes a berth off the list of those that are free."""

    berth = Choice("Berth", choices=Catalog("berths", text="name"), required=True)
    seen = Text("Seen")
    ok = Button("OK", closes="accepted")
    again = Button("Again", submits=True)
    park = Button("Park", closes="parked")

    def take(self) -> None:
        """Remove the berth's row, and note what the choice reads then."""
        if self.berth.value is not None:
            self.session.records.remove("berths", self.berth.value)
            self.seen.value = str(self.berth.value)


class TakesAccepting(Take):
    """Takes it before the form is checked for the last time."""

    @Form.accepting
    def take_it(self) -> None:
        """Take it."""
        self.take()


class TakesClosing(Take):
    """Takes it when the form closes, however that is."""

    @Form.closing
    def take_it(self) -> None:
        """Take it."""
        self.take()


class TakesSubmitted(Take):
    """Takes it once the form is submitted."""

    @Form.submitted
    def take_it(self) -> None:
        """Take it."""
        self.take()


def taking(form: type[Take]) -> Scene:
    """Return a form with two free berths."""
    return Scene(form, records=MemoryRecords({"berths": [{"name": "N1"}, {"name": "N2"}]}))


@scene
def accepting() -> Scene:
    """Return the form that takes its berth when it is accepted."""
    return taking(TakesAccepting)


@scene
def closing() -> Scene:
    """Return the form that takes its berth when it closes."""
    return taking(TakesClosing)


@scene
def submitted() -> Scene:
    """Return the form that takes its berth when it is submitted."""
    return taking(TakesSubmitted)
