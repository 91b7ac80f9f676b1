"""Session values that several forms use, and values that are read after their form has closed."""

from __future__ import annotations

from fuselatch import Button, Event, Form, Label, Shared, Text

ON_DUTY = Shared(str, "no one", name="on duty")
"""The clerk on duty; each session has its own value."""


class DutyForm(Form, title="Duty"):
    """Enter who is on duty from now on."""

    name = Text("Name", required=True)
    take = Button("Take over", closes="accepted")

    @Form.submitted
    def take_over(self) -> None:
        """Set the session value, which outlives every form."""
        self.session[ON_DUTY] = self.name.value


class Tower(Form, title="Harbour tower"):
    """Show who is on duty, and the last entry of the last duty form."""

    duty = Label("On duty", value=lambda form: form.session[ON_DUTY] or "")
    left_with = Text("Left with")
    change = Button("Change…")

    @change.clicked
    def change_duty(self) -> None:
        """Let another clerk take over."""
        self.show(DutyForm)

    @DutyForm.closed
    def read_what_was_left(self, event: Event) -> None:
        """Read the closed form."""
        if isinstance(event.form, DutyForm):
            self.left_with.value = event.form.name.value
