"""The demo: a morning at the desk, as three cue sheets, and what is kept of it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from importlib.resources import files
from pathlib import Path

from fuselatch.rehearsal import Performance, Scene, perform, read_cues
from marina import scenes, tables
from marina.tables import Booking

CUES = ("booking.cues", "search-cancelled.cues", "overhang.cues")


@dataclass(frozen=True, slots=True)
class Written:
    """What the demo left behind: a summary of it, and what to try next."""

    summary: str
    next_steps: tuple[str, ...]


def perform_all() -> Iterator[Performance]:
    """Perform each cue sheet of the demo."""
    folder = files("marina").joinpath("cues")
    for name in CUES:
        yield perform(read_cues(folder.joinpath(name).read_text(encoding="utf-8"), name))


def booked(done: Sequence[Performance], arrival: datetime) -> list[Booking]:
    """The bookings that the accepted forms stand for."""
    number = tables.bookings()[-1].number
    made = []
    for performance in done:
        if performance.outcome is not None and performance.outcome.accepted:
            number += 1
            values = performance.outcome.values
            made.append(
                Booking(number, values["vessel"], values["berth"], arrival.date(), values["nights"], values["price"])
            )
    return made


def write(folder: Path, done: Sequence[Performance]) -> Written:
    """Write bookings, traces and cue sheets into a folder; raises `OSError` where that can't be done."""
    scene: Scene = scenes.quiet_monday()
    new = booked(done, scene.now)
    folder.mkdir(parents=True, exist_ok=True)
    tables.write_bookings(folder / "bookings.csv", [*tables.bookings(), *new])
    lines = 0
    for performance in done:
        name = Path(performance.sheet.name)
        (folder / name.with_suffix(".trace.jsonl")).write_text(performance.trace.to_jsonl(), encoding="utf-8")
        cues = files("marina").joinpath("cues", name.name).read_text(encoding="utf-8")
        (folder / name).write_text(cues, encoding="utf-8")
        lines += len(performance.trace)
    berths = " and ".join(f"{one.vessel} into {one.berth} for {one.price} EUR" for one in new)
    count = len(tables.bookings()) + len(new)
    return Written(
        f"What happened: {len(new)} berths were booked ({berths}).\n"
        "One search was given up and booked nothing; one boat was moved after a question about its length.\n"
        f"Written into the folder {folder}: bookings.csv ({count} bookings), and for each rehearsal\n"
        f"its cue sheet and its trace ({lines} lines of JSON in all).",
        (
            f"change a line of {folder / 'booking.cues'}, then: fuselatch rehearse {folder / 'booking.cues'}",
            "fuselatch rehearse --help",
        ),
    )
