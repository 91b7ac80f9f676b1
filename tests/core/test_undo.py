"""Undo: everything that a gesture changed is as it was before, if a handler fails; and nothing is changed past the record."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

import fuselatch
from fuselatch import (
    Button,
    Choice,
    CustomEvent,
    Form,
    Group,
    HandlerFailed,
    Lines,
    Number,
    Opener,
    RuleError,
    Text,
    check,
)
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import rehearse
from fuselatch.stores import MemoryRecords
from tests.helpers import act

CORE = Path(fuselatch.__file__).parent / "core"


class Boats(Form, records="boats"):
    """Filters its records, and fails."""

    boat = Text("Boat")
    only = Choice("Only", choices=("in", "gone"))
    narrow = Button("Narrow")
    count = Text("Count", value=lambda form: form.records.position_text)

    @narrow.clicked
    def filter_and_fail(self) -> None:
        self.records.where(state=self.only, blank="none")
        raise ValueError("after the filter")


BOATS = [{"number": 1, "boat": "Eider", "state": "in"}, {"number": 2, "boat": "Teal", "state": "gone"}]


def test_a_rule_cant_filter_records() -> None:
    class Sly(Boats):
        count = Text("Count", value=lambda form: str(form.records.where(state=form.only)))

    store = MemoryRecords({"boats": BOATS}, keys={"boats": "number"})
    with pytest.raises(HandlerFailed) as failed, rehearse(Sly, records=store):
        pass
    assert isinstance(failed.value.error, RuleError)
    assert str(failed.value.error) == "a rule, check or default can't set Sly.records.where; set it in a handler"


def test_a_first_form_that_failed_to_open_is_not_the_first() -> None:
    class Broken(Form):
        @Form.opened
        def fail(self) -> None:
            raise ValueError("at the start")

    class Sound(Form):
        leave = Button("Leave", closes="cancelled")

    session = Session(forms=[Broken, Sound])
    with pytest.raises(HandlerFailed):
        session.feed(Gesture(verb="open", text="Broken"))
    session.feed(Gesture(verb="open", text="Sound"))
    before = session.outcome
    session.feed(Gesture(verb="close"))
    after = session.outcome
    assert before is None and after is not None and after.verdict == "cancelled"


class Panel(Form):
    """Sends an event."""

    chosen = CustomEvent(str)
    send_it = Button("Send")

    @send_it.clicked
    def send(self) -> None:
        self.chosen.send("N2")


class Child(Form):
    """Sets another property of what its opener has set, and attaches a handler to the same form."""

    opener: Parent = Opener()
    act = Button("Act")
    done = Button("Done", closes="accepted")

    @act.clicked
    def set_the_rest(self) -> None:
        self.opener.size.enabled = False
        self.say("from the dialog")
        self.opener.panel.chosen.listen(self.opener.hear_second)


class Parent(Form):
    """Sets, waits for a dialog, and fails."""

    size = Number("Size", maximum=50)
    show_panel = Button("Panel")
    go = Button("Go")
    heard = Text("Heard")

    @show_panel.clicked
    def open_panel(self) -> None:
        self.panel = self.show(Panel)

    def hear_first(self) -> None:
        self.heard.value += "first"

    def hear_second(self) -> None:
        self.heard.value += "second"

    @go.clicked
    def set_and_fail(self) -> None:
        self.size.caption = "Length"
        self.say("half done")
        self.panel.chosen.listen(self.hear_first)
        self.open(Child)
        raise ValueError("after the dialog")


def test_what_a_dialog_set_beside_it_stays_and_the_rest_is_undone() -> None:
    with rehearse(Parent) as desk:
        desk.press("show_panel")
        desk.press(Parent.go)
        desk.press("act")
        with pytest.raises(HandlerFailed):
            desk.press("done")
        form = desk.at(Parent)
        assert (form.size.caption, form.size.enabled) == ("Size", False)
        assert [each.message for each in desk.session.view.forms if each.name == "Parent"] == [""]
        desk.press(Panel.send_it)
        assert form.heard.value == "second"
        desk.close()


class Sizes(Form):
    """Sets values that checks refuse, asks, and fails."""

    size = Number("Size", maximum=50)
    least = Number("Least", default=10)
    go = Button("Go")

    @check(size, least)
    def in_order(self, size: float, least: float) -> str | None:
        return "Below the least" if size < least else None

    @go.clicked
    def set_ask_and_fail(self) -> None:
        self.size.value, self.least.value = 60, 70
        self.confirm("Is that right?")
        raise ValueError("after the answer")


@pytest.mark.parametrize("typed", ["", "20", "55"])
def test_markers_are_undone_with_their_values(typed: str) -> None:
    with rehearse(Sizes) as desk:
        desk.type("size", typed)
        desk.tab()
        form = desk.at(Sizes)
        before = form.size.value, form.size.findings, form.least.findings
        desk.press("go")
        with pytest.raises(HandlerFailed):
            desk.answer("Yes")
        assert (form.size.value, form.size.findings, form.least.findings) == before


class Extra(Group):
    what = Text("What")


class Stay(Form):
    """Adds, removes and moves lines, and fails after a dialog has done the same."""

    extras = Lines(Extra, "Extras")
    go = Button("Go")

    @Form.opened
    def fill(self) -> None:
        for what in "abcd":
            self.extras.add(what=what)

    @go.clicked
    def change_and_fail(self) -> None:
        self.extras.add(what="mine")
        self.extras.remove(self.extras[1])
        self.open(More)
        self.extras.move(self.extras[0], 2)
        raise ValueError("after the dialog")


class More(Form):
    opener: Stay = Opener()
    act = Button("Act")
    done = Button("Done", closes="accepted")

    @act.clicked
    def change(self) -> None:
        self.opener.extras.add(what="theirs")
        self.opener.extras.remove(self.opener.extras[2])


@pytest.mark.parametrize(("acts", "left"), [(0, "a b c d"), (1, "a b c theirs"), (2, "a b c theirs theirs")])
def test_lines_of_a_dialog_stay_and_the_rest_is_undone(acts: int, left: str) -> None:
    with rehearse(Stay) as desk:
        desk.press("go")
        for _ in range(acts):
            desk.press("act")
        with pytest.raises(HandlerFailed):
            desk.press("done")
        assert " ".join(line.what.value for line in desk.at(Stay).extras) == left


class Listed(Form):
    """Handles a line's change, and nothing else of the line."""

    extras = Lines(Extra, "Extras")
    seen = Text("Seen")

    @extras.line_changed
    def note(self) -> None:
        self.seen.value += "!"


@pytest.mark.parametrize("recording", [True, False])
def test_a_session_without_a_trace_does_the_same(recording: bool) -> None:
    with Session(Listed, recording=recording) as session:
        session.feed(Gesture(verb="add_line", control="extras"))
        session.feed(Gesture(verb="type", control="extras[0].what", text="rope"))
        session.pause_at(Listed.seen.changed)
        session.feed(Gesture(verb="focus", control="seen"))
        assert session.view.forms[0].controls[-1].text == "!"
        assert session.paused_before == "seen.changed"
        session.go_on()


class Typed(Form):
    """Its last field fails at a typed key."""

    first = Text("First")
    second = Text("Second")
    seen = Text("Seen")
    ok = Button("OK", closes="accepted")

    @first.changed
    def note(self) -> None:
        self.seen.value += "!"

    @second.typed
    def fail(self) -> None:
        if self.second.draft == "new":
            raise ValueError("at a key")


def test_a_typed_key_and_its_focus_stay_when_its_handler_fails() -> None:
    with rehearse(Typed) as desk:
        form = desk.at(Typed)
        desk.type("first", "draft")
        with pytest.raises(HandlerFailed):
            desk.session.feed(Gesture(verb="type", control="second", text="new"))
        # What the failed gesture settled elsewhere is a draft again. Submitting settles it.
        assert (form.first.draft, form.second.text, form.second.focused) == ("draft", "new", True)
        desk.press("ok")
        assert desk.outcome and desk.outcome.values == {"first": "draft", "second": "new", "seen": "!"}


def test_a_key_over_a_selection_stays_with_what_it_replaced_gone() -> None:
    with rehearse(Typed) as desk:
        act(desk, "type second old", "focus first")
        desk.at(Typed).second.focus(select=True)
        for key in "ne":
            desk.key(key)
        with pytest.raises(HandlerFailed):
            desk.key("w")
        desk.key("s")
        assert desk.at(Typed).second.text == "news"


PAST_THE_RECORD = {
    "rule_cells.py make_ready: announced", "rule_cells.py make_ready: _value", "default_values.py set_defaults_of: _value",  # the form is new
    "steps.py put_draft: _draft", "steps.py put_draft: _listing", "steps.py put_draft: _trouble",  # the typed key stays
    "steps.py put_draft: select", "validation.py preview: _preview", "undoing.py put_back: focus",  # belongs to the typed key
    "line_changes.py detach: _set", "line_changes.py attach: _set", "live_state.py _restored: _set", "line_changes.py put_rows: _rows",  # follows the lines that are there, also after an undo
    "scheduler.py update_quietly: announced", "validation.py validate_quietly: _findings", "state.py drop: forms", "opening.py _restored: phase",  # is the undo
    "undoing.py put_back: writes", "undoing.py put_back: brought_to_front", "storing.py commit: writes",  # written or undone as a whole
    "engine.py listen: listeners",  # outside a gesture
    "closing.py close_without_handlers: outcome",  # the form closes whatever fails
}  # fmt: skip
"""Assignments to recorded attributes that needn't be recorded, each with the reason."""


def assigned(tree: ast.AST, within: str = "") -> Iterator[tuple[str, str]]:
    """Yield the function and attribute of each assignment to an attribute."""
    for node in ast.iter_child_nodes(tree):
        inside = node.name if isinstance(node, ast.FunctionDef) else within
        for part in ast.walk(node) if isinstance(node, ast.Assign | ast.AugAssign | ast.AnnAssign) else ():
            if isinstance(part, ast.Attribute) and isinstance(part.ctx, ast.Store):
                yield inside, part.attr
        yield from assigned(node, inside)


def test_what_a_gesture_sets_is_recorded() -> None:
    trees = {path: ast.parse(path.read_text(encoding="utf-8")) for path in CORE.rglob("*.py")}
    calls = [node for tree in trees.values() for node in ast.walk(tree) if isinstance(node, ast.Call)]
    sets = [call for call in calls if isinstance(call.func, ast.Attribute) and len(call.args) > 2]
    sets = [call for call in sets if call.func.attr in ("set", "set_item")]  # type: ignore[attr-defined]
    recorded = {call.args[1].value for call in sets if isinstance(call.args[1], ast.Constant)} - {"value", "title"}
    recorded |= {"_value", "_findings", "announced", "_rows"}
    assert len(recorded) > 25
    found = {
        f"{path.name} {function}: {name}"
        for path, tree in trees.items()
        for function, name in assigned(tree)
        if name in recorded and function not in ("__init__", "put_value", "put_findings", "put_announced")
    }
    assert found == PAST_THE_RECORD
