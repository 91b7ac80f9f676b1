"""Latches that end by the clock: an hour lasts an hour, and a day ends for everybody at the later clock."""

from __future__ import annotations

from datetime import timedelta

from fuselatch import Button, Form, Integer, Latch, Tick


class Hourly(Form, title="Rounds"):
    """Rounds of the quay that are made once an hour, and reported once a day."""

    once = Latch(every=timedelta(hours=1))
    daily = Latch(every="day")
    go = Button("Go round")
    tell = Button("Report")
    done = Tick("Done", value=lambda form: form.once.is_set())
    reports = Integer("Reports", default=0)

    @go.clicked
    def go_round(self) -> None:
        """Note the round."""
        self.once.set()

    @tell.clicked
    def report(self) -> None:
        """Report, unless it was done today."""
        self.reports.value = self.reports.required_value + self.daily.set()
