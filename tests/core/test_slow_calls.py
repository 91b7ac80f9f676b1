"""Slow calls: how a handler waits for one, what is locked, how it ends, and in which order."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from decimal import Decimal
from enum import Enum
from random import Random
from typing import Any, NamedTuple

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fuselatch import (
    Abandoned,
    Button,
    CallCancelled,
    Form,
    HandlerFailed,
    Integer,
    NotAllowedHere,
    RuleError,
    Text,
    Tick,
    TimedOut,
    check,
    derive,
)
from fuselatch.core.model.errors import UnknownName
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import rehearse
from fuselatch.rehearsal.slow import result_of, sample_of, samples_of
from fuselatch.report.anatomy import anatomy
from fuselatch.report.behaviour import Behaviour
from fuselatch.report.timeline import waits
from tests.helpers import examples


def rate(amount: int) -> int:
    """Return a rate; this stands for a service."""
    return amount * 2


class Till(Form):
    """Three handlers that wait, each with other locks."""

    give = Integer("Give", default=3)
    rate = Integer("Rate")
    note = Text("Note")
    seen = Text("Seen")
    fetch = Button("Fetch", keys="Ctrl+R")
    beside = Button("Beside")
    free = Button("Free")
    done = Button("Done", closes="accepted")
    drop = Button("Drop", closes="cancelled")
    how = ""

    @fetch.clicked
    def get(self) -> None:
        self.note.value = "asked"
        self.rate.value = self.call_elsewhere(rate, self.give.value, text="Asking")

    @beside.clicked
    def get_beside(self) -> None:
        try:
            self.rate.value = self.call_elsewhere(rate, 1, locks=[self.rate], timeout=5, can_cancel=False)
        except (OSError, TimedOut, CallCancelled) as error:
            self.seen.value = str(error)
        except Abandoned:
            Till.how = "left"
            raise

    @free.clicked
    def get_free(self) -> None:
        self.seen.value = f"{self.call_elsewhere(rate, 2, locks='nothing', text='Free')}"
        if self.seen.value == "13":
            self.confirm("Sure?")


LOCKED = [
    ("fetch", ["type note x", "press fetch", "press beside", "press done", "key x", "key Ctrl+R", "take_back"], ["tab", "focus rate", "hover note", "press drop"]),
    ("beside", ["type rate 7", "press beside"], ["type note x", "press free"]),
    ("free", ["press free"], ["type rate 7", "type note x", "press beside"]),
]  # fmt: skip


@pytest.mark.parametrize(("button", "refused", "allowed"), LOCKED, ids=[each[0] for each in LOCKED])
def test_what_is_locked_is_refused_in_words_and_nothing_else(button: str, refused: list[str], allowed: list[str]) -> None:
    for words in [*refused, *allowed]:
        with rehearse(Till, slow_calls="ask") as desk:
            desk.press(button)
            if words in refused:
                desk.expect("refused", *words.split())
                assert len(desk.slow_calls) == 1 and "until this ends" in desk.session.notice
            else:
                desk.step(*words.split())
            while desk.slow_call:
                desk.finish(1)


def test_a_form_closes_at_any_time_and_the_call_is_left() -> None:
    for leave in ("press drop", "close", "key Escape"):
        with rehearse(Till, slow_calls="ask") as desk:
            Till.how = ""
            desk.press("beside")
            call = desk.session.slow_calls[0]
            desk.step(*leave.split())
            assert (desk.outcome and desk.outcome.verdict, Till.how) == ("cancelled", "left")
            desk.session.feed(Gesture(verb="slow_call", control=call.id, text="finished", result=1))
            assert "nothing waits for it" in str(desk.trace[-1].new)


def test_each_end_comes_back_at_the_line_that_waits() -> None:
    with rehearse(Till, slow_calls="ask") as desk:
        form = desk.at(Till)
        desk.press("fetch")
        assert (desk.slow_call.handler, desk.slow_call.args, bool(desk.slow_call)) == ("get", (3,), True)
        with pytest.raises(HandlerFailed, match="OSError: no line"):
            desk.fail(OSError("no line"))
        assert form.note.value == "" and desk.session.notice == "That didn't work, and nothing was changed"
        desk.press("fetch")
        with pytest.raises(HandlerFailed, match="CallCancelled"):
            desk.key("Escape")
        assert desk.session.notice == "Cancelled, and nothing was changed" and form.is_open
        for error, said in ((None, "took longer than 5 s"), (OSError("gone"), "gone")):
            desk.press("beside")
            desk.expect("refused", "cancel_call", "get_beside")
            desk.fail(error) if error else desk.time_out()
            assert said in form.seen.text
        desk.press("free")
        desk.press("beside")
        with pytest.raises(HandlerFailed, match="CallCancelled"):
            desk.key("Escape")
        assert [call.handler for call in desk.slow_calls] == ["get_beside"], "the newest that can be cancelled"
        desk.expect("refused", "cancel_call", "", "because", "can't be cancelled")
        desk.finish(1)
        desk.press("free")
        desk.press("fetch")
        desk.finish(13, of="get_free")
        assert desk.prompt and desk.slow_call.handler == "get"
        desk.finish(5)
        assert form.rate.text == "1", "the result waits while a prompt covers the form"
        desk.answer("Yes")
        assert form.rate.text == "5"
        with pytest.raises(UnknownName, match="no slow call waits"):
            desk.finish(1)


class Wrong(Form):
    """Calls at places where they can't be."""

    what = Text("What")
    on = Tick("On", value=derive(lambda what: bool(what), what))
    go = Button("Go")
    handed: Any = None
    locks: Any = "form"

    @go.clicked
    def call(self) -> None:
        self.call_elsewhere(rate, self.handed if self.handed is not Wrong else [{"a": self}], locks=self.locks)

    @check(what)
    def ask_in_check(self, what: str) -> None:
        if what == "check":
            self.call_elsewhere(rate, 1)

    @Form.closing
    def ask_at_the_end(self) -> None:
        if self.what.value == "end":
            self.call_elsewhere(rate, 1)


@pytest.mark.parametrize(
    ("handed", "locks", "said"),
    [
        (Wrong, "form", "argument 1 is .*hand over its value"),
        (1, "all", "expected 'form', 'nothing', or controls of Wrong"),
    ],
)
def test_what_can_not_be_handed_over_is_refused_at_the_call(handed: object, locks: object, said: str) -> None:
    with rehearse(Wrong) as desk:
        desk.form.handed, desk.form.locks = handed, locks
        with pytest.raises(HandlerFailed, match=said):
            desk.press("go")


def test_no_rule_check_or_closing_handler_can_wait() -> None:
    with rehearse(Wrong) as desk:
        desk.type("what", "check")
        with pytest.raises(HandlerFailed, match="a rule, check or default can't wait for a slow call") as failed:
            desk.tab()
        assert isinstance(failed.value.error, RuleError)
    with rehearse(Wrong) as desk:
        desk.type("what", "end")
        desk.tab()
        with pytest.raises(HandlerFailed, match="Wrong is closing, and can't wait") as failed:
            desk.close()
        assert isinstance(failed.value.error, NotAllowedHere) and desk.outcome


class Sends(Form):
    """Two effects after the form has closed, the first of which waits."""

    ok = Button("OK", closes="accepted")
    sent: list[int] = []  # noqa: RUF012

    @Form.submitted
    def send(self) -> None:
        self.afterwards(self.send_slowly)
        self.afterwards(self.sent.append, 2)

    def send_slowly(self) -> None:
        self.sent.append(self.call_elsewhere(rate, 1, text="Sending"))


def test_an_effect_may_wait_and_those_after_it_keep_their_order() -> None:
    Sends.sent.clear()
    with rehearse(Sends, slow_calls="ask") as desk:
        desk.press("ok")
        session = desk.session
        assert [call.form for call in session.view.slow_calls] == [""] and (session.is_done, Sends.sent) == (False, [])
        desk.finish(1)
        assert (session.is_done, Sends.sent) == (True, [1, 2]) and desk.outcome


class Pair(NamedTuple):
    """A result with parts."""

    day: date
    price: Decimal | None


def typed(kind: Any) -> Callable[..., Any]:
    """Return a function with this return type."""

    def function() -> Any: ...

    function.__annotations__["return"] = kind
    return function


@pytest.mark.parametrize(
    ("word", "kind", "result"),
    [
        ("1.08", Decimal, Decimal("1.08")), ("2", float, 2.0), ("[1, 2]", tuple[int, ...], (1, 2)), ("null", int | None, None),
        ("free text", str, "free text"), ("2031-05-04", date, date(2031, 5, 4)), ("1.5", Any, 1.5),
        ('{"day": "2031-05-04", "price": 1.10}', Pair, Pair(date(2031, 5, 4), Decimal("1.10"))), ('{"a": [1]}', dict[str, list[int]], {"a": [1]}),
    ],
)  # fmt: skip
def test_a_word_becomes_a_result_by_the_return_type(word: str, kind: Any, result: object) -> None:
    read = result_of(word, typed(kind))
    assert read == result and type(read) is type(result)


def test_a_word_of_another_type_is_told() -> None:
    for word, kind in (("x", int), ("true", int), ("[1]", dict), ("31", date)):
        with pytest.raises(ValueError, match=f"isn't a {kind.__name__}, which"):
            result_of(word, typed(kind))


@given(st.integers(0, 2**32))
@examples(60)
def test_calls_end_in_any_order_and_none_hangs(seed: int) -> None:
    """Several handlers wait at once; each end is drawn, with other gestures between. Nothing waits at the end."""
    draw = Random(seed)
    session = Session(Till)
    started, expected = 0, {"finished": 0, "failed": 0, "timed_out": 0}
    for _ in range(draw.randint(5, 40)):
        waiting = session.slow_calls
        if waiting and draw.random() < 0.5:
            call, how = draw.choice(waiting), draw.choice([*expected])
            expected[how] += 1
            give = Gesture(verb="slow_call", control=call.id, text=how, result=7 if how != "failed" else OSError("x"))
        else:
            button = draw.choice(["fetch", "beside", "free"])
            give = Gesture(verb="press", control=button)
        before = len(session.slow_calls)
        try:
            session.feed(give)
        except (HandlerFailed, RuntimeError):
            pass
        started += len(session.slow_calls) > before
    ended = [row for row in session.trace if row.kind == "call_end"]
    assert len(ended) == sum(expected.values()) == started - len(session.slow_calls)
    session.feed(Gesture(verb="close"))
    assert session.is_done and not session.slow_calls and not session.waits_for


class Sea(Enum):
    CALM = "calm"


class Told(NamedTuple):
    depth: Decimal
    sea: Sea
    by: tuple[str, int]


def everything(at: str) -> dict[str, int] | list[Told] | None:
    """Stand for a service that answers in many ways."""
    raise AssertionError(at)


def unknown(at: str):  # type: ignore[no-untyped-def]
    """Stand for a service whose result isn't known."""


def test_a_result_without_words_is_the_stand_in_s_or_a_sample_of_the_type() -> None:
    assert samples_of(everything) == ("{}", '[{"depth": 1, "sea": "calm", "by": ["a", 1]}]', "[]", "null")
    assert [result_of(text, everything) for text in samples_of(everything)][2:] == [[], None] and samples_of(unknown) == ()
    assert sample_of(rate)(7) == 1
    for by, told in (({}, 1), ({rate: lambda give: give * 5}, 15)):
        with rehearse(Till, slow_calls="ask", slow_calls_by=by) as desk:
            desk.press("fetch")
            desk.step("finish", "get")
            assert desk.at(Till).rate.value == told


def test_each_end_is_known_to_whoever_asks() -> None:
    seen = Behaviour()
    with rehearse(Till, slow_calls="ask", observers=(seen,)) as desk:
        desk.press("beside")
        assert "get_beside waits for test_slow_calls.rate since entry 15" in desk.why("get_beside")
        desk.time_out()
        desk.press("fetch")
        desk.press("drop")
        spans = [span.label for span in waits(desk.trace)]
    calls = {tried[2:]: times for tried, times in seen.counts.items() if tried.kind == "call"}
    ways = {"get": ["finished", "failed", "cancelled"], "get_beside": ["finished", "failed", "timed out"]}
    ways["get_free"] = ways["get"]
    assert calls == {("", name, way): int(way == "timed out") for name, all_ways in ways.items() for way in all_ways}
    assert spans == ["get_beside: timed_out", "get: abandoned"]
    assert [handler.calls for handler in anatomy(Till).handlers] == [("rate",)] * 3
