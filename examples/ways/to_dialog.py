"""From opener to dialog, at opening. One param is used at once, the other when a button is pressed."""

from __future__ import annotations

from fuselatch import Button, Form, Param, Text


class NoteForm(Form, title="Note for the crew"):
    """Show a berth at once, and copy the usual remark only on request."""

    berth: str = Param()
    remark: str = Param(default="nothing special")

    about = Text("About", default=lambda form: f"Berth {form.berth}")
    note = Text("Note")
    usual = Button("The usual")
    keep = Button("Keep", closes="accepted")
    drop = Button("Drop", closes="cancelled")

    @usual.clicked
    def take_the_usual(self) -> None:
        """Copy the param. It was passed when the form opened and is used only now."""
        self.note.value = self.remark


class Rounds(Form, title="Evening rounds"):
    """Walk the pier and leave notes."""

    berth = Text("Berth", default="N4")
    written = Text("Written")
    write = Button("Write a note…")

    @write.clicked
    def write_note(self) -> None:
        """Pass the berth on."""
        outcome = self.open(NoteForm, berth=self.berth.value, remark="check the lines")
        if outcome.accepted:
            self.written.value = outcome[NoteForm.note]
