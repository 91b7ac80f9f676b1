"""Slow calls: how a handler waits for one, what is locked, how it ends, and in which order."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from datetime import date
from decimal import Decimal
from enum import Enum
from random import Random
from typing import Any, Literal, NamedTuple

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
from fuselatch.core.model.errors import FuseLatchError, Refused, UnknownName
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import rehearse
from fuselatch.rehearsal.slow import result_of, sample_of, samples_of
from fuselatch.report.anatomy import anatomy
from fuselatch.report.behaviour import Behaviour
from fuselatch.report.timeline import waits
from fuselatch.scenes import NOW
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


class Drawn:
    """A user and a service whose moves are drawn: several handlers wait at once, and each end is drawn."""

    def __init__(self, seed: int) -> None:
        self.draw = Random(seed)
        self.rows: list[Any] = []
        self.ends = 0
        self.open()

    def open(self) -> None:
        self.session = Session(Till, clock=lambda: NOW)

    def step(self) -> None:
        """Make one move."""
        session, draw = self.session, self.draw
        waiting = session.slow_calls
        if session.prompt is not None:
            give = Gesture(verb="answer", text=draw.choice(session.prompt.buttons))
        elif waiting and draw.random() < 0.7:
            call, how = draw.choice(waiting), draw.choice(["finished", "failed", "timed_out", "cancelled"])
            result = draw.choice([7, 13]) if how == "finished" else OSError("x")
            give = Gesture(verb="slow_call", control=call.id, text=how, result=result)
            if how == "cancelled":
                give = Gesture(verb="cancel_call", text=call.name)
        else:
            verb = draw.choice(["close", *["press"] * 30])
            give = Gesture(verb=verb, control="" if verb == "close" else draw.choice(["fetch", "beside", "free"]))
        with suppress(HandlerFailed, Refused):
            session.feed(give)
        if session.is_done:
            self.end()
            self.open()

    def end(self) -> None:
        """Close the form, if it is open, and note what happened."""
        session = self.session
        with suppress(HandlerFailed, Refused):
            session.feed(Gesture(verb="close"))
        while session.prompt is not None:
            session.feed(Gesture(verb="answer", text="Yes"))
        if not session.is_done:
            session.feed(Gesture(verb="close"))
        assert session.is_done and not session.slow_calls and not session.waits_for and not session._state.parked
        rows = [tuple(map(str, row)) for row in session.trace]
        kinds = [row.kind for row in session.trace]
        assert kinds.count("slow_call") == kinds.count("call_end")
        self.ends += kinds.count("call_end")
        self.rows.append(rows)


@given(st.integers(0, 2**32))
@examples(0.5)
def test_calls_end_in_any_order_and_none_hangs(seed: int) -> None:
    drawn = Drawn(seed)
    for _ in range(40):
        drawn.step()
    drawn.end()


def traces_of(seeds: range) -> tuple[dict[int, list[Any]], int]:
    """Let some sessions take turns on this thread; return what each did, and how many calls ended."""
    all_of_them = {seed: Drawn(seed) for seed in seeds}
    for _ in range(122):
        for each in all_of_them.values():
            each.step()
    for each in all_of_them.values():
        each.end()
    return {seed: each.rows for seed, each in all_of_them.items()}, sum(each.ends for each in all_of_them.values())


def test_ten_thousand_calls_on_four_threads_leave_the_traces_of_one() -> None:
    alone, ends = traces_of(range(200))
    with ThreadPoolExecutor(4) as threads:
        parts = [*threads.map(traces_of, [range(at, 200, 4) for at in range(4)])]
    assert ends >= 10_000 and sum(count for _, count in parts) == ends
    assert {seed: rows for part, _ in parts for seed, rows in part.items()} == alone


class Asks(Form):
    """A dialog whose button waits."""

    go = Button("Go")
    ok = Button("OK", closes="accepted")

    @go.clicked
    def call(self) -> None:
        self.call_elsewhere(rate, 1)


class Points(Asks):
    """Calls before and after a question and a dialog, in it, while it is accepted, and after it has closed."""

    word = Text("Word")

    @Asks.go.clicked
    def call_on(self) -> None:
        self.word.value = "staged"
        self.call_elsewhere(rate, 2)
        self.confirm("Sure?")
        self.call_elsewhere(rate, 3)
        self.open(Asks)
        self.call_elsewhere(rate, 4)

    @Form.accepting
    def call_last(self) -> None:
        self.call_elsewhere(rate, 5)

    @Form.submitted
    def send(self) -> None:
        self.afterwards(lambda: self.call_elsewhere(rate, 6))


@pytest.mark.parametrize("how", ["failed", "timed_out", "cancelled", "close", "end"])
@pytest.mark.parametrize("point", range(1, 8))
def test_a_call_ends_in_each_way_at_each_point_and_nothing_hangs(point: int, how: str) -> None:
    session, calls, pressed = Session(Points), 0, set()
    for _ in range(80):
        front = session.front_form
        if session.slow_calls:
            calls += 1
            call, now = session.slow_calls[-1], how if calls == point else "finished"
            if now == "end":
                session.close()
                break
            give = Gesture(verb="slow_call", control=call.id, text=now, result=OSError("x") if now == "failed" else 1)
            if now in ("cancelled", "close"):
                give = Gesture(verb="close") if now == "close" and front else Gesture(verb="cancel_call", text=call.name)
        elif session.prompt is not None:
            give = Gesture(verb="answer", text="Skip" if "Skip" in session.prompt.buttons else "Yes")
        elif front is None:
            break
        else:
            button = "ok" if front in pressed else "go"
            pressed.add(front)
            give = Gesture(verb="press", control=button)
        with suppress(FuseLatchError):
            session.feed(give)
    assert calls >= point and (session.is_done or session.is_closed) and not session.slow_calls and not session._state.parked


class Sea(Enum):
    CALM = "calm"


class Told(NamedTuple):
    depth: Decimal
    sea: Sea
    by: tuple[str, int]


def everything(at: str) -> dict[str, int] | list[Told] | bytes | Literal["low"] | None:
    """Stand for a service that answers in many ways."""
    raise AssertionError(at)


def unknown(at: str):  # type: ignore[no-untyped-def]
    """Stand for a service whose result isn't known."""


def test_finish_without_a_result_takes_the_stand_in_s_or_a_sample() -> None:
    assert samples_of(everything) == ("{}", '[{"depth": 1, "sea": "calm", "by": ["a", 1]}]', "[]", '"a"', '"low"', "null")
    results: list[Any] = [{}, [Told(Decimal(1), Sea.CALM, ("a", 1))], [], b"a", b"low", None]
    assert [result_of(text, everything) for text in samples_of(everything)] == results and samples_of(unknown) == ()
    assert sample_of(rate)(7) == 1
    for by, told in (({}, 1), ({rate: lambda give: give * 5}, 15)):
        with rehearse(Till, slow_calls="ask", slow_calls_by=by) as desk:
            desk.press("fetch")
            desk.finish()
            assert desk.at(Till).rate.value == told and desk.as_cues().splitlines()[-1] == "finish  get"


def test_reports_show_each_end_of_a_slow_call() -> None:
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
