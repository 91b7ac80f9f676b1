"""Explore a scene: split the budget into parts, search each, and put together what they found."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import CancelledError, Executor, Future, ProcessPoolExecutor, wait
from contextlib import AbstractContextManager, contextmanager, nullcontext, redirect_stdout, suppress
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path
from time import monotonic, time
from typing import Any, Final, NamedTuple

from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.json_text import Plain
from fuselatch.exploring.faults import KINDS, Fault, Tried, cue_lines
from fuselatch.exploring.search import Search
from fuselatch.exploring.sheets import sheets_in, words_in
from fuselatch.exploring.world import Start, load_start
from fuselatch.rehearsal.cues import CueError, read_cues
from fuselatch.rehearsal.loading import importing_from, load
from fuselatch.rehearsal.recorder import heading, origin_of
from fuselatch.rehearsal.run import run_cues
from fuselatch.report.behaviour import Behaviour
from fuselatch.report.behaviour import Tried as Way

GESTURES: Final = 100_000
PART: Final = 25_000
"""How many gestures one search makes. A larger budget has several, each with its own seed, in however many processes."""
SEED: Final = 7
LOOK: Final = 0.25
"""Seconds between two looks at how many gestures other processes have made."""


@dataclass(slots=True)
class Exploration:
    """The result of exploring.

    `faults`: the errors and notes, the most severe kinds first. `gestures`, `states`: how many were made and found.
    `behaviour`: what was tried, and what never. `cut`: what ended it before its budget was used up, or "". `unproven`: more
    that isn't proven. `opens`: how its cue sheets begin. `made`: how often each gesture was chosen, by form, verb and
    control.
    """

    scene: str
    seed: int
    wanted: int
    gestures: int = 0
    states: int = 0
    seconds: float = 0
    faults: list[Fault] = field(default_factory=list)
    behaviour: Behaviour = field(default_factory=Behaviour)
    cut: str = ""
    unproven: list[str] = field(default_factory=list)
    opens: tuple[str, ...] = ()
    made: Counter[tuple[str, str, str]] = field(default_factory=Counter)

    @property
    def new(self) -> list[Fault]:
        """The faults that are errors, and aren't known."""
        return [fault for fault in self.faults if not fault.is_note and not fault.reason]

    @property
    def untried(self) -> list[Way]:
        """The behaviour that was never reached: handlers, prompts and answers, ways to close, rules and checks."""
        return [way for form in self.behaviour.forms for way in self.behaviour.untried(form)]

    def times(self, way: Way) -> int:
        """Return how often the search did what a step that tries some behaviour does, to that control."""
        verb, *words = self.behaviour.step(way)
        # An undeclared prompt is known by its text.
        prompt = way.name if way.kind == "answer" and not way.name.startswith("'") else ""
        return self.made[way.form, verb, f"{prompt} {words[0] if words else ''}".strip()]

    def to_dict(self) -> Plain:
        """Return everything as plain dicts, lists and text, for JSON."""
        return {
            "version": 1, "scene": self.scene, "seed": self.seed, "gestures": self.gestures, "states": self.states,
            "cut": self.cut, "faults": [fault.to_dict() for fault in self.faults],
            "never": [
                {**way._asdict(), "step": list(self.behaviour.step(way)), "times": self.times(way)} for way in self.untried
            ],
            "unproven": self.unproven,
        }  # fmt: skip


def explore(
    scene: object,
    *,
    gestures: int = GESTURES,
    seconds: float | None = None,
    seed: int = SEED,
    processes: int = 1,
    executor: Executor | None = None,
    cues: Path | str | None = None,
    known: Mapping[str, str] | None = None,
    progress: Callable[[int, int], None] = lambda done, of: None,
) -> Exploration:
    """Search a scene for faults: make gestures at its form and at everything that it opens, and see their effects.

    `scene`: a scene function or a form class. `gestures`: how many are made, those that repeat others included. `seconds`:
    an end before that; what it cuts isn't the same from run to run. `seed`: the same seed and gestures find the same faults.
    `processes`: how many run at once; more than one needs a scene that can be imported. `executor`: runs the parts in its
    place, such as a `concurrent.futures` pool or a cluster's client. `cues`: a folder of cue sheets; what they enter is
    entered as well. `known`: reasons by the key of a fault that is accepted. `progress`: called now and then with the
    gestures made and how many they will be; with an executor, after each of its parts.

    Nothing is written to the scene's own store, and nothing is sent. Raises `LoadError` and `CueError` for a scene or sheets
    that can't be read, and `ValueError` for numbers below 1.
    """
    for name, number in (("gestures", gestures), ("processes", processes)):
        if number < 1:
            raise ValueError(f"explore(…): {name}={number}; use 1 or more")
    began = monotonic()
    until = time() + seconds if seconds is not None else None
    words = words_in(Path(cues)) if cues is not None else {}
    sizes = [min(PART, gestures - start) for start in range(0, gestures, PART)]
    with found_in(scene), unheard():
        # Before the search, so that each cue sheet is tried as the first one was found.
        start = load_start(loaded(scene))
    parts = [Part(scene, f"{seed}/{at}", size, until, words) for at, size in enumerate(sizes)]
    tried: list[Tried] = []
    for part in run_parts(parts, processes, executor, lambda made: progress(min(made, gestures), gestures)):
        tried.append(part)
    exploration = together(name_of_scene(scene), seed, gestures, tried, known or {})
    with found_in(scene), unheard():
        exploration.opens = opening_lines(loaded(scene))
        if cues is not None:
            # What cue sheets try counts as well.
            for sheet in sheets_in(Path(cues)):
                with suppress(CueError):
                    run_cues(sheet, observers=(exploration.behaviour,), is_apart=True)
    exploration.seconds = monotonic() - began
    if len(tried) < len(parts):
        exploration.cut = exploration.cut or "it was stopped"
    for fault in exploration.faults:
        write_sheet(fault, exploration, scene, start)
    start.restore()
    return exploration


# ---- parts


class Part(NamedTuple):
    """One search: of what, its seed and its gestures; a time at which it ends; what cue sheets enter, by control."""

    scene: object
    seed: str
    gestures: int
    until: float | None
    words: Mapping[str, Sequence[str]]


def run_parts(
    parts: Sequence[Part], processes: int, executor: Executor | None, progress: Callable[[int], None]
) -> Iterator[Tried]:
    """Yield what each part tried, in order, and tell how many gestures they made.

    Ctrl-C ends those that run, and what they found counts.
    """
    made = 0
    if executor is None and (processes == 1 or len(parts) == 1):
        for part in parts:
            tried = search(part, after(made, progress))
            yield tried
            made += tried.gestures
            if tried.cut == "it was stopped":
                return
        return
    context = get_context("spawn")
    # Without a lock, which would need a semaphore of the system: each part has a number of its own.
    fed: Any = context.RawArray("q", len(parts))
    own = ProcessPoolExecutor(min(processes, len(parts)), context, initializer=count_in, initargs=(fed,))
    with nullcontext(executor) if executor is not None else own as running:
        assert running is not None
        futures: list[Future[Tried]] = [
            running.submit(search, part) if executor is not None else running.submit(counted, part, at)
            for at, part in enumerate(parts)
        ]
        for future in futures:
            try:
                while executor is None and not wait([future], timeout=LOOK).done:
                    progress(sum(fed))
                future.exception()
            except KeyboardInterrupt:
                # Those that run have got it as well, and end soon.
                for each in futures:
                    each.cancel()
            except CancelledError:
                continue
            if not future.cancelled():
                tried = future.result()
                made += tried.gestures
                progress(sum(fed) if executor is None else made)
                yield tried


def after(before: int, progress: Callable[[int], None]) -> Callable[[int], None]:
    """Return a function that tells the gestures of a part together with those before it."""
    return lambda made: progress(before + made)


_fed: Any = None
"""How many gestures each part of a pool has made: numbers that its processes share."""


def count_in(fed: object) -> None:
    """Begin a process of a pool."""
    global _fed
    _fed = fed


def counted(part: Part, at: int) -> Tried:
    """Make one search in a process of a pool, and tell its gestures at its place in the numbers that they share."""

    def progress(made: int) -> None:
        _fed[at] = made

    return search(part, progress)


def search(part: Part, progress: Callable[[int], None] = lambda made: None) -> Tried:
    """Make one search. A scene that is told by its name is imported: "saltmarsh.scenes:quiet_monday"."""
    with found_in(part.scene), unheard():
        start = load_start(loaded(part.scene))
        return Search(start, part.seed, part.gestures, part.until, part.words).run(progress)


@contextmanager
def unheard() -> Iterator[None]:
    """Drop what handlers print within the block: a search runs them thousands of times, and prints its own report."""
    with open(os.devnull, "w", encoding="utf-8") as nowhere, redirect_stdout(nowhere):
        yield


def found_in(scene: object) -> AbstractContextManager[None]:
    """Let imports find a scene's modules within the block, if it is told by its name."""
    return importing_from(scene.folders, also=scene.also) if isinstance(scene, Named) else nullcontext()


def loaded(scene: object) -> object:
    """Return a scene function or form class."""
    return load(scene.name, "form or scene") if isinstance(scene, Named) else scene


@dataclass(frozen=True, slots=True)
class Named:
    """A scene that is told to other processes by its name, with the folders where it is found."""

    name: str
    folders: tuple[Path, ...] = ()
    also: tuple[Path, ...] = ()


def together(scene: str, seed: int, wanted: int, tried: Iterable[Tried], known: Mapping[str, str]) -> Exploration:
    """Put together what the parts found: of faults with the same key, the one with the shortest way."""
    exploration = Exploration(scene, seed, wanted)
    faults: dict[str, Fault] = {}
    accepted: set[str] = set()
    unaccepted: dict[str, None] = {}
    refused: dict[str, None] = {}
    without_result: dict[str, None] = {}
    for part in tried:
        exploration.gestures += part.gestures
        exploration.states += part.states
        exploration.made.update(part.made)
        exploration.cut = exploration.cut or part.cut
        if part.behaviour:
            exploration.behaviour.add(part.behaviour)
        accepted.update(part.accepted)
        unaccepted.update(dict.fromkeys(part.unaccepted))
        refused.update(dict.fromkeys(part.refused))
        without_result.update(dict.fromkeys(part.without_result))
        for fault in part.faults:
            before = faults.get(fault.key)
            if before is None or len(fault.acts) < len(before.acts):
                faults[fault.key] = fault
    exploration.unproven.extend(f"{form} was never accepted" for form in unaccepted if form not in accepted)
    exploration.unproven.extend(
        f"{name} has no stand-in, so its calls were refused; give one: Scene(…, explored={{{name}: …}})" for name in refused
    )
    exploration.unproven.extend(
        f"{name} never returned: give it a return type, or a stand-in, Scene(…, slow_calls_by={{{name}: …}})"
        for name in without_result
    )
    order = [*KINDS]
    exploration.faults = sorted(faults.values(), key=lambda fault: (order.index(fault.kind), fault.key))
    # What a first search couldn't get rid of, a later walk may have.
    lifted = {f"refusal {form}" for form in accepted}
    exploration.faults = [fault for fault in exploration.faults if fault.key.partition(".")[0] not in lifted]
    for fault in exploration.faults:
        fault.reason = known.get(fault.key, "")
    exploration.unproven.extend(f"the known fault '{key}' wasn't found" for key in known if key not in faults)
    return exploration


# ---- cue sheets


def name_of_scene(scene: Any) -> str:
    """Return the name of a scene in a report."""
    return scene.name if isinstance(scene, Named) else f"{scene.__module__}:{scene.__qualname__}"


def opening_lines(scene: Any) -> tuple[str, ...]:
    """Return the first lines of the cue sheets: what they open."""
    if isinstance(scene, type):
        return (origin_of("form", scene),)
    return tuple(heading(scene(), origin_of("scene", scene)))[:1]


def write_sheet(fault: Fault, found: Exploration, scene: object, start: Start) -> None:
    """Write a fault's cue sheet, and see that it shows the fault when it is run in a scene that is made afresh."""
    fault.sheet = "\n".join(cue_lines(fault, found.opens)) + "\n"
    if fault.is_note or fault.kind == "endless":
        return
    try:
        with suppress(KeyboardInterrupt), found_in(scene), unheard():
            start.restore()
            fault.is_shown = run_cues(read_cues(fault.sheet, "fault.cues"), is_apart=True).failed > 0
    except (CueError, FuseLatchError):
        fault.is_shown = False
