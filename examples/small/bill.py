"""Money, shares and units that are typed along; a search box that isn't a change; a message that stays."""

from __future__ import annotations

from decimal import Decimal

from fuselatch import Button, Form, Money, Number, Percent, Text
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords


class Bill(Form, title="Bill", confirm_discard="Throw it away?", records="bills"):
    """Work out the tax of a bill, exactly."""

    share = Percent("Share", maximum=1, default=0.15, decimals=1)
    amount = Money("Amount", minimum=1, default=10, unit="EUR")
    length = Number("Length", unit="m")
    tax = Money("Tax", value=lambda form: form.amount.required_value * form.share.required_value)
    search = Text("Search", counts_as_change=False)
    terms = Text("Terms", value="30 days")
    again = Button("Again", submits=True, after_submit="new")

    @again.clicked
    def say_so(self) -> None:
        """Show a message, which stays if a word says so."""
        self.say("Saved", stays=self.search.value == "stays")


def bills() -> MemoryRecords:
    """Return one bill."""
    return MemoryRecords({"bills": [{"id": 1, "share": Decimal("0.2"), "amount": 5, "length": None}]})


@scene
def bill() -> Scene:
    """Return the form with one bill."""
    return Scene(Bill, records=bills())
