"""Checks and markers: multiple controls, other places, drafts, and unchecked controls."""

from __future__ import annotations

import pytest

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


@pytest.mark.parametrize("ends", ["settles", "is undone", "is overwritten"])
def test_what_a_draft_showed_elsewhere_goes_with_the_draft(ends: str) -> None:
    with rehearse(Span) as desk:
        form = desk.at(Span)
        form.b.value = 10
        act(desk, "focus b", "type a 40")
        assert form.b.marker.text == "must be at least 40"
        if ends == "settles":
            desk.tab()
            assert form.b.marker.text == "must be at least 40"
            form.a.value = 2
        elif ends == "is undone":
            desk.key("Escape")
        else:
            form.a.value = 2
        assert not form.b.marker


def test_an_eager_marker_shows_from_the_first_key() -> None:
    with rehearse(Span) as desk:
        desk.type("while_typing", "12")
        assert desk.at(Span).while_typing.marker.text == "Too high: 12. Maximum is 9"
        desk.key("Backspace")
        assert not desk.at(Span).while_typing.marker


def test_a_finding_about_a_hidden_control_is_shown_elsewhere() -> None:
    class Elsewhere(Form):
        a = Number("A")
        b = Tick("B")
        c = Text("C", visible=lambda form: form.b.value)
        save = Button("Save", closes="accepted")

        @check(a, at=c)
        def not_three(self, a: float) -> str | None:
            return "three is taken" if a == 3 else None

    with rehearse(Elsewhere) as desk:
        form = desk.at(Elsewhere)
        form.a.value = 3
        assert texts(desk, "a") == ["three is taken (about the hidden field C)"] and texts(desk, "c") == []
        form.b.value = True
        assert texts(desk, "a") == [] and texts(desk, "c") == ["three is taken"]
        form.b.value = False
        desk.press("save")
        assert form.a.focused and desk.session.view.notice == "A: three is taken (about the hidden field C)"
        form.a.value = 4
        desk.press("save")
        assert desk.outcome is not None and desk.outcome.accepted
