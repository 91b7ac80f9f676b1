"""Handlers that fail and leave nothing behind, and what a form hears before it closes."""

from __future__ import annotations

from fuselatch import Button, Event, Form, Label, Latch, Number, Opener, Text


class Sounding(Form, title="Sounding"):
    """Enter a depth. Its first button asks, and fails."""

    opener: Soundings = Opener()
    depth = Number("Depth", maximum=8)
    note = Text("Note")
    wrong = Label("Findings", value=lambda form: f"{len(form.depth.findings)}")
    share = Label("Share", value=lambda form: f"{(form.depth.value or 0) / (form.opener.chain.value or 0):.0%} of the chain")
    heard = Text("Heard")
    dig = Button("Dig")
    ok = Button("OK", closes="accepted")
    warned = Latch(per="form")

    @note.changed
    def hear(self) -> None:
        """Add the note to what was heard."""
        self.heard.value += f"{self.note.value} "

    @note.unhovered
    def look_away(self) -> None:
        """Add that the pointer left, which it also does when the form closes or asks. In fog, fail."""
        if self.note.value == "fog":
            raise OSError("nothing can be seen")
        self.heard.value += "away "

    @dig.clicked
    def dig_too_deep(self) -> None:
        """Set what a check refuses and what another handler hears, ask, and fail."""
        self.warned.set()
        self.depth.value = 9
        self.confirm("Dig on?")
        self.note.value = "dug"
        raise OSError("the dredger is aground")

    @ok.entered
    def warn(self) -> None:
        """Set the latch, which ends with the form."""
        self.warned.set()


class Remark(Form, title="Remark"):
    """Note what was seen."""

    text = Text("Text")


class Soundings(Form, title="Soundings"):
    """Take soundings, and keep what the last one heard."""

    chain = Number("Chain", default=20)
    ended = Number("Ended", default=0)
    last = Label("Last")
    take = Button("Take")
    remark = Button("Remark")
    leave = Button("Leave", closes="cancelled")

    @take.clicked
    def take_one(self) -> None:
        """Show the other form, and wait for nothing."""
        self.show(Sounding)

    @remark.clicked
    def add_remark(self) -> None:
        """Show a form whose closing nothing hears."""
        self.show(Remark)

    @Sounding.closed
    def keep(self, event: Event) -> None:
        """Read the closed form, whose latch has ended, and stow the chain: the closed form's rules don't follow any more."""
        self.ended.value = (self.ended.value or 0) + 1
        form = event.form
        if isinstance(form, Sounding):
            self.last.value = f"{form.heard.value}and {'warned' if form.warned.is_set() else 'not warned'}"
            self.chain.value = 0
