"""From dialog to opener, on acceptance. The close button and Escape return no values."""

from __future__ import annotations

from fuselatch import Button, Choice, Form, Number, Text


class DepthForm(Form, title="Depth at low water"):
    """Enter a sounding."""

    depth = Number("Depth", unit="m", minimum=0, maximum=12, required=True)
    bottom = Choice("Bottom", choices=("mud", "sand", "rock"))
    done = Button("Done", closes="accepted", keys="Enter")
    later = Button("Later", closes="later")


class Soundings(Form, title="Soundings"):
    """Show the last sounding, and the result of the last attempt."""

    depth = Number("Depth", unit="m")
    bottom = Text("Bottom")
    ended = Text("Ended")
    sound = Button("Sound…")

    @sound.clicked
    def take_sounding(self) -> None:
        """Read the outcome. It outlives its dialog; a cancelled outcome has no values."""
        outcome = self.open(DepthForm)
        self.ended.value = outcome.verdict
        if outcome.accepted:
            self.depth.value = outcome[DepthForm.depth]
            self.bottom.value = outcome[DepthForm.bottom] or "not known"
