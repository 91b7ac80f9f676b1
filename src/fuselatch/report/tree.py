"""The trace as a tree: each entry below its cause."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from fuselatch.core.model.trace import TraceEntry
from fuselatch.core.model.words import phrase, place


@dataclass(slots=True, eq=False)
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


def fold(root: Branch) -> Branch | None:
    """Put events without effects on their parent's line; return None for a mere key. Long loops are one line."""
    cut_loops(root)
    order = walk(root)
    gone: set[int] = set()
    # From the innermost out, without recursion: a chain may be as long as the trace.
    for branch in reversed(order):
        if branch.entry.kind == "event" and branch.entry.name == "typed" and not branch.below:
            gone.add(id(branch))
            continue
        quiet = [below for below in branch.below if below.entry.kind == "event" and not below.below]
        if branch.entry.kind in ("step", "change", "open") and quiet:
            branch.text += f" · {', '.join(event_name(branch, below) for below in quiet)}"
        else:
            quiet = []
        branch.below = [below for below in branch.below if below not in quiet and id(below) not in gone]
    return None if id(root) in gone else root


def walk(root: Branch) -> list[Branch]:
    """Return a branch and all below it; each comes after the one that it hangs on."""
    order = [root]
    for branch in order:
        order.extend(branch.below)
    return order


ROUNDS = 4
"""How often a loop is shown before the rest is folded."""


def cut_loops(root: Branch) -> None:
    """Fold the rest of each long loop: the same handler, at the same control, below itself again and again."""
    deepest: dict[int, tuple[int, Branch | None]] = {}
    for branch in reversed(walk(root)):
        longest = max(branch.below, key=lambda below: deepest[id(below)][0], default=None)
        deepest[id(branch)] = (0, None) if longest is None else (deepest[id(longest)][0] + 1, longest)
    order = [root]
    for branch in order:
        if branch.entry.kind == "handler":
            rounds = rounds_below(branch, deepest)
            if len(rounds) > ROUNDS + 1:
                rounds[ROUNDS - 1].below = [Branch(rounds[-1].entry, f"… {len(rounds) - ROUNDS} more rounds")]
        order.extend(branch.below)


def rounds_below(branch: Branch, deepest: Mapping[int, tuple[int, Branch | None]]) -> list[Branch]:
    """Return where the same handler runs again on the longest way down from a branch."""
    rounds: list[Branch] = []
    one, since, here = branch.entry, 0, deepest.get(id(branch), (0, None))[1]
    while here is not None and since < LOOP:
        other, since = here.entry, since + 1
        if other.kind == "handler" and (one.name, one.form, one.control) == (other.name, other.form, other.control):
            rounds.append(here)
            since = 0
        here = deepest.get(id(here), (0, None))[1]
    return rounds


LOOP = 40
"""The most entries of one round."""


def event_name(branch: Branch, below: Branch) -> str:
    """Return an event's name, with its control if that differs from its parent's."""
    return below.entry.name if place(below.entry) == place(branch.entry) else below.text


def lines(branches: Sequence[Branch], indent: str = "") -> Iterator[tuple[str, Branch]]:
    """Yield the tree line by line: what to draw before a branch, and the branch."""
    waiting = [(branch, indent, at == len(branches) - 1) for at, branch in enumerate(branches)][::-1]
    while waiting:
        branch, before, last = waiting.pop()
        yield before + ("└─ " if last else "├─ "), branch
        inside = before + ("   " if last else "│  ")
        end = len(branch.below) - 1
        waiting += [(below, inside, at == end) for at, below in enumerate(branch.below)][::-1]


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
