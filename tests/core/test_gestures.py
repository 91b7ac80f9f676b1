"""The steps of each gesture, and gestures that are refused before they start."""

from __future__ import annotations

import pytest

from fuselatch import Button, Choice, Event, Form, Label, Number, Text, Tick, UnknownName, check, on, warn
from fuselatch.rehearsal import rehearse


class Stay(Form):
    """A form with a control of each kind."""

    name = Text("Name", required=True)
    nights = Number("Nights", minimum=1)
    pier = Choice("Pier", choices=("North", "South"))
    berth = Choice("Berth", choices=lambda form: {"North": ["N1", "N2"], "South": ["S1", "N2"]}.get(form.pier.value, []))
    power = Tick("Power")
    cable = Text("Cable", enabled=lambda form: form.power.value)
    secret = Text("Secret", visible=False)
    note = Label("Note")
    double = Number("Double", value=lambda form: (form.nights.value or 0) * 2)
    save = Button("Save", closes="accepted")
    later = Button("Later", closes="later")
    leave = Button("Leave", closes="cancelled")

    @check(nights)
    def long_stay(self, nights: float) -> object:
        """Warn about a long stay."""
        return warn("a long stay") if nights > 20 else None

    @name.leaving
    def keep_here(self, event: Event) -> None:
        """Block leaving while the name is forbidden."""
        if self.name.value == "stay":
            event.block("this name stays")

    @on(nights.changed, power.changed)
    def hear(self) -> None:
        """Handle events of two controls."""


class Other(Form):
    """Another form with other declarations than `Stay`."""

    name = Text("Name")


def test_a_control_may_be_named_by_its_declaration() -> None:
    with rehearse(Stay) as desk:
        desk.type(Stay.name, "x")
        desk.tick(Stay.power)
        assert desk.at(Stay).name.value == "x"
        with pytest.raises(UnknownName, match="Stay has no control 'name'"):
            desk.press(Other.name)
        with pytest.raises(AssertionError, match="expected Other in front, but it is <Stay open>"):
            desk.at(Other)
