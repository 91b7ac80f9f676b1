"""A dialog reads its opener live. The type can be a string if two modules import each other."""

from __future__ import annotations

from fuselatch import Button, Form, Label, Number, Opener


class LineLoad(Form, title="Load on the lines"):
    """Compute the load from the opener's current values."""

    opener: Mooring = Opener()

    load = Label("Load", value=lambda form: f"{(form.opener.length.value or 0) * 0.6:.1f} kN a line")
    lines = Number("Lines", default=4)
    longer = Button("One metre more")
    close_it = Button("Close", closes="cancelled")

    @longer.clicked
    def lengthen(self) -> None:
        """Set the opener's value. The dialog's own rule follows at once."""
        self.opener.length.value = (self.opener.length.value or 0) + 1


class Mooring(Form, title="Mooring"):
    """Enter a boat and its lines."""

    length = Number("Length", unit="m", default=10)
    check = Button("Check…")

    @check.clicked
    def check_load(self) -> None:
        """Open the dialog that reads this form."""
        self.open(LineLoad)
