"""A whole form with its test: `pytest stay.py` runs it."""

from decimal import Decimal

from fuselatch import Button, Finding, Form, Integer, Money, Text, check, derive, warn
from fuselatch.rehearsal import rehearse


class Stay(Form, title="A night at the quay"):
    vessel = Text("Vessel", required=True)
    nights = Integer("Nights", minimum=1, default=1, required=True)
    price = Money("Price", unit="EUR", value=derive(lambda nights: nights * Decimal(34), nights))
    book = Button("Book", closes="accepted")
    leave = Button("Leave", closes="cancelled")

    @check(nights)
    def long_stay(self, nights: int) -> Finding | None:
        return warn("Longer than two weeks") if nights > 14 else None


def test_a_long_stay_is_asked_about() -> None:
    with rehearse(Stay) as desk:
        desk.type("vessel", "Old Heron")
        desk.type("nights", "21")
        desk.press("book")
        assert "Longer than two weeks" in desk.prompt.text  # the press waits here
        desk.answer("Go on")
    assert desk.outcome is not None and desk.outcome[Stay.price] == 714
