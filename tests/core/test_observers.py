"""Observers: one sees everything that a session does, and changes nothing."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import Any

import pytest

from fuselatch import Button, Event, Form, HandlerFailed, Latch, Number, Prompt, Text, check
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


class Log(Observer):
    """Keeps every call in words."""

    def __init__(self) -> None:
        self.lines: list[str] = []

    def before_event(self, event: Event, queued: tuple[str, ...]) -> bool:
        """Don't pause. As it is overridden, all events come here."""
        self.lines.append(f"before {event.path}")
        return False

    def __getattribute__(self, name: str) -> Any:
        if name.startswith("_") or name in ("lines", "before_event") or not hasattr(Observer, name):
            return super().__getattribute__(name)
        own: Callable[..., Any] = super().__getattribute__(name)

        def call(*args: Any) -> Any:
            words = [getattr(arg, "path", getattr(arg, "name", arg)) for arg in args]
            if not name.startswith("before"):
                self.lines.append(" ".join([name, *(str(word) for word in words if not isinstance(word, Form))]))
            return own(*args)

        return call


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
