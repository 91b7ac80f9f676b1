"""A form with two faults, for `fuselatch explore lift:Lift`: a weight without slings, and a boat that hangs forever."""

from __future__ import annotations

from fuselatch import Button, Event, Form, Integer, Text, Tick

SLINGS = {0: "two narrow", 1: "two wide", 2: "four wide", 3: "four wide and a beam"}


class Lift(Form, title="Lift a boat"):
    """Say which slings a boat needs, and keep the form open while it hangs."""

    boat = Text("Boat", required=True, max_length=20)
    weight = Integer("Weight", unit="t", minimum=1, maximum=40, required=True)
    slings = Text("Slings", read_only=True)
    hanging = Tick("Hanging", read_only=True)
    hoist = Button("Hoist", enabled=lambda form: form.weight.is_valid and not form.hanging.value)
    lower = Button("Lower", enabled=lambda form: form.hanging.value and (form.weight.value or 0) <= 25)
    done = Button("Done", closes="accepted")
    leave = Button("Leave", closes="cancelled")

    @weight.changed
    def choose_slings(self) -> None:
        """Set the slings by weight."""
        if self.weight.value is not None:
            self.slings.value = SLINGS[self.weight.value // 10]

    @hoist.clicked
    def lift_it(self) -> None:
        """Lift it: its weight can't change now."""
        self.hanging.value = True
        self.weight.enabled = False

    @lower.clicked
    def put_it_down(self) -> None:
        """Lower it."""
        self.hanging.value = False
        self.weight.enabled = True

    @Form.closing
    def not_while_it_hangs(self, event: Event) -> None:
        """Keep the form open while the boat hangs."""
        if self.hanging.value:
            event.block("Lower the boat first")
