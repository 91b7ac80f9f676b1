"""Groups: declared once, used more than once, nested, hidden and disabled as a whole; and subclassing."""

from __future__ import annotations

import pytest

from fuselatch import (
    Button,
    DeclarationError,
    Form,
    Group,
    Label,
    Number,
    Refused,
    Row,
    Text,
    Tick,
    check,
    derive,
    on,
)
from fuselatch.core.forms.form import controls_of, plan_of
from fuselatch.rehearsal import rehearse
from tests.helpers import act


class Span(Group):
    """Two numbers with a check, a rule and a handler."""

    low = Number("Low", default=0)
    high = Number("High")
    width = Number("Width", value=derive(lambda low, high: high - low, low, high))
    pair = Row("Bounds", low, high)

    @check(low, high)
    def in_order(self, low: float, high: float) -> str | None:
        """Check the order."""
        return "wrong way round" if high < low else None

    @high.changed
    def count(self) -> None:
        """Count on the group itself."""
        self.changes = getattr(self, "changes", 0) + 1
        if self.high.value == 13:
            raise ValueError("thirteen")


class Place(Group):
    """A group in a group."""

    name = Text("Name", required=True)
    depth = Span("Depth", enabled=lambda place: place.name.value != "")


class Survey(Form):
    """A form with groups used twice."""

    deep = Tick("Deep")
    first = Place("First")
    second = Place("Second", visible=lambda form: form.deep.value)
    tide = Span("Tide")
    total = Number("Total", value=lambda form: (form.first.depth.width.value or 0) + (form.tide.width.value or 0))
    heard = Label("Heard")
    save = Button("Save", closes="accepted")

    @on(first.depth.high.changed, tide.low.left)
    def hear(self) -> None:
        """Handle an event deep in the groups."""
        self.heard.value = f"{self.heard.value}+"

    @check(first.depth.low, tide.low, at=tide.high)
    def apart(self, one: float, other: float) -> str | None:
        """Check across groups."""
        return "too near" if one == other == 1 else None


def test_a_group_is_hidden_and_switched_off_as_a_whole() -> None:
    with rehearse(Survey) as desk:
        form = desk.at(Survey)
        with pytest.raises(Refused, match=r"low' is disabled \(group 'first\.depth'; rule for 'enabled'\)"):
            desk.type("first.depth.low", "1")
        with pytest.raises(Refused, match=r"is hidden \(group 'second'; rule for 'visible'\)"):
            desk.type("second.name", "x")
        assert [group.name for group in desk.session.view.forms[0].groups] == ["first", "first.depth", "tide"]
        desk.tick("deep")
        assert form.second.path == "second" and form.second.visible
        form.tide.enabled = False
        act(desk, "focus save", "press save")
        assert desk.session.view.notice == "Name: Enter a value"
        act(desk, "type first.name x", "untick deep", "press save")
        assert desk.outcome is not None and desk.outcome.values["tide.low"] is None


def test_a_subclass_leaves_controls_out_with_what_hears_them() -> None:
    class Small(Survey, without=("second", "tide", "total")):
        extra = Text("Extra")

    assert "tide.low" not in plan_of(Small).controls and list(plan_of(Small).controls)[-1] == "extra"
    with rehearse(Small) as desk:
        act(desk, "type first.name x", "tab", "type first.depth.high 4", "tab")
        assert desk.at(Small).heard.value == "+"
        assert [path for path in controls_of(desk.form) if "." not in path] == ["deep", "heard", "save", "extra"]


def test_wrong_groups_fail_when_the_class_is_made() -> None:
    with pytest.raises(
        DeclarationError, match=r"Bad\.totl: without='totl': no such control or member; did you mean 'total'\?"
    ):
        type("Bad", (Survey,), {}, without=("totl",))
    with pytest.raises(DeclarationError, match=r"unknown option 'visble'; did you mean 'visible'\?"):
        Place("Place", visble=True)  # type: ignore[call-arg]
    with pytest.raises(DeclarationError, match=r"Twice\.b: shortcut Ctrl\+B is already used by 'a'; choose another"):

        class Twice(Form):
            a = Button("A", keys="ctrl+b")
            b = Button("B", keys="Ctrl+B")
