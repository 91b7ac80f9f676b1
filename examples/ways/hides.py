"""A form that is hidden while another is open, and forms that hide themselves or close first."""

from __future__ import annotations

from fuselatch import Button, Form, Text


class ChartForm(Form, title="Chart"):
    """Choose a spot on the whole screen."""

    spot = Text("Spot", required=True)
    take = Button("Take it", closes="accepted")
    fail = Button("Fail")

    @fail.clicked
    def go_wrong(self) -> None:
        """Fail. A dialog that fails leaves no form hidden."""
        raise OSError("the chart can't be read")


class Anchoring(Form, title="Anchoring"):
    """Hide while the chart is open, hide on request, or close and leave the log open."""

    spot = Text("Spot")
    pick = Button("Pick a spot…")
    away = Button("Out of my way")
    log = Button("Log…")
    leave = Button("Leave", closes="cancelled")

    @pick.clicked
    def pick_spot(self) -> None:
        """Open the chart. This form reappears in the same position however the chart ends."""
        outcome = self.open(ChartForm, hiding=True)
        if outcome.accepted:
            self.spot.value = outcome[ChartForm.spot]

    @away.clicked
    def get_away(self) -> None:
        """Hide this form. It keeps its values until something shows it again: here, the end of the log."""
        self.hide()

    @log.clicked
    def show_log(self) -> None:
        """Show the log, which stays open after this form closes."""
        self.show(LogForm)


class LogForm(Form, title="Log"):
    """Stay open, even after the form that showed it has closed."""

    entry = Text("Entry")
    done = Button("Done", closes="cancelled")
    back = Button("Bring the first back")

    @back.clicked
    def bring_back(self) -> None:
        """Show the first form again, in the same position."""
        first = self.session.find(Anchoring)
        if first is not None:
            first.unhide()
