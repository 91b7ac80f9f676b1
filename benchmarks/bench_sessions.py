"""Chains of 1,000, waiting, opening, and whole sessions."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from types import new_class
from typing import Any

from bench_gestures import bare
from common import HEADING, Measure, compare, in_turn, to_reach

from fuselatch import Button, Form, Number, Prompt, Text, Tick, derive
from fuselatch.frontends import Gesture, Session


def nested(count: int) -> Measure:
    """One of nested plain calls; run once per round, like a chain."""
    function: Callable[[float], float] = lambda value: value  # noqa: E731
    for _ in range(count):
        function = lambda value, inner=function: inner(value + 1)  # noqa: E731
    return Measure(lambda: function(1.0), 1, count)


def chain(count: int, derived: bool) -> Measure:
    """Measure a hop of a chain of controls, each derived from the previous one or set by its handler."""
    members: dict[str, Any] = {"c0": Number("C0")}
    for number in range(1, count + 1):
        before = members[f"c{number - 1}"]
        before.name = f"c{number - 1}"
        if derived:
            members[f"c{number}"] = Number(f"C{number}", value=derive(lambda value: value + 1, before))
        else:
            members[f"c{number}"] = Number(f"C{number}")
            # Written out as a developer does: a control's name isn't computed at each call.
            written: dict[str, Any] = {}
            exec(f"def set_next(self, event):\n    self.c{number}.value = event.new + 1", written)
            members[f"h{number}"] = before.changed(written["set_next"])
    form = new_class("Chain", (Form,), {}, lambda body: body.update(members))
    session = Session(form, recording=False)
    first: Any = session.front
    turn = itertools.cycle((1.0, 2.0)).__next__

    def once() -> None:
        first.c0.value = turn()

    return Measure(once, 1, count)


def chains(count: int, derived: bool) -> Measure:
    """Measure the same in chains with 1,000 hops in total."""
    all_of_them = [chain(count, derived).call for _ in range(1000 // count)]

    def once() -> None:
        for each in all_of_them:
            each()

    return Measure(once, 1, 1000)


class Links:
    """The first object of a chain of plain objects."""


def links(count: int) -> Measure:
    """Measure a hop of plain calls: each sets an attribute, and calls the next."""
    written: dict[str, Any] = {"last": lambda self, value: None}
    for number in range(count, 0, -1):
        after = f"set_{number + 1}" if number < count else "last"
        exec(f"def set_{number}(self, value):\n    self.c{number} = value + 1\n    {after}(self, self.c{number})", written)
    first, thing = written["set_1"], Links()
    return Measure(lambda: first(thing, 1.0), 1, count)


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
    """Prompts within prompts: each is asked by a handler while the previous one waits."""

    n = Number("N")

    @n.changed
    def put(self) -> None:
        self.confirm("Deeper?")


def presses(*gestures: Gesture, form: type[Form] = Asking) -> Measure:
    """A few gestures."""
    session = Session(form, recording=False)

    def once() -> None:
        for gesture in gestures:
            session.feed(gesture)

    return Measure(once, 100)


def deep(count: int) -> Measure:
    """Measure a prompt among prompts that are `count` deep."""
    session = Session(Deep, recording=False)
    form: Any = session.front
    number = itertools.count()
    yes = Gesture(verb="answer", text="Yes")

    def once() -> None:
        for _ in range(count):
            form.n.value = next(number)
        for _ in range(count):
            session.feed(yes)

    return Measure(once, 100 // count, count)


def form_of(count: int) -> Any:
    """A form of many entries."""
    return new_class("Many", (Form,), {}, lambda body: body.update({f"c{n}": Text(f"C{n}") for n in range(count)}))


def opening(count: int) -> tuple[Measure, Measure]:
    """Measure opening a form against creating a plain object with as many slots."""
    form = form_of(count)
    names = [f"c{number}" for number in range(count)]
    slots = type("Slots", (), {"__slots__": names})

    def bare() -> None:
        thing = slots()
        for name in names:
            setattr(thing, name, "")

    times = max(1, 400 // count)
    return Measure(lambda: Session(form, recording=False).close(), times), Measure(bare, times)


class Twenty(Form):
    """The form of a whole session: ten gestures of typing and ten of ticking."""

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


def whole_session() -> Measure:
    """Measure a new session, its form, and 20 gestures."""
    gestures = [Gesture(verb="type", control="nights", text=str(n)) for n in range(10)]
    gestures += [Gesture(verb="tick", control="power"), Gesture(verb="untick", control="power")] * 5

    def once() -> None:
        session = Session(Twenty, recording=False)
        for gesture in gestures:
            session.feed(gesture)
        session.close()

    return Measure(once, 5)


def main() -> None:
    """Print all figures."""
    print(HEADING)
    for derived in (True, False):
        what = "derived from the one before" if derived else "set by a handler of the one before"
        plain = nested(900) if derived else links(900)
        compare(f"1,000 controls, each {what}, a hop", chain(1000, derived), plain, 10)
        compare("  against two chains of 500 (linear: 1)", chain(1000, derived), chains(500, derived), 1.25)
    press, yes = Gesture(verb="press", control="nothing"), Gesture(verb="answer", text="Yes")
    asking = presses(Gesture(verb="press", control="ask_it"), yes)
    compare("asking and answering, against a press without", asking, presses(press), 3)
    dialog = presses(Gesture(verb="press", control="dialog"), Gesture(verb="press", control="ok"))
    compare("one modal dialog, opened and accepted", dialog, presses(press), 10)
    compare("prompts ten deep, a prompt (linear: 1)", deep(10), deep(1), 1.25)
    for count in (20, 1000):
        ours, base = opening(count)
        compare(f"opening a form of {count:,} controls", ours, base, None)
        if count == 1000:
            took = in_turn(ours)[0]
            print(f"  {took:,.0f} µs {to_reach(took, 4_000, ' µs')}")
    found, base = in_turn(whole_session(), bare())
    told = to_reach(1e6 / found, 4_000, at_least=True)
    print(f"a fresh session, form and 20 gestures: {1e6 / found:,.0f} a second  {told}")
    usual = 1e6 / found * base / USUAL
    print(f"  {found / base:.0f} times the bare calls; where those take {USUAL} µs: {usual:,.0f} a second")


if __name__ == "__main__":
    main()
