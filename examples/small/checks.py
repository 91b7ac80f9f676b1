"""Checks of one entry and of several, bounds, and a marker that shows from the first key."""

from __future__ import annotations

from fuselatch import Button, Finding, Form, Number, Text, Tick, check, warn


class Channel(Form, title="Channel"):
    """Enter the depths of a channel."""

    shallowest = Number("Shallowest", unit="m", required=True, minimum=0)
    deepest = Number("Deepest", unit="m", required="warn")
    shut = Tick("Closed")
    reason = Text("Reason", visible=lambda form: form.shut.value)
    chart = Text("Chart", pattern="^[A-Z]{2}[0-9]+$", example="AB12", min_length=3, max_length=6)
    buoys = Number("Buoys", maximum=9, while_typing=True)
    save = Button("Save", closes="accepted")

    @check(shallowest)
    @check(deepest)
    def deep_enough(self, depth: float) -> Finding | None:
        """Check each depth. A closed channel may be shallow."""
        return warn("too shallow for most boats") if depth < 2 and not self.shut.value else None

    @check(shallowest, deepest, at=deepest)
    def in_order(self, shallowest: float, deepest: float) -> str | None:
        """Check the order of the depths. The marker is at the second."""
        return f"must be at least {shallowest:g}" if deepest < shallowest else None

    @check(reason, shut, blanks=True, at=reason)
    def explained(self, reason: str, shut: bool) -> str | None:
        """Check blank entries as well."""
        return "say why" if shut and not reason else None

    @check(chart, buoys, at=reason)
    def charted(self, chart: str, buoys: float) -> str | None:
        """Check two entries. If the third, where the marker is to be, is hidden, it is at the first of them."""
        return f"{buoys:g} buoys on {chart}?" if chart == "AB12" and buoys > 5 else None
