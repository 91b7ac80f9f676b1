"""From opener to dialog, at opening: one param is used at once, another only when a button is pressed."""

from __future__ import annotations

from fuselatch import Button, Form, Param, Text


class NoteForm(Form, title="Note for the crew"):
    """Shows a berth at once, and takes over the standing remark only if asked to."""

    berth: str = Param()
    remark: str = Param(default="nothing special")

    about = Text("About", default=lambda form: f"Berth {form.berth}")
    note = Text("Note")
    usual = Button("The usual")
    keep = Button("Keep", closes="accepted")
    drop = Button("Drop", closes="cancelled")

    @usual.clicked
    def take_the_usual(self) -> None:
        """The param has been there since the form opened; only now it is used."""
        self.note.value = self.remark


class Rounds(Form, title="Evening rounds"):
    """Walks the pier and leaves notes."""

    berth = Text("Berth", default="N4")
    written = Text("Written")
    write = Button("Write a note…")

    @write.clicked
    def write_note(self) -> None:
        """Hand the berth over."""
        outcome = self.open(NoteForm, berth=self.berth.value, remark="check the lines")
        if outcome.accepted:
            self.written.value = outcome[NoteForm.note]
