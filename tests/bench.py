"""A form and a dialog of all that tests need often; what their handlers do, each test says in a table."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any

import pytest

from fuselatch import Button, Choice, CustomEvent, Event, Form, HandlerFailed, Number, Opener, Refused, Text, Tick
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.stores import MemoryRecords
from tests.helpers import act, snapshot

Does = Callable[..., object]
DOES: dict[str, Does] = {}
LOG: list[Any] = []


def do(form: Form, event: Event, name: str) -> None:
    """Do what the test says of an event: `name` on the bench, `Dialog name` on the dialog."""
    run = DOES.get(name if type(form) is Bench else f"{type(form).__name__} {name}")
    if run is not None:
        run(*(form, event)[: len(inspect.signature(run).parameters)])


class Bench(Form):
    """Each event is handled, by what the test says."""

    opener: Any = Opener()

    sent = CustomEvent(str)

    a = Number("A")
    b = Number("B")
    twice = Number("Twice", value=lambda form: (form.a.value or 0) * 2)
    word = Text("Word")
    on = Tick("On")
    extra = Text("Extra", enabled=lambda form: form.on.value)
    pier = Choice("Pier", choices=("North", "South"))
    go = Button("Go", keys="Ctrl+G")
    ok = Button("OK", closes="accepted", keys="Enter")
    later = Button("Later", closes="later")

    @a.changed
    def a_first(self, event: Event) -> None:
        do(self, event, "a")

    @a.changed
    def a_second(self, event: Event) -> None:
        do(self, event, "a too")

    @b.changed
    def b_changed(self, event: Event) -> None:
        do(self, event, "b")

    @twice.changed
    def twice_changed(self, event: Event) -> None:
        do(self, event, "twice")

    @word.typed
    def word_typed(self, event: Event) -> None:
        do(self, event, "typed")

    @word.changed
    def word_changed(self, event: Event) -> None:
        do(self, event, "word")

    @word.left
    def word_left(self, event: Event) -> None:
        do(self, event, "left")

    @on.entered
    def on_entered(self, event: Event) -> None:
        do(self, event, "entered")

    @on.changed
    def on_changed(self, event: Event) -> None:
        do(self, event, "on")

    @go.clicked
    def go_clicked(self, event: Event) -> None:
        do(self, event, "go")

    @Form.opened
    def opening(self, event: Event) -> None:
        do(self, event, "opened")

    @Form.brought_to_front
    def in_front(self, event: Event) -> None:
        do(self, event, "front")

    @Form.accepting
    def accept(self, event: Event) -> None:
        do(self, event, "accepting")

    @Form.submitted
    def submit(self, event: Event) -> None:
        do(self, event, "submitted")

    @Form.closing
    def on_the_way(self, event: Event) -> None:
        do(self, event, "closing")

    @Form.closed
    def late(self, event: Event) -> None:
        do(self, event, "closed")


class Dialog(Bench):
    """The same, to be opened over the bench or beside it."""


def doing(**does: Does) -> type[Bench]:
    """Return the bench, whose handlers do this; for sessions without a desk."""
    DOES.clear()
    DOES.update(does)
    LOG.clear()
    return Bench


@contextmanager
def bench(
    does: Mapping[str, Does] | None = None, made: type[Bench] | None = None, **options: Any
) -> Iterator[tuple[Desk, Bench]]:
    """Rehearse the bench with an empty `log` to write to; give the desk and the form. What is left open is closed."""
    desk = rehearse(made or doing(**(does or {})), **{"records": MemoryRecords({"log": []}), **options}).__enter__()
    try:
        yield desk, desk.at(Bench)
    finally:
        desk.session.close()


def note(what: Any) -> Does:
    """Return what notes `what`."""
    return lambda: LOG.append(what)


def fail(text: str) -> Does:
    """Return what fails with a text."""

    def run() -> None:
        raise ValueError(text)

    return run


def refused(desk: Desk, step: str, match: str) -> Refused:
    """Do a step that is refused; return the refusal."""
    with pytest.raises(Refused, match=match) as caught:
        act(desk, step)
    return caught.value


def undone(desk: Desk, step: str, match: str | None = None) -> HandlerFailed:
    """Do a step that fails; see that all is as before it, and return the failure."""
    before = snapshot(desk.session)
    with pytest.raises(HandlerFailed, match=match) as caught:
        act(desk, step)
    assert snapshot(desk.session) == before
    return caught.value
