"""A form whose rules read a list of the module, which the library can't follow: each shown value is a fault.

cd examples; fuselatch explore faults.tally:Tally --gestures 400
"""

from __future__ import annotations

from decimal import Decimal

from fuselatch import Button, Choice, Form, Integer, Money, Tick

FOUND: list[int] = []


class Tally(Form):
    """A tally of what was found so far."""

    few = Choice("Few", choices=lambda form: [1, 2] if FOUND else [3])
    count = Integer("Count", value=lambda form: len(FOUND))
    fee = Money("Fee", value=lambda form: Decimal(len(FOUND)) / 4)
    any = Tick("Any", value=lambda form: bool(FOUND))
    add = Button("Add")
    done = Button("Done", closes="accepted")

    @add.clicked
    def note(self) -> None:
        """Note one more, where no rule sees it."""
        print("noted")
        FOUND.append(1)
