"""A first form that is hidden while a second is up, and forms that hide themselves or close first."""

from __future__ import annotations

from fuselatch import Button, Form, Text


class ChartForm(Form, title="Chart"):
    """Has the whole screen to itself."""

    spot = Text("Spot", required=True)
    take = Button("Take it", closes="accepted")
    fail = Button("Fail")

    @fail.clicked
    def go_wrong(self) -> None:
        """A dialog that fails leaves nothing hidden."""
        raise OSError("the chart can't be read")


class Anchoring(Form, title="Anchoring"):
    """Hides while the chart is up; can hide itself, and can leave the log open behind it."""

    spot = Text("Spot")
    pick = Button("Pick a spot…")
    away = Button("Out of my way")
    log = Button("Log…")
    leave = Button("Leave", closes="cancelled")

    @pick.clicked
    def pick_spot(self) -> None:
        """It comes back in the same place, whatever way the chart ends."""
        outcome = self.open(ChartForm, hiding=True)
        if outcome.accepted:
            self.spot.value = outcome[ChartForm.spot]

    @away.clicked
    def get_away(self) -> None:
        """Hidden, it keeps its values until something reveals it: here, the end of the log."""
        self.hide()

    @log.clicked
    def show_log(self) -> None:
        """A form that is shown outlives this one."""
        self.show(LogForm)


class LogForm(Form, title="Log"):
    """Stays, whatever becomes of the form that showed it."""

    entry = Text("Entry")
    done = Button("Done", closes="cancelled")
    back = Button("Bring the first back")

    @back.clicked
    def bring_back(self) -> None:
        """Reveal the first form where it was."""
        first = self.session.find(Anchoring)
        if first is not None:
            first.unhide()
