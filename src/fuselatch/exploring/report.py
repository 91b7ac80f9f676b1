"""The report of an exploration, as lines of text."""

from __future__ import annotations

from collections.abc import Iterator

from fuselatch.exploring.exploration import Exploration
from fuselatch.exploring.faults import KINDS, Fault
from fuselatch.report.behaviour import about
from fuselatch.report.cue_words import written


def count(number: int, what: str) -> str:
    """Return a number of things in words: "1 fault", "2 faults"."""
    return f"{number:,} {what}{'' if number == 1 else 's'}"


def report(found: Exploration, files: dict[str, str] | None = None) -> Iterator[str]:
    """Yield the lines of a report. `files`: the cue sheet's file of each fault, by key; without one, the sheet is shown."""
    yield (f"explored {found.scene}: {count(found.gestures, 'gesture')}, {count(found.states, 'state')}, seed {found.seed}")
    if found.cut:
        yield f"cut short: {found.cut} after {found.gestures:,} of {found.wanted:,} gestures"
    accepted = [fault for fault in found.faults if fault.reason]
    notes = [fault for fault in found.faults if fault.is_note and not fault.reason]
    yield count(len(found.new), "fault") + (f", {count(len(accepted), 'known fault')}" if accepted else "")
    for number, fault in enumerate(found.new, 1):
        yield ""
        yield from fault_lines(f"fault {number}", fault, files)
    for fault in accepted:
        yield ""
        yield f"known: {fault.text}"
        yield f"  key     {fault.key}"
        yield f"  reason  {fault.reason}"
    for number, fault in enumerate(notes, 1):
        yield ""
        yield from fault_lines(f"note {number}", fault, files)
    yield from never(found)
    yield from proven(found)


def fault_lines(title: str, fault: Fault, files: dict[str, str] | None) -> Iterator[str]:
    """Yield the lines of one fault."""
    yield f"{title}: {KINDS[fault.kind]}"
    yield f"  {fault.text}{f' ({fault.where})' if fault.where else ''}"
    yield f"  key     {fault.key}"
    if not fault.is_shown:
        yield "  its cue sheet passes: it depends on something outside of the scene, such as a variable of a module"
    if files is not None and fault.key in files:
        yield f"  shown by {files[fault.key]}"
    else:
        lines = "\n".join(line for line in fault.sheet.splitlines() if not line.startswith("# "))
        yield from (f"    {line}".rstrip() for line in lines.rstrip().splitlines())


def never(found: Exploration) -> Iterator[str]:
    """Yield what was never reached."""
    if not found.untried:
        return
    yield ""
    yield "never reached:"
    for form in found.behaviour.forms:
        for way in found.behaviour.untried(form):
            verb, *words = found.behaviour.step(way)
            times = found.times(way)
            tried = f"tried '{' '.join([verb, *words[:1]])}' {count(times, 'time')}" if times else "not tried"
            yield f"  {form}: {about(way, found.behaviour)} (try: {' '.join(written(verb, words).split())}; {tried})"


def proven(found: Exploration) -> Iterator[str]:
    """Yield what isn't proven."""
    yield ""
    if not found.new:
        yield "No fault was found. There may be some all the same: other texts, times and records weren't tried."
    for each in found.unproven:
        yield f"not proven: {each}"
