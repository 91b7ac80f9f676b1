"""A button that works while all is valid, and labels that show what is wrong."""

from __future__ import annotations

from fuselatch import Button, Finding, Form, Label, Number, Text, Tick, check, warn


class Soundings(Form, title="Soundings"):
    """Enter two depths. The OK button works while both are valid, also as they are typed."""

    low = Number("Low water", unit="m", required=True, minimum=0)
    high = Number("High water", unit="m")
    plain = Tick("Without a note")
    note = Text("Note", min_length=3, enabled=lambda form: not form.plain.value)
    told = Label("Found", value=lambda form: "; ".join(finding.text for finding in form.low.findings))
    shown = Label("Shown", value=lambda form: form.low.marker.text)
    state = Label("High water is", value=lambda form: "valid" if form.high.is_valid else "wrong")
    ok = Button("OK", closes="accepted", enabled=lambda form: form.is_valid)

    @check(low, high, at=high)
    def in_order(self, low: float, high: float) -> str | Finding | None:
        """Check the order. A warning leaves an entry valid."""
        return "wrong way round" if high < low else warn("far apart") if high - low > 50 else None


class Span(Form, title="Span"):
    """Tell of each entry if it is valid, which depends on the other too. Nothing asks about the whole form."""

    low = Number("Low water")
    high = Number("High water")
    wrong = Label("Wrong", value=lambda form: " and ".join(one.caption for one in (form.low, form.high) if not one.is_valid))
    sound = Label("High water is", value=lambda form: "valid" if form.high.is_valid else "wrong")
    tide = Number("Tide", visible=False)

    @check(low, high, at=high)
    def in_order(self, low: float, high: float) -> str | None:
        """Check the order. The marker is at the second."""
        return "wrong way round" if high < low else None

    @check(low, high, at=tide)
    def likely(self, low: float, high: float) -> str | None:
        """Check the tide, which is hidden: the marker is at the first entry."""
        return "an unlikely tide" if high - low > 9 else None
