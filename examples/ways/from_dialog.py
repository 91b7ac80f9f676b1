"""From dialog to opener, on acceptance; the close button and Escape hand back nothing."""

from __future__ import annotations

from fuselatch import Button, Choice, Form, Number, Text


class DepthForm(Form, title="Depth at low water"):
    """Takes a sounding."""

    depth = Number("Depth", unit="m", minimum=0, maximum=12, required=True)
    bottom = Choice("Bottom", choices=("mud", "sand", "rock"))
    done = Button("Done", closes="accepted", keys="Enter")
    later = Button("Later", closes="later")


class Soundings(Form, title="Soundings"):
    """Keeps the last sounding, and what became of the last attempt."""

    depth = Number("Depth", unit="m")
    bottom = Text("Bottom")
    ended = Text("Ended")
    sound = Button("Sound…")

    @sound.clicked
    def take_sounding(self) -> None:
        """An outcome outlives its dialog; a cancelled one has no values."""
        outcome = self.open(DepthForm)
        self.ended.value = outcome.verdict
        if outcome.accepted:
            self.depth.value = outcome[DepthForm.depth]
            self.bottom.value = outcome[DepthForm.bottom] or "not known"
