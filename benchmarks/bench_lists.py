"""Lists from 1,000 to 1,000,000 rows: building an index, a refill by another control, a key of typing ahead."""

from __future__ import annotations

import random
import tracemalloc
from time import perf_counter
from typing import Any

from common import best, ratio

from fuselatch import Catalog, Choice, Choices, Form, Table
from fuselatch.frontends import Gesture, Session
from fuselatch.stores import MemoryRecords

SHOWN = 50
"""Rows per pier, for any total."""
PARTS = "ka lo mi ren tas vel dor un is gar bel so ne ru".split()


class Booking(Form):
    """A list that another control refills."""

    pier = Choice("Pier", choices=("P0", "P1"))
    berth = Choice("Berth", choices=Catalog("berths", text="name").where(pier=pier))


class Choosing(Form):
    """A table that another control refills, and one of all rows."""

    pier = Choice("Pier", choices=("P0", "P1"))
    berths = Table("Berths", rows=Catalog("berths", text="name").where(pier=pier), columns=("name", "pier"), sort="name")


class Everything(Form):
    """A table of all rows."""

    berths = Table("Berths", rows=Catalog("berths", text="name"), columns=("name", "pier"))


def rows_of(size: int) -> list[dict[str, str]]:
    """Return rows with names of two made-up words; each pier has the same number."""
    chance = random.Random(7)

    def word() -> str:
        return "".join(chance.choices(PARTS, k=4)).title()

    return [{"name": f"{word()} {word()}", "pier": f"P{number // SHOWN}"} for number in range(size)]


def built(texts: tuple[str, ...]) -> tuple[float, float]:
    """Return seconds and megabytes of a list's indexes: positions and sorted keys."""
    tracemalloc.start()
    choices = Choices(texts)
    while choices.index_some(len(texts)):
        pass
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    start = perf_counter()
    choices = Choices(texts)
    while choices.index_some(len(texts)):
        pass
    return perf_counter() - start, most / 1e6


def refill(rows: Any, form: type[Form]) -> tuple[float, float]:
    """Return microseconds of a gesture that refills the list, and of the same gesture with an empty list."""
    found = []
    for records in ({"berths": rows}, {"berths": rows[:1]}):
        session = Session(form, records=MemoryRecords(records), recording=False)
        both = [Gesture(verb="pick", control="pier", text=text) for text in ("P0", "P1")]
        for one in both:
            session.feed(one)

        def once(session: Session = session, both: list[Gesture] = both) -> None:
            session.feed(both[0])
            session.feed(both[1])

        found.append(best(once, 1000) / 2)
        session.close()
    return found[0], found[1]


def table(rows: Any) -> None:
    """Measure a table of all rows: opening, sorting again, and a key of typing ahead."""
    size = len(rows)
    tracemalloc.start()
    before = tracemalloc.get_traced_memory()[0]
    Session(Everything, records=MemoryRecords({"berths": rows}), recording=False).close()
    room = (tracemalloc.get_traced_memory()[1] - before) / 1e6
    tracemalloc.stop()
    start = perf_counter()
    session = Session(Everything, records=MemoryRecords({"berths": rows}), recording=False)
    opened = perf_counter() - start
    start = perf_counter()
    session.feed(Gesture(verb="sort", control="berths", text="name"))
    sorted_in = perf_counter() - start
    session.feed(Gesture(verb="sort", control="berths", text="name"))
    again = best(lambda: session.feed(Gesture(verb="sort", control="berths", text="name")), 20)
    print(f"{size:,} rows: a table of all opened in {opened:.2f} s, at most {room:.0f} MB, sorted in {sorted_in:.2f} s,")
    print(f"{size:,} rows: by the same column again {again:.1f} µs; its view {best(lambda: session.view, 20):.0f} µs")


def main() -> None:
    """Print all figures."""
    all_rows = rows_of(1_000_000)
    for size in (1000, 1_000_000):
        rows = all_rows[:size]
        texts = tuple({row["name"]: None for row in rows})
        seconds, room = built(texts)
        print(f"{size:,} rows: places and keys built in {seconds:.2f} s, at most {room:.0f} MB (to reach: 4 s, 300 MB)")
        start = perf_counter()
        session = Session(Booking, records=MemoryRecords({"berths": rows}))
        session.feed(Gesture(verb="pick", control="pier", text="P1"))
        print(f"{size:,} rows: indexed by another column in {perf_counter() - start:.2f} s")
        session.close()
        for form, what in ((Choosing, "table"), (Booking, "list")):
            ours, none = refill(rows, form)
            more = f"{size:,} rows: a refill of a {what} costs {ours - none:.1f} µs more than none"
            print(f"{more} (to reach: 20 µs; the gesture {ours:.1f} µs)")
        table(rows)
        choices = Choices(texts)
        for typed in ("k", "kalo", "lorenkaun b"):
            choices.ahead(typed)
            one_key = best(lambda choices=choices, typed=typed: choices.ahead(typed), 500)  # type: ignore[misc]
            print(f"{size:,} rows: a key of typing ahead, '{typed}': {one_key:.1f} µs (to reach: 100 µs)")
        mask = best(lambda rows=rows: [row["name"] for row in rows if row["pier"] == "P1"], 5)  # type: ignore[misc]
        ratio(f"{size:,} rows: a refill, against a plain comprehension", max(ours - none, 0.1), mask, None)
        try:
            import pandas

            frame = pandas.DataFrame(rows)
            masked = best(lambda frame=frame: frame.loc[frame["pier"] == "P1", "name"].tolist(), 5)  # type: ignore[misc]
            ratio(f"{size:,} rows: a refill, against a pandas mask", max(ours - none, 0.1), masked, None)
        except ImportError:
            pass


if __name__ == "__main__":
    main()
