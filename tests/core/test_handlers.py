"""Handlers: their order, forbidden actions, and all or nothing when one fails."""

from __future__ import annotations

import contextvars
from typing import Any

import pytest

from fuselatch import (
    Abandoned,
    Button,
    Event,
    Form,
    FormClosed,
    HandlerFailed,
    NotAllowedHere,
    Number,
    RuleError,
    check,
)
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import Unfinished, rehearse
from tests.bench import LOG, Bench, Dialog, bench, doing, heard, undone
from tests.helpers import act, told

WHO = contextvars.ContextVar("WHO", default="no one")


def set_and_fail_at_13(form: Bench, event: Event) -> None:
    """Set another control, count, and fail at 13."""
    form.count = getattr(form, "count", 0) + 1
    form.b.value = event.new * 2
    if event.new == 13:
        raise KeyError("thirteen")


def test_a_failing_handler_puts_everything_back_and_tells_the_chain() -> None:
    with bench({"a": set_and_fail_at_13, "b": heard}) as (desk, form):
        form.a.value = 1
        desk.type("a", "13")
        error = undone(desk, "tab")
        assert error.where[0].endswith("bench.py") and isinstance(error.__cause__, KeyError)
        assert error.chain == ("Bench.a_first", "a.changed", "tab") and error.gesture == "tab"
        assert str(error) == (
            f"{error.where[0]}:{error.where[1]}: KeyError: 'thirteen'; in Bench.a_first ← a.changed ← tab; undone: tab"
        )
        assert told(desk.trace)[-1] == "undoes tab: Bench.a_first failed" and vars(form)["count"] == 1
        act(desk, "key Escape")
        with pytest.raises(HandlerFailed):
            form.a.value = 13
        form.b.value = 26
        # What waited in the queue of the gesture that failed is raised again.
        assert LOG == [("b", None, 2), ("b", 2, 26)]


def test_one_changed_a_control_and_none_for_a_set_back() -> None:
    def there_and_back(form: Bench) -> None:
        form.b.value = 1
        form.on.value = True
        form.b.value = 2
        form.on.value = False
        form.b.value = 2

    with bench({"a": there_and_back, "b": heard, "on": heard}) as (desk, _):
        act(desk, "type a 1", "tab")
        assert LOG == [("b", None, 2.0)]


def test_handlers_of_a_base_run_first_and_a_replaced_one_hears_what_it_heard() -> None:
    class Derived(Bench):
        @Bench.a.changed
        def third(self) -> None:
            LOG.append("third")

        def a_first(self, event: Event) -> None:
            LOG.append("first of derived")

    doing(**{"Derived a too": lambda: LOG.append("second of base")})
    with rehearse(Derived) as desk:
        desk.at(Derived).a.value = 1
    assert LOG == ["first of derived", "second of base", "third"]


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

    with rehearse(Misplaced) as desk:
        form = desk.at(Misplaced)
        for value, what, message in (
            (1, "the rule b.value", "a rule, check or default can't set Misplaced.go.caption; set it in a handler"),
            (2, "the rule a.waits", "a rule, check or default can't wait for the user (ask 'really?'); ask in a handler"),
        ):
            with pytest.raises(HandlerFailed) as caught:
                form.a.value = value
            assert caught.value.chain[0] == what and isinstance(caught.value.error, RuleError)
            assert str(caught.value.error) == message
        undone(desk, "press go", r"Misplaced\.b\.value has a rule and can't be set")
        with pytest.raises(NotAllowedHere, match="only a handler can wait"):
            form.inform("outside")
        with pytest.raises(AttributeError, match=r"Misplaced\.a is a control; set a\.value"):
            form.a = 3  # type: ignore[assignment]
    with pytest.raises(FormClosed if not form.is_open else NotAllowedHere):
        form.a.value = 4


def test_closing_a_session_unwinds_waiting_handlers_innermost_first() -> None:
    refused: list[str] = []

    def wait(form: Bench) -> None:
        try:
            form.open(Dialog)
        finally:
            LOG.append(repr(form))
            for late in ("set", "ask"):
                try:
                    form.inform("late") if late == "ask" else setattr(form.word, "value", "late")
                except NotAllowedHere as error:
                    refused.append(str(error))

    def swallow(form: Bench) -> None:
        try:
            form.inform("swallow")
        except Abandoned:
            LOG.append("swallowed")

    session = Session(doing(**{"go": wait, "Dialog go": wait, "Dialog word": swallow}))
    for _ in range(3):
        session.feed(Gesture(verb="press", control="go"))
    session.front.word.value = "x"  # type: ignore[attr-defined]
    session.close()
    assert LOG == ["swallowed", "<Dialog#2 open>", "<Dialog open>", "<Bench open>"]
    assert len(refused) == 6 and refused[:2] == [
        "the session is closing: Dialog.word.value can't be set",
        "the session is closing: can't wait for the user (ask 'late')",
    ]


def test_a_gesture_runs_in_a_copy_of_the_feeders_context() -> None:
    def look(form: Bench) -> None:
        LOG.append(WHO.get())
        WHO.set("the handler")
        form.inform("wait")
        LOG.append(WHO.get())

    with bench({"go": look}) as (desk, _):
        token = WHO.set("the feeder")
        desk.press("go")
        assert WHO.get() == "the feeder"
        desk.answer("OK")
        WHO.reset(token)
    assert LOG == ["the feeder", "the handler"]


def test_what_is_left_open_is_unfinished() -> None:
    def leave_open(form: Bench) -> Any:
        return form.open(Dialog) if form.on.value else form.ask("Sure about {a} and {b}?", b="more", buttons=("Yes", "No"))

    form = doing(go=leave_open)
    with pytest.raises(Unfinished, match=r"a prompt is still open: 'Sure about  and more\?' \(Yes, No\)"):
        with rehearse(form) as desk:
            desk.press("go")
    with pytest.raises(Unfinished, match="Dialog is still open; last trace entries:\n  "), rehearse(form) as desk:
        act(desk, "tick on", "press go")
    with pytest.raises(ZeroDivisionError), rehearse(form) as desk:
        desk.press("go")
        raise ZeroDivisionError
