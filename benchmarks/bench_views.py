"""The view after one key, at every size of form, against the key's own cost; and the first key into a long list."""

from __future__ import annotations

import sys
import time
from types import new_class
from typing import Any

from common import to_reach

from fuselatch import Catalog, Choice, Form, Integer, Text
from fuselatch.cli import core_is
from fuselatch.frontends import Gesture, Session
from fuselatch.stores import MemoryRecords

ROUNDS = 60
KEYS = 40
WANTED = 3.0


def form_of(size: int) -> Any:
    """Return a form of texts."""
    members: dict[str, Any] = {f"t{number}": Text(f"T{number}") for number in range(size)}
    return new_class("Texts", (Form,), {}, lambda body: body.update(members))


def medians(size: int) -> tuple[float, float]:
    """Return the seconds of a key, and of the view after it."""
    keys, views = [], []
    with Session(form_of(size)) as session:
        session.view  # noqa: B018
        words = [Gesture(verb="type", control="t5", text="x" * (n % 9)) for n in range(KEYS)]
        for _ in range(ROUNDS):
            of_keys = of_views = 0.0
            for word in words:
                start = time.perf_counter()
                session.feed(word)
                middle = time.perf_counter()
                session.view  # noqa: B018
                of_views += time.perf_counter() - middle
                of_keys += middle - start
            keys.append(of_keys / KEYS)
            views.append(of_views / KEYS)
    return sorted(keys)[ROUNDS // 2], sorted(views)[ROUNDS // 2]


class Find(Form):
    """A choice of a million."""

    boat = Choice("Boat", choices=Catalog("boats", text="name"))


class Made(Form):
    """A choice of a million that a rule makes."""

    size = Integer("Size", default=0)
    boat = Choice("Boat", choices=lambda form: [f"boat {at * 7919 % form.size.value}" for at in range(form.size.value or 0)])


def unprepared(count: int) -> float:
    """Return the seconds of the first key into a list that a rule has just made, before any idle work."""
    with Session(Made) as session:
        session.feed(Gesture(verb="type", control="size", text=str(count)))
        session.feed(Gesture(verb="focus", control="boat"))
        start = time.perf_counter()
        session.feed(Gesture(verb="type", control="boat", text="b"))
        session.view  # noqa: B018
        return time.perf_counter() - start


def first_key(count: int) -> tuple[float, float, float]:
    """Return the seconds of the 99th slice of 100, of the first key after all slices, and of a later one (median)."""
    rows = [{"name": f"boat {number * 7919 % count} of Vannermouth"} for number in range(count)]
    with Session(Find, records=MemoryRecords({"boats": rows})) as session:
        slices, more = [], True
        while more:
            start = time.perf_counter()
            more = session.idle()
            slices.append(time.perf_counter() - start)
        keys = []
        for text in ("b", "bo", "boa", "boat", "boat 1", "boat 12", "boat 123", "van", "vann"):
            start = time.perf_counter()
            session.feed(Gesture(verb="type", control="boat", text=text))
            session.view  # noqa: B018
            keys.append(time.perf_counter() - start)
    return sorted(slices)[len(slices) * 99 // 100], keys[0], sorted(keys[1:])[4]


if __name__ == "__main__":
    print(f"{core_is()} core")
    for size in (10, 100, 1_000, 10_000):
        key, view = medians(size)
        told = f"{view / key:.1f} times {to_reach(view / key, WANTED)}"
        print(f"{size:>9,} controls: a key {key * 1e6:5.1f} µs, its view {view * 1e6:5.1f} µs: {told}")
    for count in (20_000, 1_000_000)[: 1 if "--quick" in sys.argv else 2]:
        longest, first, later = first_key(count)
        told = f"{first / later:.1f} times {to_reach(first / later, 10)}"
        print(f"{count:>9,} items: 99 of 100 slices in {longest * 1e3:.0f} ms {to_reach(longest * 1e3, 20)}")
        made = unprepared(count)
        print(f"{'':>9}  the first key, if a rule has just made them: {made:.2f} s {to_reach(made, 3)}")
        print(f"{'':>9}  a key {first * 1e3:.2f} ms, a later one {later * 1e3:.2f} ms: {told}")
