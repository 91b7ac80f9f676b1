"""Latches: asking once, for how long, and resetting."""

from __future__ import annotations

from datetime import datetime, timedelta, timezone
from typing import Any

import pytest

from fuselatch import (
    Button,
    DeclarationError,
    Event,
    Finding,
    Form,
    Integer,
    Latch,
    NotAllowedHere,
    Number,
    Prompt,
    Text,
    Tick,
    check,
    warn,
)
from fuselatch.frontends import Session
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.stores import LatchRecord, MemoryLatches, MemoryRecords
from tests.helpers import act

BUTTONS = ("Yes", "No")
WRONG: Any = "recrod"


def asked(**latch: Any) -> Prompt:
    """A latched prompt that remembers Yes."""
    return Prompt("Sure?", buttons=BUTTONS, latch=Latch(**latch), remember=("Yes",))


class Once(Form, title="Once"):
    """A prompt for each kind of latch, and a button that asks the one named in `which`."""

    which = Text("Which")
    about = Text("About")
    got = Text("Got")
    go = Button("Go")
    again = Button("Open another")
    ok = Button("OK", closes="accepted")
    fails = Button("Fail")

    per_record = asked(per="record")
    per_form = asked(per="form")
    per_session = asked(per="session")
    per_user = asked(per="user")
    per_key = asked(per="session", key=lambda form: form.about.value)
    per_hour = asked(every=timedelta(hours=1))
    per_user_a_day = asked(per="user", every="day")
    per_form_an_hour = asked(per="form", every=timedelta(hours=1))
    done_today = Latch(every="day")

    @go.clicked
    def ask_it(self) -> None:
        self.got.value = self.ask(getattr(self, self.which.value))

    @again.clicked
    def open_another(self) -> None:
        self.open(Once)

    @fails.clicked
    def take_and_fail(self) -> None:
        self.ask_it()
        self.done_today.set()
        raise OSError("no ink")


def ask(desk: Desk, which: str, answer: str = "Yes") -> bool:
    """Ask a prompt; return True if it was shown."""
    form = desk.at(Once)
    form.which.value = which
    form.got.value = ""
    desk.press("go")
    put = bool(desk.prompt)
    if put:
        desk.answer(answer)
    assert form.got.value == (answer if put else "Yes")
    return put


@pytest.mark.parametrize(
    ("which", "another_form", "another_hour", "another_day", "another_session", "another_user"),
    [
        ("per_record", True, False, False, True, True), ("per_form", True, False, False, True, True),
        ("per_session", False, False, False, True, True), ("per_user", False, False, False, False, True),
        ("per_hour", False, True, True, False, False), ("per_user_a_day", False, False, True, False, True),
        ("per_form_an_hour", True, True, True, True, True),
    ],
)  # fmt: skip
def test_what_a_latch_is_per_decides_what_asks_again(
    which: str, another_form: bool, another_hour: bool, another_day: bool, another_session: bool, another_user: bool
) -> None:
    store = MemoryLatches()
    with rehearse(Once, user="imke", latches=store) as desk:
        assert ask(desk, which, "No") and ask(desk, which, "Yes")  # only what it keeps is remembered
        assert not ask(desk, which)
        desk.press("again")
        assert ask(desk, which) is another_form
        desk.press("ok")
        assert not ask(desk, which)
        desk.wait("60m")
        assert ask(desk, which) is another_hour
        desk.wait("1d")
        assert ask(desk, which) is another_day
        kept = [seen.latch for seen in desk.latches]
        assert kept == [f"Once.{which}"]
    later = datetime(2031, 5, 5, 10, 45)
    for user, asks in (("imke", another_session), ("oda", another_user)):
        with rehearse(Once, user=user, latches=store, now=later) as desk:
            assert ask(desk, which) is asks


def test_a_warning_of_a_check_is_confirmed_once_and_stays_among_the_overrides() -> None:
    class Depths(Form):
        depth = Number("Depth")
        store = Button("Store")
        ok = Button("OK", closes="accepted")

        @check(depth, latch=Latch(per="session"))
        def shallow(self, depth: float) -> Finding | None:
            return warn("shallow") if depth < 2 else None

        @Form.accepting
        def stay(self, event: Event) -> None:
            if self.depth.value == 1:
                event.block("not yet")

    with rehearse(Depths, user="imke") as desk:
        act(desk, "type depth 1", "press ok", "answer 'Go on'", "wait 5m", "type depth 1.5", "press ok")
        assert desk.outcome is not None and not desk.prompt
        assert [(one.text, one.user, one.when) for one in desk.outcome.overrides] == [
            ("shallow", "imke", "2031-05-04T09:30:00")
        ]


@pytest.mark.parametrize(
    ("what", "error"),
    [
        (lambda: Latch(), "needs per="),
        (lambda: Latch(per=WRONG), "did you mean 'record'"),
        (lambda: Latch(every=WRONG), "every must be a positive timedelta or 'day', not 'recrod'"),
        (lambda: Latch(every=timedelta(0)), "positive"),
        (lambda: Latch(per="form", key=WRONG), "key must be a function of the form"),
        (lambda: Prompt("?", latch=Latch(per="form")), "latch= needs remember="),
        (lambda: Prompt("?", remember=("OK",)), "latch= needs remember="),
        (lambda: Prompt("?", latch=Latch(per="form"), remember=("Ok",)), "remember 'Ok' isn't one of the buttons; did you mean 'OK'"),
    ],
)  # fmt: skip
def test_what_is_declared_wrongly(what: Any, error: str) -> None:
    with pytest.raises(DeclarationError, match=error):
        what()


def test_what_a_session_must_be_given_is_said() -> None:
    now = datetime(2031, 5, 4, tzinfo=timezone(timedelta(hours=2)))
    for options, which, error in (
        ({"latches": MemoryLatches()}, "per_user", "has no user; open it with user="),
        ({"user": "imke"}, "per_user", "open it with latches="),
        ({"user": "imke", "latches": MemoryLatches()}, "per_user_a_day", "open it with clock="),
    ):
        with Session(Once, **options) as session:
            form: Any = session.front
            with pytest.raises(NotAllowedHere, match=error):
                form.done_today.is_set() if which == "per_user_a_day" else None
                form._engine.latch_answer(form, getattr(form, which).latch)
                form.done_today.set()
    with Session(Once, user="imke", clock=lambda: now, latches=MemoryLatches()) as session:
        form = session.front
        assert form.done_today.set() and form.done_today.is_set()


class Racing(MemoryLatches):
    """A latch log in which another session is always a moment faster."""

    def set(self, record: LatchRecord, before: LatchRecord | None) -> bool:
        super().set(record._replace(answer="theirs"), before)
        return False


def test_a_latch_that_another_session_has_set_a_moment_before_is_theirs() -> None:
    with rehearse(Once, latches=Racing()) as desk:
        form = desk.at(Once)
        assert form.done_today.set("mine") is False and form.done_today.answer == "theirs"


class Slip(Form, records="slips"):
    """A slip that is printed once."""

    printed = Latch(per="saved_record", key=lambda form: form.what.value)

    number = Integer("Number")
    what = Text("What")
    shown = Tick("Printed", value=lambda form: form.printed.is_set())
    go = Button("Print")
    reset = Button("Reset")
    keep = Button("Keep", submits=True, after_submit="same")

    @go.clicked
    def print_it(self) -> None:
        self.printed.set("done")

    @reset.clicked
    def print_again(self) -> None:
        self.printed.reset()


def test_a_latch_of_a_saved_record_stays_with_it_for_everybody() -> None:
    log = MemoryLatches()
    rows = [{"number": 1, "what": "rope"}, {"number": 2, "what": "oil"}]
    store = MemoryRecords({"slips": rows}, keys={"slips": "number"})

    def keys() -> list[str]:
        return [record.key for record in log.all()]

    with rehearse(Slip, records=store, latches=log, user="Imke") as desk:
        form = desk.at(Slip)
        act(desk, "press go")
        assert (form.shown.value, keys()) == (True, ["slips: 1 / rope"])
        act(desk, "record next")
        assert not form.shown.value
        act(desk, "record new", "type what tar", "press go")
        assert (form.shown.value, keys()) == (True, ["slips: 1 / rope"]), "the new record has no key yet"
        act(desk, "press keep")
        assert (form.shown.value, keys()) == (True, ["slips: 1 / rope", "slips: 3 / tar"])
        act(desk, "record new", "type what wax", "press go", "record first")
    with rehearse(Slip, records=store, latches=log, user="Oda") as desk:
        form = desk.at(Slip)
        act(desk, "type number 9", "press keep")
        assert (form.shown.value, keys()) == (True, ["slips: 3 / tar", "slips: 4 / wax", "slips: 9 / rope"])
        assert desk.latches[0].until == "until it is reset"
        act(desk, "record remove", "answer Remove")
        assert keys() == ["slips: 3 / tar", "slips: 4 / wax"]
        act(desk, "record last", "press reset")
        assert (form.shown.value, keys()) == (False, ["slips: 3 / tar"])
    with pytest.raises(DeclarationError, match='once: a latch per="saved_record" needs a form with records='):
        type("Unbound", (Form,), {"once": Latch(per="saved_record")})
