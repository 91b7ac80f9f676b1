"""Handlers: their order, forbidden actions, and all or nothing when one fails."""

from __future__ import annotations

import contextvars
from typing import Any

import pytest

from fuselatch import (
    Abandoned,
    Button,
    Choice,
    Event,
    Form,
    FormClosed,
    FuseBlown,
    HandlerFailed,
    NotAllowedHere,
    Number,
    Prompt,
    RuleError,
    Text,
    Tick,
    check,
)
from fuselatch.frontends import Session
from fuselatch.rehearsal import Unfinished, rehearse
from tests.helpers import act, snapshot, told

WHO = contextvars.ContextVar("WHO", default="no one")


class Dialog(Form):
    """A dialog whose handlers fail at any way to close, on request."""

    word = Text("Word")
    bad = Tick("Bad")
    ok = Button("OK", closes="accepted")
    no = Button("No", closes="cancelled")

    @Form.closing
    def on_the_way(self) -> None:
        """Set a value, then fail."""
        if self.bad.value:
            self.word.value = "half done"
            raise ValueError("no way out")


class Sums(Form):
    """Handlers that fail in every place."""

    a = Number("A")
    b = Number("B")
    c = Number("C", value=lambda form: 10 / (1 if form.a.value is None else form.a.value))
    kind = Choice("Kind", choices=lambda form: ("one", "two") if form.b.value != 2 else ("one",))
    query = Button("Query")
    dialog = Button("Dialog")
    done = Button("Done", closes="accepted")
    leave = Button("Leave", closes="cancelled")

    sure = Prompt("Sure about {a} and {more}?", title="Sure", buttons=("Yes", "No"))

    @a.changed
    def set_b(self, event: Event) -> None:
        """Set another control, count, and fail at 13."""
        self.count = getattr(self, "count", 0) + 1
        self.b.value = event.new * 2
        self.kind.value = "one"
        if event.new == 13:
            raise KeyError("thirteen")

    @b.typed
    def no_x(self, event: Event) -> None:
        """Fail at one key."""
        self.count = -1
        if "x" in event.new:
            raise ValueError("an x")

    @query.clicked
    def put_query(self) -> None:
        """Set a value, ask, and fail at No."""
        self.b.value = 5
        if self.ask(self.sure, more="more") == "No":
            raise RuntimeError("no is no answer")
        self.b.value = 6

    @dialog.clicked
    def open_dialog(self) -> None:
        """Set a value, open a dialog, and fail if it says so."""
        self.b.value = 7
        outcome = self.open(Dialog)
        if outcome.accepted and outcome[Dialog.word] == "fail":
            raise RuntimeError("the word was fail")
        self.b.value = 8


def this_line_of(error: HandlerFailed) -> str:
    """Return the name of the file that failed."""
    return error.where[0].replace("\\", "/").rpartition("/")[2]


def test_a_failing_handler_puts_everything_back_and_tells_the_chain() -> None:
    with rehearse(Sums) as desk:
        desk.at(Sums).a.value = 1
        desk.type("a", "13")
        before = snapshot(desk.session)
        with pytest.raises(HandlerFailed) as caught:
            desk.tab()
        error = caught.value
        assert snapshot(desk.session) == before
        assert this_line_of(error) == "test_handlers.py" and isinstance(error.__cause__, KeyError)
        assert error.chain == ("Sums.set_b", "a.changed", "tab") and error.gesture == "tab"
        assert str(error) == (
            f"{error.where[0]}:{error.where[1]}: KeyError: 'thirteen'; in Sums.set_b ← a.changed ← tab; undone: tab"
        )
        assert told(desk.trace)[-1].startswith("failed in test_handlers.py:")
        assert vars(desk.form)["count"] == 1


def test_a_rule_that_raises_fails_the_gesture_that_made_it_stale() -> None:
    with rehearse(Sums) as desk:
        desk.at(Sums).a.value = 2
        before = snapshot(desk.session)
        with pytest.raises(HandlerFailed) as caught:
            desk.at(Sums).a.value = 0
        assert caught.value.chain[0] == "the rule c.value" and isinstance(caught.value.__cause__, ZeroDivisionError)
        assert snapshot(desk.session) == before
        desk.at(Sums).a.value = 5
        assert desk.at(Sums).c.value == 2


def test_accepting_that_fails_keeps_the_dialog_open() -> None:
    with rehearse(Sums) as desk:
        act(desk, "press dialog", "tick bad")
        before = snapshot(desk.session)
        with pytest.raises(HandlerFailed):
            desk.press("ok")
        assert snapshot(desk.session) == before
        act(desk, "untick bad", "press ok")
        assert desk.at(Sums).b.value == 8


def test_a_base_exception_passes_unwrapped_and_puts_back() -> None:
    class Stop(Form):
        a = Text("A")

        @a.changed
        def stop(self) -> None:
            self.a.value = "changed"
            raise KeyboardInterrupt

    with rehearse(Stop) as desk:
        with pytest.raises(KeyboardInterrupt):
            desk.at(Stop).a.value = "x"
        assert desk.at(Stop).a.value == ""


def test_swallowing_the_failure_of_a_dialog_does_not_save_the_gesture() -> None:
    class Broken(Form):
        a = Text("A")

        @Form.opened
        def fail(self) -> None:
            raise ValueError("at opening")

    class Opener(Form):
        a = Text("A")
        go = Button("Go")

        @go.clicked
        def try_it(self) -> None:
            self.a.value = "set"
            try:
                self.open(Broken)
            except HandlerFailed:
                self.a.value = "swallowed"

    with rehearse(Opener) as desk:
        before = snapshot(desk.session)
        with pytest.raises(HandlerFailed) as caught:
            desk.press("go")
        assert caught.value.chain == ("Broken.fail", "Broken.opened", "Opener.try_it", "go.clicked", "press go")
        after = snapshot(desk.session)
        assert after == before


class Loop(Form):
    """Two handlers that trigger each other."""

    pier = Number("Pier")
    berth = Number("Berth")

    @pier.changed
    def set_berth(self) -> None:
        self.berth.value = self.pier.required_value + 1

    @berth.changed
    def set_pier(self) -> None:
        self.pier.value = self.berth.required_value + 1


def test_a_runaway_chain_blows_the_fuse_and_names_the_loop() -> None:
    with rehearse(Loop) as desk:
        with pytest.raises(FuseBlown) as caught:
            desk.at(Loop).pier.value = 1
        assert caught.value.loop[:5] == ("pier.changed", "set_berth", "berth.changed", "set_pier", "pier.changed")
        assert "one handler ran more than 100 times for one control: pier.changed → set_berth →" in str(caught.value)
        assert desk.at(Loop).pier.value is None
        assert told(desk.trace, "handler").count("runs Loop.set_berth") == 100


def test_too_many_handlers_in_one_gesture_blow_it_too() -> None:
    with (
        Session(Loop, max_runs=30) as session,
        pytest.raises(FuseBlown, match="handlers ran more than 30 times in one gesture"),
    ):
        session.front.pier.value = 1  # type: ignore[attr-defined]


def test_one_changed_a_control_and_none_for_a_set_back() -> None:
    heard: list[tuple[str, Any, Any, str]] = []

    class Once(Form):
        a = Number("A")
        b = Number("B")
        c = Number("C")

        @a.changed
        def both(self) -> None:
            self.b.value = 1
            self.c.value = 1
            self.b.value = 2
            self.c.value = None
            self.b.value = 2

        @b.changed
        def hear_b(self, event: Event) -> None:
            heard.append((event.name, event.old, event.new, event.by))

        @c.changed
        def hear_c(self) -> None:
            heard.append(("c", None, None, ""))

    with rehearse(Once) as desk:
        act(desk, "type a 1", "tab")
        assert heard == [("changed", None, 2.0, "program")]


def test_handlers_of_a_base_run_first_and_a_replaced_one_hears_what_it_heard() -> None:
    order: list[str] = []

    class Base(Form):
        a = Text("A")

        @a.changed
        def first(self) -> None:
            order.append("base first")

        @a.changed
        def second(self) -> None:
            order.append("base second")

    class Derived(Base):
        b = Text("B")

        @Base.a.changed
        def third(self) -> None:
            order.append("third")

        def first(self) -> None:
            order.append("derived first")

    with rehearse(Derived) as desk:
        desk.at(Derived).a.value = "x"
    assert order == ["derived first", "base second", "third"]


def test_what_is_misplaced_says_where_it_belongs() -> None:
    class Misplaced(Form):
        a = Number("A")
        b = Number("B", value=lambda form: form.wrong() if form.a.value == 1 else 0)
        go = Button("Go")

        def wrong(self) -> float:
            self.go.caption = "changed"
            return 1

        @check(a)
        def waits(self, a: float) -> str | None:
            return str(self.confirm("really?")) if a == 2 else None

        @go.clicked
        def misuse(self) -> None:
            self.b.value = 3

    messages = [
        (
            1,
            "the rule b.value",
            "a rule, check or default can't set Misplaced.go.caption; set it in a handler",
        ),
        (2, "the rule a.waits", "a rule, check or default can't wait for the user (ask 'really?'); ask in a handler"),
    ]
    with rehearse(Misplaced) as desk:
        form = desk.at(Misplaced)
        for value, what, message in messages:
            with pytest.raises(HandlerFailed) as caught:
                form.a.value = value
            assert caught.value.chain[0] == what and isinstance(caught.value.error, RuleError)
            assert str(caught.value.error) == message
        with pytest.raises(HandlerFailed, match=r"Misplaced\.b\.value has a rule and can't be set"):
            desk.press("go")
        with pytest.raises(NotAllowedHere, match="only a handler can wait"):
            form.inform("outside")
        with pytest.raises(AttributeError, match=r"Misplaced\.a is a control; set a\.value"):
            form.a = 3  # type: ignore[assignment]
    with pytest.raises(FormClosed if not form.is_open else NotAllowedHere):
        form.a.value = 4


def test_closing_a_session_unwinds_waiting_handlers_innermost_first() -> None:
    unwound: list[str] = []
    refused: list[str] = []

    class Waiting(Form):
        go = Button("Go")
        word = Text("Word")

        @go.clicked
        def wait(self) -> None:
            try:
                self.open(Waiting)
            finally:
                unwound.append(repr(self))
                try:
                    self.word.value = "late"
                except NotAllowedHere as error:
                    refused.append(str(error))
                try:
                    self.inform("late")
                except NotAllowedHere as error:
                    refused.append(str(error))

        @word.changed
        def swallow(self) -> None:
            try:
                self.inform("swallow")
            except Abandoned:
                unwound.append("swallowed")

    session = Session(Waiting)
    with rehearse(Waiting) as desk:
        assert desk.form.is_open
    for _ in range(3):
        session.feed(gesture("press", "go"))
    session.front.word.value = "x"  # type: ignore[attr-defined]
    session.close()
    assert unwound == ["swallowed", "<Waiting#3 open>", "<Waiting#2 open>", "<Waiting open>"]
    assert refused[:2] == [
        "the session is closing: Waiting.word.value can't be set",
        "the session is closing: can't wait for the user (ask 'late')",
    ]
    assert len(refused) == 6


def test_what_waited_in_the_queue_of_a_gesture_that_failed_is_raised_anew() -> None:
    heard: list[tuple[Any, Any]] = []

    class Fails(Form):
        a = Number("A")
        b = Number("B")

        @a.changed
        def set_and_fail(self) -> None:
            self.b.value = 5
            if self.a.value == 13:
                raise ValueError("thirteen")

        @b.changed
        def hear(self, event: Event) -> None:
            heard.append((event.old, event.new))

    with rehearse(Fails) as desk:
        with pytest.raises(HandlerFailed):
            desk.at(Fails).a.value = 13
        desk.at(Fails).b.value = 5
        assert heard == [(None, 5)]


def test_a_prompt_shows_plain_braces_and_the_facts_that_it_names() -> None:
    class Asks(Form):
        go = Button("Go")

        @go.clicked
        def ask_both(self) -> None:
            self.inform("{{plain}}")
            self.inform("{{plain}} {word}", word="said")

    with rehearse(Asks) as desk:
        desk.press("go")
        assert desk.prompt.text == "{plain}"
        desk.answer("OK")
        assert desk.prompt.text == "{plain} said"
        desk.answer("OK")


def gesture(verb: str, control: str) -> Any:
    """A gesture by the user."""
    from fuselatch.frontends import Gesture

    return Gesture(verb=verb, control=control)


def test_a_gesture_runs_in_a_copy_of_the_feeders_context() -> None:
    seen: list[str] = []

    class Context(Form):
        go = Button("Go")

        @go.clicked
        def look(self) -> None:
            seen.append(WHO.get())
            WHO.set("the handler")
            self.inform("wait")
            seen.append(WHO.get())

    with rehearse(Context) as desk:
        token = WHO.set("the feeder")
        desk.press("go")
        assert WHO.get() == "the feeder"
        desk.answer("OK")
        WHO.reset(token)
    assert seen == ["the feeder", "the handler"]


def test_what_is_left_open_is_unfinished() -> None:
    with pytest.raises(Unfinished, match=r"a prompt is still open: 'Sure about  and more\?' \(Yes, No\)"):
        with rehearse(Sums) as desk:
            desk.press("query")
    with pytest.raises(Unfinished, match="Dialog is still open; last trace entries:\n  "), rehearse(Sums) as desk:
        desk.press("dialog")
    with pytest.raises(ZeroDivisionError), rehearse(Sums) as desk:
        desk.press("dialog")
        raise ZeroDivisionError
