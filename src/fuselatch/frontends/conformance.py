"""Play cue sheets through a front end, and find what it does differently from a rehearsal without a screen."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import zip_longest
from typing import Final

from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.trace import Trace, TraceEntry
from fuselatch.core.model.words import phrase
from fuselatch.journal.boundary import opened, real
from fuselatch.rehearsal.cues import CueSheet
from fuselatch.rehearsal.folding import Fed
from fuselatch.rehearsal.grammar import step_and_reason
from fuselatch.rehearsal.run import desk_for, run_cues
from fuselatch.scenes import NOW, Scene

EFFECTS: Final = frozenset(
    ("event", "handler", "change", "finding", "prompt", "answer", "open", "close", "write", "latch", "block", "skip")
)
"""The kinds of trace entries that must be the same, however the user comes to them."""


@dataclass(frozen=True, slots=True)
class Played:
    """A cue sheet that was played through a front end.

    `trace`: of its session. `fed`: what the front end fed, in order, as `FedGestures` keeps it.
    """

    trace: Trace
    fed: Sequence[Fed]


def scene_of(sheet: CueSheet) -> Scene:
    """Return the scene that a cue sheet opens, with its user, time and locale. Raises `CueError`."""
    return desk_for(sheet, None).scene


def differences(sheet: CueSheet, play: Callable[[Scene, CueSheet], Played]) -> Iterator[str]:
    """Yield what differs, one line each; nothing if the front end does the same.

    `play` opens the scene in the front end, does the sheet's steps there (`steps_of`) as a user would, and returns what
    came of it. Its clock stands, but for the sheet's `wait`. Three things are looked at: the sheet itself
    passes, its effects are the same as without a front end, and what was fed gives the same trace, entry by entry, when
    it is fed again.
    """
    headless = run_cues(sheet)
    yield from headless.problems
    played = play(scene_of(sheet), sheet)
    where = first_difference(effects(headless.trace), effects(played.trace))
    if where:
        yield f"{sheet.title}: {where}"
    where = first_difference(fed_again(sheet, played).to_jsonl().splitlines(), played.trace.to_jsonl().splitlines())
    if where:
        yield f"{sheet.title}: fed again: {where}"


def steps_of(sheet: CueSheet) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Yield each step that the user makes, with its words. `expect failed STEP` makes its step as well."""
    for cue in sheet.steps:
        words = list(cue.texts())
        if cue.verb != "expect":
            yield cue.verb, tuple(words)
        elif "failed" in words[: 1 + (words[0] == "not")]:
            verb, *rest = step_and_reason(words[words.index("failed") + 1 :])[0]
            yield verb, tuple(rest)


def effects(trace: Iterable[TraceEntry]) -> list[str]:
    """Return what came of the steps, without the steps themselves and the pointer."""
    return [phrase(entry) for entry in trace if entry.kind in EFFECTS and entry.name not in ("hovered", "unhovered")]


def fed_again(sheet: CueSheet, played: Played) -> Trace:
    """Return the trace of a session that is fed the same at the same times."""
    scene = scene_of(sheet)
    now = scene.begins or NOW
    session = opened(scene, real(scene), lambda: now)
    for fed in played.fed:
        now = fed.at or now
        try:
            session.feed(Gesture(verb="time") if fed.gesture.verb == "wait" else fed.gesture)
        except FuseLatchError:
            # It is in the trace.
            continue
    trace: Trace = session._state.trace
    return trace


def first_difference(expected: Sequence[str], found: Sequence[str]) -> str:
    """Return where two lists of lines differ first, or ""."""
    for at, (one, other) in enumerate(zip_longest(expected, found), 1):
        if one != other:
            return f"{at}: expected {one!r}, but it is {other!r}"
    return ""
