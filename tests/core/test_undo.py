"""Undo: everything that a gesture changed is as it was before, if a handler fails; and nothing is changed past the record."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest
from small.crew import Crew

import fuselatch
from fuselatch import Button, Form, HandlerFailed, Number, Text, check
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import rehearse
from tests.bench import LOG, Bench, Dialog, bench, fail, note
from tests.helpers import act

CORE = Path(fuselatch.__file__).parent / "core"


def test_a_first_form_that_failed_to_open_is_not_the_first() -> None:
    class Broken(Form):
        @Form.opened
        def fail(self) -> None:
            raise ValueError("at the start")

    session = Session(forms=[Broken, Dialog])
    with pytest.raises(HandlerFailed):
        session.feed(Gesture(verb="open", text="Broken"))
    session.feed(Gesture(verb="open", text="Dialog"))
    assert session.outcome is None
    session.feed(Gesture(verb="close"))
    assert session.outcome is not None


def test_what_a_dialog_set_beside_it_stays_and_the_rest_is_undone() -> None:
    first, second = note("first"), note("second")

    def set_and_fail(form: Bench) -> None:
        form.a.caption = "Length"
        form.say("half done")
        form.sent.listen(lambda: first())
        form.open(Dialog)
        raise ValueError("after the dialog")

    def set_the_rest(form: Bench) -> None:
        form.opener.a.enabled = False
        form.say("from the dialog")
        form.opener.sent.listen(lambda: second())

    with bench({"go": set_and_fail, "Dialog go": set_the_rest, "on": lambda form: form.sent.send("x")}) as (desk, form):
        act(desk, "press go", "press go")
        with pytest.raises(HandlerFailed):
            desk.press("ok")
        assert (form.a.caption, form.a.enabled, desk.session.view.forms[0].message) == ("A", False, "")
        desk.tick("on")
        assert LOG == ["second"]


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
        act(desk, f"type size '{typed}'", "tab")
        form = desk.at(Sizes)
        before = form.size.value, form.size.findings, form.least.findings
        desk.press("go")
        with pytest.raises(HandlerFailed):
            desk.answer("Yes")
        assert (form.size.value, form.size.findings, form.least.findings) == before


@pytest.mark.parametrize("recording", [True, False])
def test_a_session_without_a_trace_does_the_same(recording: bool) -> None:
    with Session(Crew, recording=recording) as session:
        session.feed(Gesture(verb="add_line", control="hands"))
        for what in ("rope", "tar"):
            session.feed(Gesture(verb="focus", control="seen"))
            session.feed(Gesture(verb="type", control="hands[0].name", text=what))
        session.pause_at(Crew.seen.changed)
        session.feed(Gesture(verb="focus", control="seen"))
        assert session.paused_before == "seen.changed"
        assert session.control("seen").text == "!!"
        session.go_on()


def test_a_typed_key_and_its_focus_stay_when_its_handler_fails() -> None:
    def fail_at_new(form: Bench) -> None:
        fail("at a key")() if form.word.draft == "new" else None

    with bench({"typed": fail_at_new, "a": note("settled")}) as (desk, form):
        act(desk, "type word old", "focus a")
        form.word.focus(select=True)
        for key in "ne":
            desk.key(key)
        with pytest.raises(HandlerFailed):
            desk.key("w")  # over a selection: what it replaced is gone
        desk.key("s")
        assert form.word.text == "news"
        act(desk, "key Escape", "type a 3")
        with pytest.raises(HandlerFailed):
            desk.session.feed(Gesture(verb="type", control="word", text="new"))
        # What the failed gesture settled elsewhere is a draft again. Submitting settles it.
        assert (form.a.draft, form.word.text, form.word.focused) == ("3", "new", True)
        LOG.clear()
        desk.press("ok")
        assert desk.outcome and (desk.outcome.values["a"], desk.outcome.values["word"], LOG) == (3, "new", ["settled"])


def assigned(tree: ast.AST, within: str = "") -> Iterator[tuple[str, str, int]]:
    """Yield the function, attribute and line of each assignment to an attribute."""
    for node in ast.iter_child_nodes(tree):
        inside = node.name if isinstance(node, ast.FunctionDef) else within
        for part in ast.walk(node) if isinstance(node, ast.Assign | ast.AugAssign | ast.AnnAssign) else ():
            if isinstance(part, ast.Attribute) and isinstance(part.ctx, ast.Store):
                yield inside, part.attr, part.lineno
        yield from assigned(node, inside)


def named_in(call: ast.Call) -> str:
    """Return the attribute that a call sets by the record: `turn.set(control, "_draft", …)` or `Put("_at", …)`."""
    name = call.func.attr if isinstance(call.func, ast.Attribute) else getattr(call.func, "id", "")
    at = {"set": 1, "set_item": 1, "Put": 0}.get(name, len(call.args))
    given = call.args[at] if at < len(call.args) else None
    return str(given.value) if isinstance(given, ast.Constant) else ""


def test_what_a_gesture_sets_is_recorded_or_says_why_not() -> None:
    sources = {path: path.read_text(encoding="utf-8") for path in CORE.rglob("*.py")}
    trees = {path: ast.parse(source) for path, source in sources.items()}
    calls = [node for tree in trees.values() for node in ast.walk(tree) if isinstance(node, ast.Call)]
    recorded = {*map(named_in, calls), "_value", "_findings", "announced", "_rows"} - {"value", "title", ""}
    assert len(recorded) > 25
    recording = ("__init__", "_begin_empty", "put_value", "put_findings", "put_announced")
    places = [
        (path, line)
        for path in trees
        for function, name, line in assigned(trees[path])
        if name in recorded and function not in recording
    ]
    assert len(places) > 20
    lines = {path: source.splitlines() for path, source in sources.items()}
    silent = [(path.name, at) for path, at in places if "# not undone: " not in "".join(lines[path][at - 2 : at])]
    assert not silent


def test_a_property_that_was_set_before_comes_back() -> None:
    class Twice(Form):
        boat = Text("Boat")
        once = Button("Once")
        again = Button("Again")

        @once.clicked
        def name_it(self) -> None:
            self.boat.caption = "Vessel"

        @again.clicked
        def fail(self) -> None:
            self.boat.caption = "Ship"
            raise ValueError("afterwards")

    with rehearse(Twice) as desk:
        desk.press("once")
        with pytest.raises(HandlerFailed):
            desk.press("again")
        assert desk.at(Twice).boat.caption == "Vessel"
        desk.close()
