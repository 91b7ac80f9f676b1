"""The trace as a tree: each entry below its cause."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from fuselatch.core.model.trace import TraceEntry
from fuselatch.core.model.words import phrase, place


@dataclass(slots=True)
class Branch:
    """One line of the tree."""

    entry: TraceEntry
    text: str
    below: list[Branch] = field(default_factory=list)


def grow(entries: Sequence[TraceEntry], trace: Sequence[TraceEntry] = ()) -> list[Branch]:
    """Return some entries of the trace as branches.

    Gestures are left out, because the caller prints the step. Events without effects are on the line of their cause. Effects
    of an earlier entry of `trace` are below a line that says what resumes.
    """
    by_number: dict[int, Branch] = {}
    roots: list[Branch] = []
    for entry in entries:
        branch = by_number[entry.number] = Branch(entry, phrase(entry))
        if entry.cause and entry.cause not in by_number and entry.cause <= len(trace):
            earlier = trace[entry.cause - 1]
            by_number[entry.cause] = Branch(earlier, f"resumes {phrase(earlier).removeprefix('runs ')}")
            roots.append(by_number[entry.cause])
        cause = by_number.get(entry.cause)
        (roots if cause is None else cause.below).append(branch)
    shown: list[Branch] = []
    for root in roots:
        shown.extend(root.below if root.entry.kind == "gesture" and root.entry.cause == 0 else [root])
    return [folded for branch in shown if (folded := fold(branch)) is not None]


def fold(branch: Branch) -> Branch | None:
    """Put events without effects on their parent's line; return None for a mere key."""
    if branch.entry.kind == "event" and branch.entry.name == "typed" and not branch.below:
        return None
    quiet = [below for below in branch.below if below.entry.kind == "event" and not below.below]
    if branch.entry.kind in ("step", "change", "open") and quiet:
        branch.text += f" · {', '.join(event_name(branch, below) for below in quiet)}"
    else:
        quiet = []
    branch.below = [kept for below in branch.below if below not in quiet and (kept := fold(below)) is not None]
    return branch


def event_name(branch: Branch, below: Branch) -> str:
    """Return an event's name, with its control if that differs from its parent's."""
    return below.entry.name if place(below.entry) == place(branch.entry) else below.text


def lines(branches: Sequence[Branch], indent: str = "") -> Iterator[tuple[str, Branch]]:
    """Yield the tree line by line: what to draw before a branch, and the branch."""
    for at, branch in enumerate(branches):
        last = at == len(branches) - 1
        yield indent + ("└─ " if last else "├─ "), branch
        yield from lines(branch.below, indent + ("   " if last else "│  "))


def story(trace: Sequence[TraceEntry]) -> str:
    """Return a whole trace as text: each gesture with its effects. Typing is one line."""
    described: list[str] = []
    gestures = [at for at, entry in enumerate(trace) if entry.kind == "gesture"]
    below: list[Branch] = []
    for start, end in zip(gestures, [*gestures[1:], len(trace)], strict=True):
        entry = trace[start]
        below += grow(trace[start:end], trace)
        following = trace[end] if end < len(trace) else None
        if following is None or not typing_on(entry, following):
            described.append(phrase(entry))
            described.extend(f"{guide}{branch.text}" for guide, branch in lines(below))
            below = []
    return "\n".join(described)


def typing_on(entry: TraceEntry, following: TraceEntry) -> bool:
    """Return True if a gesture is the next key at the same control."""
    typing = entry.name.startswith("type ") and following.name.startswith("type ")
    return typing and (entry.form, entry.control) == (following.form, following.control)
