"""Edges that only show when two things meet: waits and closing, checks and drafts, latches and records."""

from __future__ import annotations

from typing import Any

import pytest

from fuselatch import Button, Event, Form, Latch, Number, Text, check, warn
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import rehearse
from fuselatch.stores import LatchRecord, MemoryLatches

LOG: list[Any] = []
RATES = {"crane": 40}


class Edge(Form, records="boats"):
    """Has a bit of everything that can meet."""

    size = Number("Size", maximum=50)
    note = Text("Note")
    other = Number("Other")
    price = Text("Price", value=lambda form: f"{form.note.value} {RATES['crane']}")
    go = Button("Go")
    ok = Button("OK", closes="accepted")
    opened_once = Latch(per="form")
    daily = Latch(every="day")

    @check(size, at=note, blanks=True)
    def needed(self, size: float | None) -> object:
        return "Enter a size" if size is None else warn("Large") if size > 30 else None

    @go.clicked
    def swallow(self) -> None:
        self.other.value = 5
        try:
            self.inform("Wait")
        except BaseException:
            LOG.append("swallowed")

    @go.clicked
    def go_on(self) -> None:
        LOG.append("continued")

    @Form.accepting
    def accept(self) -> None:
        LOG.append("accepting")

    @other.changed
    def hear(self, event: Event) -> None:
        LOG.append((event.old, event.new))


class Racing(MemoryLatches):
    """A latch log in which another session is always a moment faster."""

    def set(self, record: LatchRecord, before: LatchRecord | None) -> bool:
        super().set(record._replace(answer="theirs"), before)
        return False


@pytest.fixture
def session() -> Any:
    boats = [{"id": 1, "size": 3.0, "note": "a"}, {"id": 2, "size": 40.0, "note": "b"}]
    LOG.clear()
    desk = rehearse(Edge, records={"boats": boats}, latches=Racing()).__enter__()
    yield desk.session
    desk.end()


def feed(session: Session, *steps: str) -> None:
    for step in steps:
        verb, _, rest = step.partition(" ")
        control, _, text = rest.partition(" ")
        session.feed(Gesture(verb=verb, text=rest) if verb == "answer" else Gesture(verb=verb, control=control, text=text))


def test_after_a_swallowed_end_no_handler_goes_on(session: Session) -> None:
    feed(session, "press go")
    session.close()
    assert LOG == ["swallowed"]


def test_a_latch_that_another_session_has_set_a_moment_before_is_theirs(session: Session) -> None:
    form: Any = session.front
    assert form.daily.set("mine") is False and form.daily.answer == "theirs"
