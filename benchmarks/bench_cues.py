"""500 cue sheets of one page through pytest, start-up included; the same without them as the baseline.

Also: what recording the trace adds to a rehearsal, and a flipbook of 50 steps. `python benchmarks/bench_cues.py`
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path
from time import perf_counter

from common import to_reach

from fuselatch import Form
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import read_cue_file, run_cues
from fuselatch.rehearsal.flipping import flipbook
from fuselatch.rehearsal.loading import importing_from, load

FORM = """
from fuselatch import Button, Choice, Form, Money, Tick, Text, Integer, check, derive, warn

class Stay(Form, title="A night at the quay"):
    vessel = Text("Vessel", required=True)
    nights = Integer("Nights", minimum=1, default=1, required=True)
    pier = Choice("Pier", choices=("North", "South"))
    visitor = Tick("Visitor")
    port = Text("Home port", enabled=lambda form: form.visitor.value)
    price = Money("Price", unit="EUR", value=derive(lambda nights: nights * 34, nights))
    book = Button("Book", closes="accepted")

    @check(nights)
    def long_stay(self, nights):
        return warn("Longer than two weeks") if nights > 14 else None

    @pier.changed
    def note(self):
        self.say(f"pier {self.pier.value}")
"""
SHEET = """# Cue sheet {number}.
form    stay_form:Stay
user    desk-{number}

type    vessel "Boat {number}"
type    nights 2
focus   pier
expect  price.value 68
pick    pier North
expect  message "pier North"
pick    pier South
expect  not port.enabled
tick    visitor
expect  port.enabled
type    port Saltmarsh
clear   nights
focus   vessel
expect  nights.marker
type    nights 15
type    nights 16
focus   port
expect  nights.marker "Longer than two weeks"
untick  visitor
expect  port.enabled no
press   book
expect  prompt "Longer than two weeks"
answer  "Go on"
expect  outcome accepted
expect  outcome.nights 16
expect  outcome.price 544
"""
COUNT = 500


def timed(folder: Path, *words: str) -> float:
    """Return the seconds that pytest takes in a folder, on one core."""
    core = min(os.sched_getaffinity(0))
    start = perf_counter()
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", *words],
        cwd=folder,
        env={name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"},
        capture_output=True,
        text=True,
        preexec_fn=lambda: os.sched_setaffinity(0, {core}),
    )
    took = perf_counter() - start
    if done.returncode:
        sys.exit(done.stdout[-2000:] + done.stderr)
    return took


GESTURES = [
    Gesture(verb=verb, control=control, text=text)
    for verb, control, text in (
        ("type", "vessel", "Boat"),
        ("type", "nights", "2"),
        ("focus", "pier", ""),
        ("pick", "pier", "North"),
        ("tick", "visitor", ""),
        ("type", "port", "Saltmarsh"),
        ("type", "nights", "15"),
        ("pick", "pier", "South"),
        ("untick", "visitor", ""),
        ("type", "nights", "3"),
    )
    * 2
]
"""Twenty gestures."""


def rehearsed(form: type[Form], recording: bool) -> float:
    """Return the number of new sessions of twenty gestures per second."""
    count = 400
    start = perf_counter()
    for _ in range(count):
        session = Session(form, recording=recording)
        for gesture in GESTURES:
            session.feed(gesture)
        session.close()
    return count / (perf_counter() - start)


def recording_costs(folder: Path) -> None:
    """Measure the cost of recording, and sessions per second; interleaved, medians of nine."""
    with importing_from([folder]):
        form = load("stay_form:Stay", "form")
    rehearsed(form, True)
    pairs = [(rehearsed(form, True), rehearsed(form, False)) for _ in range(9)]
    traced, plain = (sorted(rates)[4] for rates in zip(*pairs, strict=True))
    ratio = sorted(without / with_it for with_it, without in pairs)[4]
    print(f"20 gestures, with a check, a derived value and a rule: {traced:.0f} sessions a second traced, {plain:.0f} not")
    print(f"recording a trace makes them {ratio:.2f} times as long {to_reach(ratio, 1.6)}")


def flipbook_costs(folder: Path) -> None:
    """Measure a flipbook of 50 steps (run, drawn, written) in a running process and as a whole process."""
    text = SHEET.format(number=1)
    steps = [line for line in text.splitlines()[4:] if not line.startswith(("press", "answer", "expect"))]
    path = folder / "fifty.cues"
    path.write_text("form    stay_form:Stay\n" + "\n".join((steps * 10)[:50]) + "\n")
    took = []
    for _ in range(5):
        start = perf_counter()
        with importing_from([folder]):
            page = flipbook("fifty", [run_cues(read_cue_file(path), looking=True)])
        took.append(perf_counter() - start)
    env = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    whole = []
    for _ in range(5):
        start = perf_counter()
        subprocess.run([sys.executable, "-m", "fuselatch", "flipbook", str(path)], check=True, capture_output=True, env=env)
        whole.append(perf_counter() - start)
    drawn = page.count("<figure")
    inside, outside = sorted(took)[2], sorted(whole)[2]
    print(
        f"a flipbook of 50 steps: {inside:.2f} s ({drawn} drawings), "
        f"as a process {outside:.2f} s {to_reach(outside, 1, ' s')}"
    )


def main() -> None:
    """Print the figures."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "stay_form.py").write_text(FORM)
        (folder / "test_nothing.py").write_text("def test_nothing(): pass\n")
        sheets = folder / "cues"
        sheets.mkdir()
        (sheets / "stay_form.py").write_text(FORM)
        for number in range(COUNT):
            (sheets / f"sheet{number}.cues").write_text(SHEET.format(number=number))
        timed(folder, "cues/sheet1.cues", "--behaviour")
        for words in ((), ("--behaviour",)):
            runs = [(timed(folder, "test_nothing.py"), timed(folder, "cues", *words)) for _ in range(3)]
            nothing, whole = (sorted(times)[1] for times in zip(*runs, strict=True))
            each = (whole - nothing) / COUNT * 1000
            what = " ".join(("pytest", *words))
            print(
                f"{what}: {COUNT} cue sheets {whole:.2f} s {to_reach(whole, 3.5, ' s')}, "
                f"nothing {nothing:.2f} s; {each:.2f} ms a sheet"
            )
        recording_costs(folder)
        flipbook_costs(folder)


if __name__ == "__main__":
    main()
