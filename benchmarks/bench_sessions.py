"""Chains of 1,000, waiting, opening, and whole sessions."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from types import new_class
from typing import Any

from bench_gestures import bare
from common import best, ratio

from fuselatch import Button, Form, Gesture, Number, Prompt, Session, Text, Tick, derive


def nested(count: int) -> Callable[[float], float]:
    """Plain calls, each within the one before."""
    function: Callable[[float], float] = lambda value: value  # noqa: E731
    for _ in range(count):
        function = lambda value, inner=function: inner(value + 1)  # noqa: E731
    return function


def chain(count: int, derived: bool) -> float:
    """Microseconds a hop of a chain of controls, each derived from the one before or set by a handler of it."""
    members: dict[str, Any] = {"c0": Number("C0")}
    for number in range(1, count + 1):
        before = members[f"c{number - 1}"]
        before.name = f"c{number - 1}"
        if derived:
            members[f"c{number}"] = Number(f"C{number}", value=derive(lambda value: value + 1, before))
        else:
            members[f"c{number}"] = Number(f"C{number}")

            def set_next(self: Any, event: Any, name: str = f"c{number}") -> None:
                getattr(self, name).value = event.new + 1

            members[f"h{number}"] = before.changed(set_next)
    form = new_class("Chain", (Form,), {}, lambda body: body.update(members))
    session = Session(form, recording=False)
    first: Any = session.front
    turn = itertools.cycle((1.0, 2.0)).__next__

    def once() -> None:
        first.c0.value = turn()

    found = best(once, max(10, 5000 // count)) / count
    session.close()
    return found


class Asking(Form):
    """Buttons that ask, open a dialog, or do neither."""

    sure = Prompt("Sure?", buttons=("Yes", "No"))
    nothing = Button("Nothing")
    ask_it = Button("Ask")
    dialog = Button("Dialog")

    @nothing.clicked
    def do_nothing(self) -> None:
        pass

    @ask_it.clicked
    def put(self) -> None:
        self.ask(self.sure)

    @dialog.clicked
    def open_it(self) -> None:
        self.open(Small)


class Small(Form):
    """A dialog of one button."""

    ok = Button("OK", closes="accepted")


class Deep(Form):
    """Prompts within prompts: each is put by a handler of a program's setting while the other waits."""

    n = Number("N")

    @n.changed
    def put(self) -> None:
        self.confirm("Deeper?")


def presses(session: Session, *gestures: Gesture) -> float:
    """Microseconds of a few gestures."""

    def once() -> None:
        for gesture in gestures:
            session.feed(gesture)

    return best(once, 1000)


def deep(count: int) -> float:
    """Microseconds a prompt of prompts that are `count` deep."""
    session = Session(Deep, recording=False)
    form: Any = session.front
    number = itertools.count()
    yes = Gesture(verb="answer", text="Yes")

    def once() -> None:
        for _ in range(count):
            form.n.value = next(number)
        for _ in range(count):
            session.feed(yes)

    found = best(once, 500 // count) / count
    session.close()
    return found


def form_of(count: int) -> Any:
    """A form of many entries."""
    return new_class("Many", (Form,), {}, lambda body: body.update({f"c{n}": Text(f"C{n}") for n in range(count)}))


def opening(count: int) -> tuple[float, float]:
    """Microseconds of opening a form, and of making a plain object with as many slots."""
    form = form_of(count)
    names = [f"c{number}" for number in range(count)]
    slots = type("Slots", (), {"__slots__": names})

    def bare() -> None:
        thing = slots()
        for name in names:
            setattr(thing, name, "")

    return best(lambda: Session(form, recording=False).close(), max(20, 2000 // count)), best(bare, 200)


class Twenty(Form):
    """For a whole session: ten gestures of typing and ten of ticking."""

    name = Text("Name", required=True)
    nights = Number("Nights", minimum=1)
    double = Number("Double", value=lambda form: (form.nights.value or 0) * 2)
    power = Tick("Power")
    save = Button("Save", closes="accepted")

    @power.changed
    def hear(self) -> None:
        self.name.value = "x" if self.power.value else "y"


USUAL = 0.35
"""Microseconds that the bare calls of a plain gesture take on the machines that the figures were set on."""


def whole_session() -> float:
    """Microseconds of a fresh session, its form, and 20 gestures."""
    gestures = [Gesture(verb="type", control="nights", text=str(n)) for n in range(10)]
    gestures += [Gesture(verb="tick", control="power"), Gesture(verb="untick", control="power")] * 5

    def once() -> None:
        session = Session(Twenty, recording=False)
        for gesture in gestures:
            session.feed(gesture)
        session.close()

    return best(once, 100)


def main() -> None:
    """Print all."""
    print(f"{'measure':<58} {'ours':>12}   {'baseline':>11}    ratio")
    calls = nested(500)
    hop = best(lambda: calls(1.0), 200) / 500
    for derived in (True, False):
        what = "derived from the one before" if derived else "set by a handler of the one before"
        short, long = chain(100, derived), chain(1000, derived)
        ratio(f"1,000 controls, each {what}, a hop", long, hop, 10)
        ratio("  against a chain of 100 (linear: 1)", long, short, 1.25)
    session = Session(Asking, recording=False)
    plain = presses(session, Gesture(verb="press", control="nothing"))
    asking = presses(session, Gesture(verb="press", control="ask_it"), Gesture(verb="answer", text="Yes"))
    ratio("asking and answering, against a press without", asking, plain, 3)
    dialog = presses(session, Gesture(verb="press", control="dialog"), Gesture(verb="press", control="ok"))
    ratio("one modal dialog, opened and accepted", dialog, plain, 10)
    session.close()
    ratio("prompts ten deep, a prompt (linear: 1)", deep(10), deep(1), 1.25)
    for count in (20, 1000):
        ours, base = opening(count)
        ratio(f"opening a form of {count:,} controls{' (to reach: 4,000 µs)' if count == 1000 else ''}", ours, base, None)
    found, base = whole_session(), bare()
    print(f"a fresh session, form and 20 gestures: {1e6 / found:,.0f} a second  (to reach: 4,000)")
    usual = 1e6 / found * base / USUAL
    print(
        f"  {found / base:.0f} times the bare calls of a plain gesture; where those take {USUAL} µs: {usual:,.0f} a second"
    )


if __name__ == "__main__":
    main()
