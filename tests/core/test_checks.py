"""Checks and markers: multiple controls, other places, drafts, and unchecked controls."""

from __future__ import annotations

from fuselatch import Button, Form, Number, Text, Tick, check, warn
from fuselatch.rehearsal import rehearse
from tests.helpers import act


class Span(Form):
    """Two controls that belong together."""

    a = Number("From", required=True, minimum=0)
    b = Number("To", required="warn")
    strict = Tick("Strict")
    note = Text("Note", visible=lambda form: form.strict.value)
    code = Text("Code", pattern="^[A-Z]{2}[0-9]+$", example="AB12", min_length=3, max_length=6)
    while_typing = Number("Eager", maximum=9, while_typing=True)
    save = Button("Save", closes="accepted")

    @check(a, b, at=b)
    def in_order(self, a: float, b: float) -> str | None:
        """Check the order of the bounds."""
        return f"must be at least {a:g}" if b < a else None

    @check(a)
    @check(b)
    def not_seven(self, value: float) -> object:
        """Check each control."""
        limit = 7 if self.strict.value else 77
        return warn("unlucky") if value == limit else None

    @check(note, strict, blanks=True, at=note)
    def noted(self, note: str, strict: bool) -> str | None:
        """Check with blank values as well."""
        return "say why" if strict and not note else None


def texts(desk: object, name: str) -> list[str]:
    """Return the findings of a control."""
    return [finding.text for finding in getattr(desk.form, name).findings]  # type: ignore[attr-defined]


def test_hidden_controls_are_left_alone_and_blanks_judged_where_asked() -> None:
    with rehearse(Span) as desk:
        assert texts(desk, "note") == []
        desk.tick("strict")
        assert texts(desk, "note") == ["say why"]
        desk.untick("strict")
        assert texts(desk, "note") == []


def test_a_shown_marker_goes_as_soon_as_the_entry_is_right() -> None:
    with rehearse(Span) as desk:
        form = desk.at(Span)
        form.b.value = 10
        desk.type("a", "-1")
        assert not form.a.marker  # not left yet
        desk.tab()
        assert form.a.marker.text == "Too low: -1. Minimum is 0"
        act(desk, "back_tab", "key End", "key Backspace")
        assert form.a.marker.text == "'-' isn't a number. Example: 12.5"
        desk.key("Backspace")
        assert form.a.marker.text == "Enter a value"
        desk.key("4")
        assert not form.a.marker and form.a.value == -1
        desk.type("a", "40")
        assert form.b.marker.text == "must be at least 40"
        desk.key("Escape")
        assert form.a.marker.text == "Too low: -1. Minimum is 0"


def test_an_eager_marker_shows_from_the_first_key() -> None:
    with rehearse(Span) as desk:
        desk.type("while_typing", "12")
        assert desk.at(Span).while_typing.marker.text == "Too high: 12. Maximum is 9"
        desk.key("Backspace")
        assert not desk.at(Span).while_typing.marker
