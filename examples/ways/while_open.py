"""From dialog to opener while it stays open: custom events, any number of times, from several dialogs."""

from __future__ import annotations

from fuselatch import Button, Choice, CustomEvent, Event, Form, Param, Text

BOATS = ("Kittiwake", "Eider", "Dunlin", "Whimbrel")


class BoatList(Form, title="Boats"):
    """Pick from a list, again and again."""

    name: str = Param(default="boats")
    chosen = CustomEvent(str)

    boat = Choice("Boat", choices=BOATS, look="list")
    hand_over = Button("Hand over")

    @hand_over.clicked
    @boat.double_clicked
    def send(self) -> None:
        """Send the chosen boat, at a press or a double click."""
        if not self.boat.is_blank:
            self.chosen.send(self.boat.required_value)


class Muster(Form, title="Muster"):
    """Collect boats from two lists until the flotilla is complete."""

    flotilla = Text("Flotilla")
    last = Text("Last from")
    begin = Button("Begin…")

    @begin.clicked
    def show_lists(self) -> None:
        """Show two forms of one class. The handler below runs for both."""
        self.show(BoatList, name="inner harbour")
        self.show(BoatList, name="outer harbour", place="beside")

    @BoatList.chosen
    def gather(self, event: Event) -> None:
        """Add a boat from either list, and close that list once there are three."""
        boats = [*filter(None, self.flotilla.value.split(", ")), event.payload]
        self.flotilla.value = ", ".join(boats)
        if isinstance(event.form, BoatList):
            self.last.value = event.form.name
        if len(boats) == 3:
            event.form.close()
