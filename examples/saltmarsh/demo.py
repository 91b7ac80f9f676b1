"""The demo: a morning in the marina office as four cue sheets, and the files it writes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from importlib.resources import files
from pathlib import Path
from shutil import which

from fuselatch.rehearsal import CueRun, read_cues, run_cues
from fuselatch.scenes import Scene
from fuselatch.services import DrawingBoard, Drawings, LetterBox, Letters
from saltmarsh import scenes, tables
from saltmarsh.tables import Booking

CUES = ("booking.cues", "search-cancelled.cues", "overhang.cues", "arrears.cues")


@dataclass(frozen=True, slots=True)
class Written:
    """The demo's result: a summary, and commands to try next."""

    summary: str
    next_steps: tuple[str, ...]


def run_all_cues() -> Iterator[CueRun]:
    """Run each cue sheet of the demo."""
    folder = files("saltmarsh").joinpath("cues")
    for name in CUES:
        yield run_cues(read_cues(folder.joinpath(name).read_text(encoding="utf-8"), name))


def booked(done: Sequence[CueRun], arrival: datetime) -> list[Booking]:
    """Return the bookings of the accepted forms."""
    number = tables.bookings()[-1].number
    made = []
    for run in done:
        if run.outcome is not None and run.outcome.accepted:
            number += 1
            values = run.outcome.values
            made.append(
                Booking(
                    number,
                    values["vessel"],
                    values["berth"],
                    arrival.date(),
                    values["nights"],
                    values["price"],
                    "; ".join(f"{one.text}, agreed by {one.user}" for one in run.outcome.overrides),
                )
            )
    return made


def send_out(folder: Path, run: CueRun) -> None:
    """Write a run's letters and drawings to a folder."""
    services = run.session.services if run.session is not None else None
    box, board = (services[Letters], services[Drawings]) if services is not None else (None, None)
    if isinstance(box, LetterBox) and isinstance(board, DrawingBoard):
        name = run.sheet.name.partition(".")[0]
        for number, letter in enumerate(box.letters, 1):
            (folder / f"{name}-{number}.eml").write_bytes(letter.as_bytes())
        for drawn, svg in board.drawings.items():
            (folder / f"{name}-{drawn.replace(' ', '-')}.svg").write_text(svg, encoding="utf-8")


def write(folder: Path, done: Sequence[CueRun]) -> Written:
    """Write bookings, traces and cue sheets to a folder. Raises `OSError` if that fails."""
    scene: Scene = scenes.quiet_monday()
    new = booked(done, scene.now)
    folder.mkdir(parents=True, exist_ok=True)
    tables.write_bookings(folder / "bookings.csv", [*tables.bookings(), *new])
    lines = 0
    for run in done:
        name = Path(run.sheet.name)
        (folder / name.with_suffix(".trace.jsonl")).write_text(run.trace.to_jsonl(), encoding="utf-8")
        cues = files("saltmarsh").joinpath("cues", name.name).read_text(encoding="utf-8")
        (folder / name).write_text(cues, encoding="utf-8")
        lines += len(run.trace)
        send_out(folder, run)
    berths = ", ".join(f"{one.vessel} into {one.berth} for {one.price} EUR" for one in new)
    count = len(tables.bookings()) + len(new)
    # After `make demo` the command isn't on the path.
    command = "fuselatch" if which("fuselatch") else ".venv/bin/fuselatch"
    return Written(
        f"What happened: {len(new)} berths were booked ({berths}).\n"
        "One search was cancelled. One boat moved to a longer berth after a warning.\n"
        "One boat with unpaid fees was booked anyway; the clerk was asked about it only once.\n"
        f"Written to the folder {folder}: bookings.csv ({count} bookings), a letter (.eml) and a mooring plan (.svg)\n"
        f"for each new one, and a cue sheet and a trace for each rehearsal ({lines} lines of JSON in total).",
        (
            f"change a line of {folder / 'booking.cues'}, then: {command} rehearse {folder / 'booking.cues'}",
            f"{command} flipbook {folder / 'overhang.cues'} -o {folder / 'overhang.html'}    (open it in a browser)",
            f"{command} explore saltmarsh.scenes:quiet_monday --gestures 20000    (search for faults)",
            f"{command} rehearse --help",
        ),
    )
