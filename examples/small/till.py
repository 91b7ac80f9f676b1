"""A till that locks itself while the user is away. One of its buttons has the name of the event."""

from __future__ import annotations

from fuselatch import Button, Form, Integer, Tick


class Till(Form, title="The till of the quay", idle=60):
    """Takes money, and locks after a minute without a gesture."""

    cash = Integer("Cash", minimum=0, default=0, enabled=lambda form: not form.locked.value)
    locked = Tick("Locked")
    idle = Button("Count")
    times = Integer("Times left alone", default=0)

    @Form.idle
    def lock(self) -> None:
        """Lock it, and count how often."""
        self.locked.value = True
        self.times.value = self.times.required_value + 1

    @idle.clicked
    def count(self) -> None:
        """Say what is in it."""
        self.say(f"{self.cash.value or 0} in the till")
