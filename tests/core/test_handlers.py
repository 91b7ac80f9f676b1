"""Handlers: their order, forbidden actions, and all or nothing when one fails."""

from __future__ import annotations

import contextvars
from contextlib import suppress

import pytest
from stay import Stay

from fuselatch import (
    Abandoned,
    Button,
    Form,
    FormClosed,
    HandlerFailed,
    NotAllowedHere,
    Number,
    RuleError,
    UnknownName,
    check,
)
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import rehearse
from tests.bench import LOG, Bench, Dialog, Does, bench, doing, fail, note, undone
from tests.helpers import act

WHO = contextvars.ContextVar("WHO", default="no one")


def test_swallowing_the_failure_of_a_dialog_does_not_save_the_gesture() -> None:
    def try_it(form: Bench) -> None:
        form.a.value = 1
        try:
            form.open(Dialog)
        except HandlerFailed:
            form.a.value = 2

    with bench({"go": try_it, "Dialog opened": fail("at opening")}) as (desk, _):
        error = undone(desk, "press go")
        assert error.chain == ("Dialog.opening", "Dialog.opened", "Bench.go_clicked", "go.clicked", "press go")

    class Inner(Bench):
        """Can't be opened."""

    def open_inner(form: Bench) -> None:
        with suppress(HandlerFailed):
            form.open(Inner)

    # Nor is a dialog waited for then.
    does: dict[str, Does] = {
        "go": lambda form: form.open(Dialog),
        "Dialog opened": open_inner,
        "Inner opened": fail("within"),
    }
    with bench(does) as (desk, _):
        undone(desk, "press go", "within")


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


def test_a_form_that_closes_ends_the_dialogs_it_waits_for_newest_first() -> None:
    does: dict[str, Does] = {
        "go": lambda form: form.open(Dialog),
        "b": lambda form: form.open(Dialog),
        "Dialog a": lambda form: setattr(form.opener.b, "value", 5),
        "Dialog on": lambda form: form.opener.close("cancelled"),
        "Dialog closed": lambda form: LOG.append(form.a.value),
    }
    with bench(does) as (desk, form):
        act(desk, "press go", "type a 1", "tab", "type a 2", "tick on")
        assert LOG == [2, 1] and not form.is_open


def test_a_control_is_left_once_though_the_focus_is_moved_while_it_is_left() -> None:
    with bench({"left": lambda form: (note("left")(), form.b.focus())}) as (desk, _):
        act(desk, "type word x", "focus a", "expect focus a")
        assert LOG == ["left"]


def test_a_value_that_was_set_and_taken_back_while_a_handler_waited_is_no_change() -> None:
    def set_and_wait(form: Bench) -> None:
        form.b.value = 5
        form.open(Dialog)

    does: dict[str, Does] = {
        "go": set_and_wait,
        "b": lambda form, event: LOG.append((event.old, event.new)),
        "Dialog go": lambda form: setattr(form.opener.b, "value", None),
    }
    with bench(does) as (desk, _):
        act(desk, "press go", "press go", "press ok")
        assert LOG == [(5, None)]


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


def test_an_event_has_the_last_of_several_values_also_in_the_trace() -> None:
    def set_twice(form: Bench) -> None:
        form.b.value = 1
        form.b.value = 2

    def set_and_take_back(form: Bench) -> None:
        form.b.value = 1
        form.b.value = 2

    with bench({"go": set_twice, "on": set_and_take_back, "b": lambda form, event: LOG.append(event.new)}) as (desk, _):
        desk.press("go")
        assert LOG == [2] == [entry.new for entry in desk.trace if entry.kind == "event" and entry.control == "b"]
        desk.tick("on")
        assert LOG == [2]


def test_after_a_swallowed_end_no_handler_continues() -> None:
    def swallow(form: Bench) -> None:
        try:
            form.inform("Wait")
        except BaseException:
            LOG.append("swallowed")

    with bench({"a": swallow, "a too": note("continued")}) as (desk, _):
        act(desk, "type a 1", "tab")
        desk.session.close()
    assert LOG == ["swallowed"]


def test_a_control_may_be_named_by_its_declaration() -> None:
    with bench() as (desk, form):
        desk.type(Bench.word, "x")
        desk.tick(Bench.on)
        assert form.word.value == "x"
        with pytest.raises(UnknownName, match="Bench has no control 'vessel'"):
            desk.press(Stay.vessel)
        with pytest.raises(AssertionError, match="expected Dialog in front, but it is <Bench open>"):
            desk.at(Dialog)
