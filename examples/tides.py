"""A slow service, asked while the form can be used: its text, its time-out, cancelling, and what is locked."""

from __future__ import annotations

from decimal import Decimal
from time import sleep

from fuselatch import Button, CallCancelled, Choice, Form, Label, Number, Text, TimedOut
from fuselatch.scenes import Scene, scene

DEPTHS = {"W8": Decimal("1.80"), "N7": Decimal("2.40")}


def least_depth(berth: str) -> Decimal:
    """Ask the harbour office for the depth of a berth at low water; that takes a while."""
    sleep(2)
    return DEPTHS[berth]


class Tides(Form, title="Enough water?"):
    """Ask how deep a berth is at low water."""

    berth = Choice("Berth", choices=tuple(DEPTHS), default="W8")
    draught = Number("Draught", unit="m", decimals=2)
    note = Text("Note")
    depth = Label("Depth at low water", value="")
    check = Button("Ask the harbour office", enabled=lambda form: form.berth.value is not None)
    hold = Button("Ask, and write on", enabled=lambda form: form.berth.value is not None)

    @check.clicked
    def ask_office(self) -> None:
        """Ask; if anything fails, the gesture is undone, and the user reads why."""
        depth = self.call_elsewhere(least_depth, self.berth.value, text="Asking the harbour office …", timeout=10)
        self.depth.value = f"{depth} m"
        if self.draught.value is not None and self.draught.value >= float(depth):
            self.say("Too shallow at low water", tone="warning")

    @hold.clicked
    def ask_beside(self) -> None:
        """Ask, and lock the berth alone; deal with each end."""
        try:
            depth = self.call_elsewhere(least_depth, self.berth.value, text="Asking …", locks=self.berth, timeout=10)
        except (OSError, TimedOut):
            self.say("The office doesn't answer", tone="warning")
        except CallCancelled:
            self.say("Not asked")
        else:
            self.depth.value = f"{depth} m"


@scene
def with_a_stand_in() -> Scene:
    """Return the form with an office that answers at once."""
    return Scene(Tides, slow_calls_by={least_depth: DEPTHS.__getitem__})
