"""Costs that must grow with the work and no faster: a long text, many staged rows, many lines."""

from __future__ import annotations

import tracemalloc
from collections.abc import Callable
from time import perf_counter
from types import new_class
from typing import Any

from common import HEADING, ratio, to_reach

from fuselatch import Button, Form, Group, Lines, Number, Text
from fuselatch.frontends import Gesture, Session
from fuselatch.stores import MemoryRecords


class Row(Group):
    """A line of two entries."""

    number = Number("Number")
    word = Text("Word")


def form_of(count: int) -> type[Form]:
    """Return a form whose buttons stage rows and add lines."""
    members: dict[str, Any] = {"name": Text("Name"), "rows": Lines(Row, "Rows")}
    members |= {"stage": Button("Stage"), "add": Button("Add")}

    def stage(self: Any) -> None:
        for number in range(count):
            self.session.records.add("log", {"number": number})

    def add(self: Any) -> None:
        for number in range(count):
            self.rows.add(number=number)

    members["staging"], members["adding"] = members["stage"].clicked(stage), members["add"].clicked(add)
    return new_class("Growing", (Form,), {}, lambda body: body.update(members))


def microseconds(count: int, does: Callable[[Session, int], object]) -> float:
    """Return microseconds for an item, in a session of its own."""
    session = Session(form_of(count), records=MemoryRecords({"log": [{"number": 0}]}))
    start = perf_counter()
    does(session, count)
    took = perf_counter() - start
    session.close()
    return took / count * 1e6


def grown(what: str, many: int, few: int, does: Callable[[Session, int], object], reach: float) -> None:
    """Print the cost of an item among many against that among few: the best of sessions that alternate."""
    both = [(microseconds(many, does), microseconds(few, does)) for _ in range(7)]
    ratio(f"{what} of {many:,}, against {few:,}", min(one for one, _ in both), min(other for _, other in both), reach)


def typed(session: Session, count: int) -> None:
    """Type a text as a field of a page reports it: with each key all that was typed so far."""
    text = "x" * count
    for end in range(1, count + 1):
        session.feed(Gesture(verb="type", control="name", text=text[:end]))


def pressed(button: str) -> Callable[[Session, int], object]:
    return lambda session, count: session.feed(Gesture(verb="press", control=button))


def memory(count: int) -> float:
    """Return the megabytes that a session holds after a text was typed."""
    session = Session(form_of(1), records=MemoryRecords({"log": [{"number": 0}]}))
    tracemalloc.start()
    typed(session, count)
    held = tracemalloc.get_traced_memory()[0] / 1e6
    tracemalloc.stop()
    return held


def main() -> None:
    """Print all figures."""
    print(HEADING)
    grown("a key in a text", 10_000, 1_000, typed, 1.2)
    held = memory(10_000)
    print(f"{'what a typed text of 10,000 holds':<58} {held:9.2f} MB   {to_reach(held, 5, ' MB')}")
    grown("a staged row", 8_000, 800, pressed("stage"), 1.5)
    grown("an added line", 400, 40, pressed("add"), 1.5)


if __name__ == "__main__":
    main()
