"""One gesture against the same bare calls, and its cost in a large form."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from types import new_class
from typing import Any

from common import HEADING, Measure, compare

from fuselatch import Form, Number, Tick, derive
from fuselatch.cli import core_is
from fuselatch.frontends import Gesture, Session


class Plain(Form):
    """A value that settles at once, three handlers, and two controls that they set."""

    on = Tick("On")
    b = Number("B")
    c = Number("C")

    @on.changed
    def set_b(self) -> None:
        self.b.value = 1.0 if self.on.value else 2.0

    @on.changed
    def set_c(self) -> None:
        self.c.value = 1.0 if self.on.value else 2.0

    @on.changed
    def nothing(self) -> None:
        pass


class Full(Form):
    """The same with a finding, a derived value and an enabled rule."""

    on = Tick("On")
    b = Number("B", maximum=1)
    c = Number("C")
    d = Number("D", value=derive(lambda b, c: b + c, b, c))
    e = Number("E", enabled=lambda form: form.on.value)

    @on.changed
    def set_b(self) -> None:
        self.b.value = 1.0 if self.on.value else 2.0

    @on.changed
    def set_c(self) -> None:
        self.c.value = 1.0 if self.on.value else 2.0

    @on.changed
    def nothing(self) -> None:
        pass


class Box:
    """A plain object with a value."""

    def __init__(self) -> None:
        self.value: Any = None


class Bare:
    """The same three calls with plain attributes."""

    def __init__(self) -> None:
        self.on, self.b, self.c = Box(), Box(), Box()
        self.heard = [self.set_b, self.set_c, self.nothing]

    def set_b(self) -> None:
        self.b.value = 1.0 if self.on.value else 2.0

    def set_c(self) -> None:
        self.c.value = 1.0 if self.on.value else 2.0

    def nothing(self) -> None:
        pass

    def put(self, on: bool) -> None:
        """Set the value, and call its listeners."""
        self.on.value = on
        for handler in self.heard:
            handler()


def bare() -> Measure:
    """The bare calls."""
    thing = Bare()
    turn = itertools.cycle((True, False)).__next__
    return Measure(lambda: thing.put(turn()), 1000)


def setting(form: type[Form], recording: bool) -> Measure:
    """Measure setting the value from outside, which is a gesture; the trace is emptied now and then."""
    session = Session(form, recording=recording)
    first: Any = session.front
    turn = itertools.cycle((True, False)).__next__
    rows = session.trace.rows

    def once() -> None:
        first.on.value = turn()
        if len(rows) > 50_000:
            rows.clear()

    return Measure(once, 200)


def gesture(form: type[Form]) -> Measure:
    """Tick and untick by turns, as a user does."""
    session = Session(form, recording=False)
    both = [Gesture(verb="tick", control="on"), Gesture(verb="untick", control="on")]
    turn = itertools.cycle(both).__next__
    return Measure(lambda: session.feed(turn()), 200)


def observers() -> dict[str, Measure]:
    """Measure the same cascade on general observers, if installed: no drafts, checks or trace."""
    found: dict[str, Measure] = {}
    turn = itertools.cycle((True, False)).__next__
    try:
        import traitlets

        class Traits(traitlets.HasTraits):
            on = traitlets.Bool()
            b = traitlets.Float()
            c = traitlets.Float()

        traits = Traits()
        traits.observe(lambda change: setattr(traits, "b", 1.0 if traits.on else 2.0), "on")
        traits.observe(lambda change: setattr(traits, "c", 1.0 if traits.on else 2.0), "on")
        traits.observe(lambda change: None, "on")
        found["traitlets"] = Measure(lambda: setattr(traits, "on", turn()), 200)
    except ImportError:
        pass
    try:
        import psygnal

        @psygnal.evented
        @dataclass
        class Evented:
            on: bool = False
            b: float = 0.0
            c: float = 0.0

        thing: Any = Evented()
        thing.events.on.connect(lambda on: setattr(thing, "b", 1.0 if on else 2.0))
        thing.events.on.connect(lambda on: setattr(thing, "c", 1.0 if on else 2.0))
        thing.events.on.connect(lambda on: None)
        found["psygnal"] = Measure(lambda: setattr(thing, "on", turn()), 200)
    except ImportError:
        pass
    return found


def form_of(size: int) -> Any:
    """A form of many controls in which a gesture touches five."""
    members: dict[str, Any] = {f"c{number}": Number(f"C{number}") for number in range(size - 1)}
    members["on"] = Tick("On")

    def touch(self: Any) -> None:
        for name in ("c0", "c1", "c2", "c3"):
            getattr(self, name).value = 1.0 if self.on.value else 2.0

    members["touch"] = members["on"].changed(touch)
    return new_class("Sized", (Form,), {}, lambda body: body.update(members))


def total_over(size: int) -> Measure:
    """Measure a total kept by handlers: one handler sets all controls, another handles each change."""
    members: dict[str, Any] = {f"c{number}": Number(f"C{number}") for number in range(size)}
    members["on"] = Tick("On")
    members["total"] = Number("Total", default=0)

    def set_all(self: Any) -> None:
        for number in range(size):
            getattr(self, f"c{number}").value = 1.0 if self.on.value else 2.0

    def add_up(self: Any, event: Any) -> None:
        self.total.value = self.total.required_value + event.new - (event.old or 0)

    from fuselatch import on

    members["set_all"] = members["on"].changed(set_all)
    members["add_up"] = on(*(members[f"c{number}"].changed for number in range(size)))(add_up)
    form = new_class("Total", (Form,), {}, lambda body: body.update(members))
    session = Session(form, recording=False)
    turn = itertools.cycle([Gesture(verb="tick", control="on"), Gesture(verb="untick", control="on")]).__next__
    return Measure(lambda: session.feed(turn()), max(1, 1000 // size), size)


def main() -> None:
    """Print all figures."""
    print(HEADING)
    compiled = core_is() == "compiled"
    compare("a plain gesture (3 handlers, 2 set), trace off", setting(Plain, False), bare(), 11 if compiled else 20)
    compare("the same, trace on", setting(Plain, True), bare(), 20 if compiled else 40)
    compare("  the same by the user (feed a tick), trace off", gesture(Plain), bare(), None)
    for name, other in observers().items():
        compare(f"the same, trace off, against {name}", setting(Plain, False), other, 1)
    compare("with a finding, a derived value, an enabled rule, off", setting(Full, False), bare(), 30 if compiled else 60)
    compare("the same, trace on", setting(Full, True), bare(), None)
    for size in (1000, 100_000):
        compare(f"a gesture touching 5 controls, form of {size:,}", gesture(form_of(size)), gesture(form_of(10)), 1.5)
    compare("a handled total over 1,000 controls, a control", total_over(1000), total_over(10), 1.2)


if __name__ == "__main__":
    main()
