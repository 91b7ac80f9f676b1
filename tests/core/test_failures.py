"""Failures are undone, told to the user and to developers, and can be expected."""

from __future__ import annotations

import gc
import sys
import weakref
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from greenlet import greenlet

from fuselatch import (
    Button,
    Catalog,
    Choice,
    EffectFailed,
    Finding,
    Form,
    FuseBlown,
    Group,
    HandlerFailed,
    Latch,
    Lines,
    Number,
    Prompt,
    Refused,
    check,
    warn,
)
from fuselatch.core.model.trace import TraceEntry
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import read_cues, rehearse, run_cues
from fuselatch.report.tree import story as story_of
from fuselatch.stores import MemoryRecords
from tests.bench import LOG, Bench, Dialog, bench, doing, fail, note, undone
from tests.helpers import act, snapshot

LOOP = {
    "a": lambda form: setattr(form.b, "value", form.a.required_value + 1),
    "b": lambda form: setattr(form.a, "value", form.b.required_value + 1),
}


def test_the_user_reads_that_it_failed_until_the_next_gesture() -> None:
    met: list[BaseException] = []
    with Session(doing(go=fail("no crane")), on_failure=met.append) as session:
        with pytest.raises(HandlerFailed) as caught:
            session.feed(Gesture(verb="press", control="go"))
        view = session.view
        assert view.notice == "That didn't work, and nothing was changed" == view.failure.text  # type: ignore[union-attr]
        assert view.failure is not None and view.failure.error == "ValueError: no crane"
        assert (view.failure.what, view.failure.file, view.failure.line) == ("Bench.go_clicked", *caught.value.where)
        assert met == [caught.value]
        session.feed(Gesture(verb="tick", control="on"))
        assert session.view.failure is None and not session.view.notice


def test_a_failure_can_be_expected_and_is_recorded_so() -> None:
    with bench({"go": fail("no crane")}) as (desk, _):
        desk.expect("failed", "press", "go", "because", "crane")
        undone(desk, "press go")
        act(desk, "tick on")
        sheet = desk.as_cues().partition("\n\n")[2]
    assert [" ".join(line.split()) for line in sheet.splitlines()] == [
        "expect failed press go because crane",
        "expect failed press go",
        "tick on",
    ]
    heading = "form tests.bench:Bench\n"
    doing(go=fail("no crane"))
    for line, problems in (("press go", 0), ("press go because crane", 0), ("press go because boat", 1), ("tick on", 1)):
        report = run_cues(read_cues(f"{heading}expect failed {line}\n", "sheet.cues"))
        assert report.failed == problems


def test_the_trace_says_what_failed_and_what_was_undone_and_why_leaves_that_out() -> None:
    does = {"a": fail("no crane"), "b": lambda form: setattr(form.word, "value", "x"), "word": fail("no boat")}
    with bench(does) as (desk, _):
        act(desk, "type a 1")
        undone(desk, "tab")
        last = [entry.number for entry in desk.trace][-1]
        handler, error, undo = desk.trace[last - 3], desk.trace[last - 2], desk.trace[last - 1]
        assert (error.kind, error.cause, error.form, error.control) == ("error", handler.number, "Bench", "a")
        assert (undo.kind, undo.new, desk.trace[undo.cause - 1].name) == ("undo", "Bench.a_first failed", "tab")
        assert "not set since the form opened" in desk.why("a.value")
        assert desk.why("twice.value") == "twice.value is 0\n  set by its rule, which reads a.value (blank)"
        because = "but that was undone:\n  undoes tab: Bench.a_first failed"
        assert because in desk.why("a.changed") and because in desk.why("a_first")
        assert "Bench.a_first failed before it" in desk.why("a_second")
        act(desk, "key Escape", "type b 2")
        undone(desk, "tab", "no boat")
        assert "not set since the form opened" in desk.why("word.value")
        assert "undoes tab: Bench.word_changed failed" in desk.why("b_changed")


def test_a_long_loop_is_told_in_a_few_lines() -> None:
    with bench(LOOP) as (desk, _):
        with pytest.raises(FuseBlown):
            act(desk, "type a 1", "tab")
        assert desk.session.view.failure is not None and desk.session.view.failure.loop[:2] == ("a.changed", "a_first")
        assert "… 95 more rounds" in desk.story() and len(desk.story().splitlines()) < 60
        assert len(desk.why("b.value").splitlines()) <= 10


def test_keys_in_two_forms_are_two_lines_of_the_story() -> None:
    typed = (("A", "word a"), ("B", "word b"), ("B", "word bc"), ("B", "other b"))
    entries = [
        TraceEntry(number, 0, "gesture", form, text.partition(" ")[0], f"type {text}", None, None, "")
        for number, (form, text) in enumerate(typed, 1)
    ]
    assert story_of(entries).splitlines() == ["type word a", "type word bc", "type other b"]


class Item(Group):
    """A line."""

    price = Number("Price")


class Looping(Form, records="boats"):
    """Each of its buttons starts a loop."""

    items = Lines(Item, "Items")
    name = Choice("Name", choices=Catalog("boats", text="name"))
    key = Choice("Key", choices=Catalog("boats", text="name", value="id", value_type=int))
    names = Number("Names", value=lambda form: len(form.name.choices))
    keys = Number("Keys", value=lambda form: len(form.key.choices))
    price = Number("Price")
    kept = Number("Kept")
    add = Button("Add")
    move = Button("Move")
    write = Button("Write")
    moving = False

    @price.entered
    def further(self) -> None:
        self.kept.focus()

    @kept.entered
    def go_back(self) -> None:
        self.price.focus()

    @add.clicked
    @items.line_added
    def add_another(self) -> None:
        self.items.add(price=1)

    @move.clicked
    def begin(self) -> None:
        self.moving = True
        self.records.next()

    @Form.record_shown
    def move_back_and_forth(self) -> None:
        if self.moving:
            self.records.at(1 if self.records.key == 2 else 2)

    @names.changed
    @keys.changed
    @write.clicked
    def write_another(self) -> None:
        self.session.records.add("boats", {"name": f"y{self.names.value}"})


def show_and_close(form: Bench) -> None:
    """Show another dialog, which goes at once."""
    opener = form.opener
    opener.show(Dialog).close()


@pytest.mark.parametrize(
    ("does", "step", "loop"),
    [
        ({"Dialog opened": lambda form: form.show(Dialog), "go": lambda form: form.show(Dialog)}, "press go", "Dialog.opened → opening"),
        ({"Dialog opened": lambda form: form.open(Dialog), "go": lambda form: form.open(Dialog)}, "press go", "Dialog.opened → opening"),
        ({"Dialog closed": show_and_close, "go": lambda form: form.show(Dialog).close()}, "press go", "Dialog.closed"),
        (None, "focus price", "price.entered → kept.entered → price.entered"),
        (None, "press add", "items.line_added → add_another → items.line_added"), (None, "press move", "Looping.record_shown → move_back_and_forth"),
        (None, "press write", "names.changed → write_another"),
    ],
)  # fmt: skip
def test_a_loop_is_stopped_and_named_before_anything_is_written(does: Any, step: str, loop: str) -> None:
    store = MemoryRecords({"boats": [{"id": 1, "name": "a"}, {"id": 2, "name": "b"}], "log": []}, keys={"boats": "id"})
    if does:
        made: type[Form] = doing(**does)
    else:
        made = Looping
    with rehearse(made, records=store) as desk:
        error = undone(desk, step, loop)
        assert isinstance(error, FuseBlown) and len(str(error)) < 500
        assert store.transactions == 0


BROKEN: list[str] = []
"""The effects that fail now."""


def effect(name: str) -> None:
    """Note an effect, or fail."""
    if name in BROKEN:
        raise OSError(f"no {name}")
    LOG.append(name)


def with_effects(form: Bench) -> None:
    """Write a row, and ask for three effects."""
    form.session.records.add("log", {"n": len(form.session.records.rows("log")) + 1})
    for name in ("letter", "drawing", "bill"):
        form.afterwards(effect, name, caption=f"Send the {name}")


@pytest.mark.parametrize("answers", [["Try again", "Try again", "Skip"], ["Try again", "Try again", ""], ["Skip"]])
def test_an_effect_that_fails_leaves_what_was_written_and_may_be_tried_again(answers: list[str]) -> None:
    store = MemoryRecords({"log": []})
    BROKEN[:] = ["drawing"]
    with bench({"submitted": with_effects}, records=store) as (desk, _):
        act(desk, "press ok")
        said = "Saved: log: 1. But this didn't work: Send the drawing (no drawing)"
        for at, answer in enumerate(answers):
            assert desk.prompt.text == said and not desk.session.forms
            assert desk.outcome is None and desk.session.view.outcome is None and not desk.session.is_done
            assert store.transactions == 1
            if at == 1 and answers[-1] == "":
                BROKEN.clear()
            if answer == "Skip":
                with pytest.raises(EffectFailed) as caught:
                    desk.answer(answer)
                failed = caught.value
                parts = (("Send the letter",), "Send the drawing", ("Send the bill",), "press ok")
                assert (failed.done, failed.effect, failed.not_tried, failed.gesture) == parts
                assert desk.session.view.notice == "Done, except for: Send the drawing"
            elif desk.prompt:
                desk.answer(answer)
            if not desk.prompt:
                break
        assert LOG == (["letter", "drawing", "bill"] if not BROKEN else ["letter"])
        assert desk.session.is_done and desk.outcome is not None and desk.outcome.accepted
        assert desk.session.view.outcome is not None
        errors = [entry for entry in desk.trace if entry.kind == "error"]
        assert {(one.form, desk.trace[one.cause - 1].name) for one in errors} == {("Bench", "Bench.submit")}
        assert not [entry for entry in desk.trace if entry.kind == "undo"]


def test_the_opener_gets_the_outcome_after_the_effects_and_a_program_the_error_at_once() -> None:
    store = MemoryRecords({"log": []})
    BROKEN[:] = ["letter"]

    def opens(form: Bench) -> None:
        LOG.append(form.open(Dialog).verdict)

    with bench({"go": opens, "Dialog submitted": with_effects}, records=store) as (desk, form):
        act(desk, "press go", "press ok")
        assert desk.prompt and LOG == []
        with pytest.raises(EffectFailed):
            desk.answer("Skip")
        assert LOG == ["accepted"] and not desk.session.waits_for and form.is_open
        LOG.clear()
        dialog = form.show(Dialog)
        with pytest.raises(
            EffectFailed, match=r"OSError: no letter; in 'Send the letter' after close Dialog.*, which is done"
        ):
            dialog.close("accepted")
        assert not desk.prompt and not dialog.is_open and store.transactions == 2
        # A session that ends while the user is asked undoes nothing.
        act(desk, "press go", "press ok")
        before = snapshot(desk.session)["values"]
        with pytest.raises(EffectFailed):
            desk.session.close()
        assert snapshot(desk.session)["values"] == before and store.transactions == 3


class Posted(Form, records="log"):
    """Sends a letter with what is saved."""

    n = Number("N")
    ok = Button("OK", closes="accepted")

    @Form.submitted
    def send(self) -> None:
        self.afterwards(effect, "letter")


def test_a_gesture_that_is_made_again_has_its_effects_once() -> None:
    LOG.clear()
    BROKEN.clear()
    store = MemoryRecords({"log": [{"id": 1, "n": 1}]}, keys={"log": "id"})
    with rehearse(Posted, records=store) as desk:
        desk.type("n", "2")
        store.sources["log"][0] = {"id": 1, "n": 5}
        store.versions["log"] += 1
        act(desk, "press ok", "answer 'Keep mine'")
        assert LOG == ["letter"] and store.sources["log"] == [{"id": 1, "n": 2}]


class Warns(Bench):
    """Its number may warn; it asks about the pier once."""

    sure = Prompt("Sure?", buttons=("Yes", "No"), latch=Latch(per="form"), remember=("Yes",))

    @check(Bench.a)
    def far(self, a: float) -> Finding | None:
        return warn(f"far: {a:g}") if a > 9 else None

    @Form.accepting
    def be_sure(self) -> None:
        self.ask(self.sure)


def test_answers_stay_when_the_store_refuses_and_fall_when_code_fails() -> None:
    busy: list[str | None] = ["disk full"]
    store = MemoryRecords({"log": []}, refuse=lambda rows: busy[0])
    doing(**{"Warns submitted": lambda form: form.session.records.add("log", {"n": form.b.value})})
    with rehearse(Warns, records=store) as desk:
        act(desk, "type a 10", "press ok", "answer 'Go on'", "answer Yes")
        assert desk.prompt.text == "Couldn't save: disk full"
        act(desk, "answer 'Try again'", "answer 'Keep editing'")
        assert desk.at(Warns).is_open and [each.text for each in desk.at(Warns).overrides] == ["far: 10"]
        # Another warning is asked about, and only that one.
        act(desk, "type a 11", "press ok")
        assert desk.prompt.text.endswith("far: 11")
        act(desk, "answer 'Go on'", "answer 'Keep editing'")
        busy[0] = None
        act(desk, "press ok")
        assert desk.outcome is not None and [each.text for each in desk.outcome.overrides] == ["far: 11"]
    doing(**{"Warns submitted": fail("no crane")})
    with rehearse(Warns, records=MemoryRecords({"log": []})) as desk:
        act(desk, "type a 10", "press ok", "answer 'Go on'")
        with pytest.raises(HandlerFailed):
            desk.answer("Yes")
        act(desk, "press ok")
        assert desk.prompt.text.endswith("far: 10")
        act(desk, "answer 'Go back'")


@pytest.mark.parametrize(
    ("call", "text"),
    [
        (lambda form: form.ask(5), "a prompt's text must be text"),
        (lambda form: form.open(Form), "open(…): Form itself has no controls; pass a class that derives from it"),
        (lambda form: form.show("Dialog"), "show(…): expected a form class, not 'Dialog'"),
        (lambda form: form.show(Dialog, place=5), "unknown place 5; choose from over, beside"),
        (lambda form: form.afterwards(5), "afterwards(…) takes a function, not 5"),
        (lambda form: delattr(form, "a"), "Bench.a is part of the form and can't be deleted"),
        (lambda form: delattr(form, "nothing"), "Bench has no 'nothing' of its own"),
        (lambda form: greenlet(form.ask).switch("Sure?"), "only the handler itself can wait for the user (ask 'Sure?')"),
        (lambda form: in_a_thread(lambda: setattr(form.a, "value", 5)), "from the thread that created it"),
        (lambda form: form.session.records.add("log", 5), "add('log', …): expected a row, a mapping of columns to values"),
        (lambda form: form.session[5], "session[…]: expected a Shared, not 5"),
        (lambda form: form.session.find(5), "find(…): expected a form class, not 5"),
    ],
)
def test_wrong_calls_are_told_in_the_words_of_the_library(call: Any, text: str) -> None:
    with bench({"go": call}) as (desk, _):
        error = undone(desk, "press go")
        assert text in str(error.error)
    with pytest.raises(TypeError, match=r"Session\(…\): Form itself has no controls"):
        Session(Form)


def in_a_thread(run: Callable[[], object]) -> None:
    """Run something in another thread, and raise what it raises."""
    with ThreadPoolExecutor(1) as pool:
        pool.submit(run).result()


def interrupt_after(lines: int) -> Any:
    """Return a trace function that presses Ctrl-C after so many lines of the library."""

    def trace(frame: Any, event: str, arg: object) -> Any:
        nonlocal lines
        if "fuselatch" not in frame.f_code.co_filename or "tests" in frame.f_code.co_filename:
            return None
        lines -= 1
        if lines == 0:
            raise KeyboardInterrupt
        return trace

    return trace


@pytest.fixture
def uncollected() -> Iterator[None]:
    """Let no session of another test be freed within this one."""
    gc.collect()
    gc.disable()
    yield
    gc.enable()


@pytest.mark.usefixtures("uncollected")
@pytest.mark.parametrize("lines", [*range(1, 400, 19), *range(400, 2000, 97)])
def test_ctrl_c_leaves_a_session_as_it_was_or_says_that_it_is_broken(lines: int, monkeypatch: pytest.MonkeyPatch) -> None:
    # The innermost code is the library's, as it is when a signal comes.
    monkeypatch.setitem(globals(), "__name__", "fuselatch.test")
    does = {
        **LOOP,
        "b": lambda form: form.say("b"),
        "go": lambda form: form.open(Dialog),
        "on": lambda form: form.ask("Sure?"),
    }
    usual = sys.gettrace()
    with bench(does) as (desk, _):
        session = desk.session
        for step in ("type a 5", "tab", "press go", "close", "tick on"):
            before = snapshot(session)
            try:
                sys.settrace(interrupt_after(lines))
                act(desk, step)
            except KeyboardInterrupt:
                pass
            else:
                continue
            finally:
                sys.settrace(usual)
            if session._state.is_broken:
                assert session.view.version
                with pytest.raises(Refused, match=r"was interrupted halfway \(Ctrl-C\); the session can't be used any more"):
                    desk.press("later")
            else:
                assert snapshot(session) == before or session._state.unfinished is None
            break


@pytest.mark.parametrize("elsewhere", [False, True])
def test_a_session_that_is_dropped_is_freed_and_its_handlers_end(elsewhere: bool) -> None:
    ended: list[str] = []

    def wait(form: Bench) -> None:
        try:
            form.ask("Sure?")
        finally:
            ended.append("ended")

    def make() -> tuple[list[Session], weakref.ref[Form]]:
        session = Session(doing(go=wait))
        session.feed(Gesture(verb="press", control="go"))
        return [session], weakref.ref(session.front)

    held, form = make()
    assert form() is not None and not ended
    in_a_thread(held.clear) if elsewhere else held.clear()
    with Session(doing()) as other:  # what another thread has dropped ends here, with the next switch
        other.feed(Gesture(verb="tick", control="on"))
    gc.collect()
    assert form() is None and ended == ["ended"]


def test_a_form_that_is_held_alone_keeps_its_session() -> None:
    form = Session(doing(go=note("pressed")), user="imke").front
    assert form.session.user == "imke"
    form.session.feed(Gesture(verb="press", control="go"))  # type: ignore[attr-defined]
    assert LOG == ["pressed"]
