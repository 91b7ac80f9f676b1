"""Groups: declared once, used several times, nested, hidden and disabled as a whole."""

from __future__ import annotations

from fuselatch import Button, Form, Group, Label, Number, Row, Text, Tick, check, derive, on


class Span(Group):
    """Two depths with a check and a rule."""

    low = Number("Low", default=0)
    high = Number("High")
    width = Number("Width", value=derive(lambda low, high: high - low, low, high))
    pair = Row("Bounds", low, high)

    @check(low, high)
    def in_order(self, low: float, high: float) -> str | None:
        """Check the order of the depths."""
        return "wrong way round" if high < low else None


class Place(Group):
    """A place with a group in it, which is enabled once the place has a name."""

    name = Text("Name", required=True)
    depth = Span("Depth", enabled=lambda place: place.name.value != "")


class Survey(Form, title="Survey"):
    """Enter depths at one place or two."""

    deep = Tick("Two places")
    first = Place("First")
    second = Place("Second", visible=lambda form: form.deep.value)
    tide = Span("Tide")
    total = Number("Total", value=lambda form: (form.first.depth.width.value or 0) + (form.tide.width.value or 0))
    heard = Label("Heard")
    save = Button("Save", closes="accepted")

    @on(first.depth.high.changed, tide.low.left)
    def hear(self) -> None:
        """Handle events deep in the groups."""
        self.heard.value = f"{self.heard.value}+"

    @check(first.depth.low, tide.low, at=tide.high)
    def apart(self, one: float, other: float) -> str | None:
        """Check across groups."""
        return "too near" if one == other == 1 else None
