"""Views: pointing in pairs, the form's surface, passwords, messages, choices in reach."""

from __future__ import annotations

import json

import pytest

from fuselatch import Button, Choice, Form, Group, HandlerFailed, Label, Number, Prompt, Row, Text, Tick
from fuselatch.frontends import Session
from fuselatch.rehearsal import Desk, rehearse
from tests.helpers import act, told


class Side(Form):
    """A dialog of one button."""

    ok = Button("OK", closes="accepted")


class Berths(Group):
    """A group with a row."""

    count = Number("Count", unit="m", placeholder="how many")
    kind = Choice("Kind", choices=tuple(range(200)), look="list")
    both = Row("Side by side", count, kind)


class Seen(Form):
    """A form with every part of a view."""

    name = Text("Name", required=True, help="as on the bow")
    secret = Text("Secret", look="password", keys="Ctrl+S")
    on = Tick("On", default=True)
    note = Label("Note", value="a note", visible=lambda form: form.on.value)
    berths = Berths("Berths")
    dialog = Button("Dialog", keys="Enter")
    ask_it = Button("Ask")

    sure = Prompt("Sure, {name}?", title="Sure", buttons=("Yes", "No"), tone="danger")

    @Form.clicked
    def surface(self) -> None:
        """Handle a click on the form."""
        self.say("clicked", tone="warning")

    @Form.double_clicked
    def twice(self) -> None:
        """Handle a double click on the form."""
        self.say("twice")

    @dialog.clicked
    def open_side(self) -> None:
        """Open a dialog."""
        self.open(Side)

    @ask_it.clicked
    def put(self) -> None:
        """Ask."""
        self.ask(self.sure)


def pointing(desk: Desk, start: int) -> list[str]:
    """Return the pointer events since an entry."""
    return [line for line in told(desk.trace[start:], "event") if "hovered" in line]


@pytest.mark.parametrize(
    ("then", "events"),
    [
        ("hover name", ["note.unhovered", "name.hovered"]),
        ("hover note", []),
        ("unhover", ["note.unhovered"]),
        ("untick on", ["note.unhovered"]),
        ("press dialog", ["note.unhovered"]),
        ("press ask_it", ["note.unhovered"]),
        ("close", ["note.unhovered"]),
    ],
)
def test_pointing_comes_in_pairs_whatever_ends_it(then: str, events: list[str]) -> None:
    desk = rehearse(Seen)
    desk.__enter__()
    desk.hover("note")
    start = len(desk.trace)
    verb, *words = then.split()
    getattr(desk, verb)(*words)
    assert pointing(desk, start) == events
    desk.session.close()


def test_the_view_carries_what_a_face_needs() -> None:
    with rehearse(Seen) as desk:
        act(desk, "paste secret tide", "pick berths.kind 120", "press")
        view = desk.session.view
        form = view.forms[0]
        controls = {control.name: control for control in form.controls}
        assert (form.message, form.message_tone, form.default) == ("clicked", "warning", "1.dialog")
        assert (form.groups[0].name, form.groups[0].caption) == ("berths", "Berths")
        assert (form.rows[0].caption, form.rows[0].controls) == ("Side by side", ("1.berths.count", "1.berths.kind"))
        count, kind = controls["berths.count"], controls["berths.kind"]
        assert (count.group, count.unit, count.placeholder, count.look) == ("1.berths", "m", "how many", "")
        assert (len(kind.choices), kind.choices[0].text, kind.choice_count, kind.value, kind.look) == (
            50,
            "95",
            200,
            120,
            "list",
        )
        assert (controls["secret"].text, controls["secret"].value, controls["secret"].keys) == ("••••", None, "Ctrl+S")
        desk.double()
        assert desk.session.view.forms[0].message == "twice" and form.message == "clicked"
        desk.press("ask_it")
        prompt = desk.session.view.prompt
        assert prompt is not None and (prompt.title, prompt.tone, prompt.cancel) == ("Sure", "danger", "No")
        assert desk.session.view.waits_for == ("the answer to 'Sure'",) and desk.session.view.forms[0].covered
        desk.key("Escape")
        json.dumps(desk.session.view.to_dict())


def test_a_password_is_masked_everywhere() -> None:
    with rehearse(Seen) as desk:
        act(desk, "type secret lowtide", "key x", "key Backspace", "tab")
        assert desk.at(Seen).secret.value == "lowtide" and desk.why("secret.value").startswith("secret.value is masked")
        assert "lowt" not in json.dumps(desk.session.view.to_dict())
        traced = desk.trace.to_jsonl()
    assert "lowtide" not in traced and "type secret" in traced and "key x" not in traced


def test_a_rule_can_not_read_the_clock() -> None:
    class Clock(Form):
        a = Label("A", value=lambda form: str(form.session.now()))

    with pytest.raises(HandlerFailed, match=r"a rule can't read now\(\), which changes without an event"):
        rehearse(Clock).__enter__()


def test_a_session_without_a_trace_does_the_same() -> None:
    from fuselatch.frontends import Gesture

    views = []
    for recording in (True, False):
        session = Session(Seen, recording=recording)
        for gesture in (
            Gesture(verb="type", control="name", text="x"),
            Gesture(verb="key", text="Enter"),
            Gesture(verb="press", control="ok"),
            Gesture(verb="untick", control="on"),
        ):
            session.feed(gesture)
        views.append(session.view)
        session.close()
    assert views[0] == views[1]
