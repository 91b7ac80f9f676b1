"""Lines that a form and its dialog change in turn: if the form's handler fails, only its own changes are undone."""

from __future__ import annotations

from fuselatch import Button, Form, Group, Lines, Opener, Text


class Hand(Group):
    """One of the crew."""

    name = Text("Name")


class Crew(Form, title="Crew"):
    """Add, remove and move hands, and fail after a dialog has done the same."""

    hands = Lines(Hand, "Hands")
    seen = Text("Seen")
    swap = Button("Swap…")

    @swap.clicked
    def swap_and_fail(self) -> None:
        """Change the lines before and after the dialog."""
        self.hands.add(name="mine")
        self.hands.remove(self.hands[1])
        self.open(Watch)
        self.hands.move(self.hands[0], 2)
        raise ValueError("the watch is full")

    @hands.line_changed
    def see(self) -> None:
        """Mark each change of a line."""
        self.seen.value += "!"


class Watch(Form, title="Watch"):
    """Change the lines of the form behind."""

    opener: Crew = Opener()
    act = Button("Act")
    done = Button("Done", closes="accepted")

    @act.clicked
    def change(self) -> None:
        """Add a hand, and remove one, which may be one that the other form has added."""
        self.opener.hands.add(name="theirs")
        self.opener.hands.remove(self.opener.hands[2])
