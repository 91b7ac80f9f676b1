"""The clock and latches: rules that follow the time, and buttons that work again the next day or after an hour."""

from __future__ import annotations

from datetime import timedelta

from fuselatch import Button, Form, Label, Latch, Text


class Import(Form, title="Import"):
    """Import the day's arrivals once, and look at them once an hour."""

    today = Label("Today", value=lambda form: form.session.today().isoformat())
    hour = Label("Hour", value=lambda form: f"{form.session.now(to='hour'):%H:%M:%S}")
    told = Label("Told", value=lambda form: f"imported at {form.imported.when:%H:%M}" if form.imported.when else "not yet")
    began = Text("Began", default=lambda form: f"{form.session.now():%H:%M}")
    run = Button("Import", enabled=lambda form: not form.imported.is_set())
    again = Button("Look again", enabled=lambda form: not form.hourly.is_set())
    imported = Latch(every="day")
    hourly = Latch(every=timedelta(hours=1))

    @run.clicked
    def import_rows(self) -> None:
        """Set both latches."""
        self.imported.set("14 rows")
        self.hourly.set()

    @again.clicked
    def look_again(self) -> None:
        """Show when it was imported, and wait for another hour."""
        self.hourly.set()
        self.say(self.told.value)
