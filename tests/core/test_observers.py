"""Observers: one sees everything that a session does, and changes nothing."""

from __future__ import annotations

import contextlib

import pytest

from fuselatch import Button, Form, HandlerFailed, Latch, Number, Prompt, Text, check
from fuselatch.frontends import Gesture, Observer, Session
from fuselatch.stores import MemoryRecords


class Stay(Form, records="stays"):
    """Does everything that an observer is told of."""

    nights = Number("Nights", required=True, maximum=30)
    price = Number("Price", value=lambda form: (form.nights.value or 0) * 10)
    note = Text("Note")
    go = Button("Go")
    done = Button("OK", closes="accepted")
    asked = Latch(per="session")
    sure = Prompt("Sure?", buttons=("Yes", "No"))

    @check(nights, price)
    def cheap(self, nights: float, price: float) -> str | None:
        return "Too dear" if price > 200 else None

    @nights.changed
    def note_it(self) -> None:
        self.note.value = "changed"

    @go.clicked
    def ask_first(self) -> None:
        if self.ask(self.sure) == "No":
            raise ValueError("not sure")
        self.asked.set("done")


def play(session: Session) -> None:
    for gesture in (
        Gesture(verb="type", control="nights", text="25"),
        Gesture(verb="focus", control="note"),
        Gesture(verb="press", control="go"),
        Gesture(verb="answer", text="Yes"),
        Gesture(verb="type", control="nights", text="3"),
        Gesture(verb="press", control="done"),
    ):
        session.feed(gesture)


def store() -> MemoryRecords:
    return MemoryRecords({"stays": [{"id": 1, "nights": 2, "note": ""}]})


@pytest.mark.parametrize("method", [name for name in vars(Observer) if not name.startswith("_")])
def test_an_observer_that_raises_fails_the_gesture_and_no_more(method: str) -> None:
    def fail(*args: object) -> None:
        raise ValueError("observing")

    session = Session(Stay, records=store())
    with contextlib.suppress(HandlerFailed):
        session._state.watch(type("Bad", (Observer,), {method: fail})())
        play(session)
    session._state.observers = ()
    session.close()
    assert session.trace and not session._state.broken
