"""Two live forms beside each other. A modal form in front makes the others refuse gestures."""

from __future__ import annotations

from fuselatch import Button, Form, Label, Number, Text


class Pump(Form, title="Pump"):
    """Stay beside the panel and set its values."""

    litres = Number("Litres", minimum=0, default=20)
    add = Button("Add")
    stop = Button("Stop", closes="cancelled")

    @add.clicked
    def add_litres(self) -> None:
        """Set a value on the other live form."""
        panel = self.session.find(Panel)
        if panel is not None:
            panel.total.value = (panel.total.value or 0) + self.litres.required_value


class Panel(Form, title="Fuel panel"):
    """Add up the litres that the pump gives."""

    total = Number("Total", unit="l", default=0)
    price = Label("To pay", value=lambda form: f"{(form.total.value or 0) * 1.9:.2f} EUR")
    name = Text("Name")
    pump = Button("Pump…")
    receipt = Button("Receipt…")

    @pump.clicked
    def show_pump(self) -> None:
        """Show the pump. Both forms stay usable, and neither covers the other."""
        self.show(Pump, place="beside")

    @receipt.clicked
    def print_receipt(self) -> None:
        """Inform the user. A prompt is modal, so the pump form waits as well."""
        self.inform("The receipt is printed: {price}")
