"""Walks: what one search does, guided by what was never tried and by the states that are new.

Theory of operation
-------------------
A walk starts at the opening, or at a state that was reached before: then the gestures that reached it are made again, in a
new world (`world`). From there on, each step is chosen among what the user can do. Six times of ten it is constructive: it
answers a prompt, fills an entry that is refused, or else presses a button. Otherwise it is any gesture, preferring those
that were made less often. A state that is new is kept with the gestures that reached it.

Everything that is chosen comes from one source of chance, and nothing is taken from a set, so that the same seed does the
same in each process.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from random import Random
from time import time
from typing import Any, Final, NamedTuple, Protocol

from fuselatch.core.engine.looking.possible import Act
from fuselatch.core.engine.questions import entries_of
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.form import plan_of
from fuselatch.core.model.choices import fold_of
from fuselatch.core.model.errors import Refused, UnknownName
from fuselatch.core.model.outcome import ACCEPTED
from fuselatch.exploring.values import Values
from fuselatch.exploring.world import NeverEnds, Start, TimeFuse, World
from fuselatch.report.behaviour import Behaviour
from fuselatch.report.behaviour import Tried as Way

CONSTRUCTIVE: Final = 0.6
"""How often a step fills what is refused, or else presses or answers."""
LENGTH: Final = 30
"""The most steps of a walk after its start."""
FROM_OPENING: Final = 0.3
"""How often a walk starts at the opening."""
ENTERING: Final = frozenset({"type", "pick", "tick", "untick"})
PRESSING: Final = frozenset({"press", "answer", "record", "finish"})


class Coverage(Behaviour):
    """The behaviour tried, and how much of it is new since it was asked for last."""

    def __init__(self) -> None:
        super().__init__()
        self.news = 0
        self.blank: list[tuple[OpenForm, tuple[str, ...]]] = []
        # What an entry held when its form was last accepted, by form and control.
        self.taken: dict[tuple[str, str], str] = {}
        # The forms that were accepted, in their order.
        self.accepted: dict[str, None] = {}

    def closed(self, form: OpenForm, verdict: str) -> None:
        super().closed(form, verdict)
        if verdict == ACCEPTED:
            self.accepted[type(form).__name__] = None
            entries = [each for each in entries_of(form) if each.is_input]
            for each in entries:
                text = getattr(each.live, "text", "")
                if text:
                    self.taken[type(form).__name__, each.name] = text
            names = tuple([each.name for each in entries if each.required is True and each.usable and each.is_blank])
            if names:
                self.blank.append((form, names))

    def taken_blank(self, world: World) -> list[tuple[str, str]]:
        """Return the forms that were accepted in a world, each with a required entry that was blank; forget the rest."""
        taken = [(form, names) for form, names in self.blank if belongs_to(form, world)]
        self.blank.clear()
        return [(type(form).__name__, name) for form, names in taken for name in names]

    def _add(self, tried: Way, times: int = 1) -> None:
        if self.counts.get(tried) == 0:
            self.news += 1
        super()._add(tried, times)

    def take_news(self) -> int:
        """Return how much is new since the last call."""
        news, self.news = self.news, 0
        return news


def belongs_to(form: Any, world: World) -> bool:
    """Return True if a form is one of a world's session."""
    return form.session is world.session


def is_unusable(world: World, error: BaseException | None) -> bool:
    """Return True if a world is in no state to continue from: its handler was ended by force, or the library failed."""
    return isinstance(error, NeverEnds | SystemExit) or world.session.is_broken


class State(NamedTuple):
    """A state that was reached: the one before, the gesture, and how many there were."""

    before: State | None
    act: Act
    depth: int

    def path(self) -> list[Act]:
        """Return the gestures that reached it."""
        acts: list[Act] = []
        here: State | None = self
        while here is not None and here.depth:
            acts.append(here.act)
            here = here.before
        return acts[::-1]


OPENING: Final = State(None, ("", "", ""), 0)


class Budget:
    """How many gestures may still be fed, and until when."""

    def __init__(self, gestures: int, until: float | None = None) -> None:
        self.left = gestures
        self.fed = 0
        self.until = until
        self.cut = ""

    @contextmanager
    def beyond(self, gestures: int) -> Iterator[None]:
        """Let so many gestures be fed within the block, whatever is left: a fault that is found is worth showing well."""
        before, self.left = self.left, gestures
        try:
            yield
        finally:
            self.left = before - (gestures - self.left)

    def take(self) -> None:
        """Count a gesture."""
        self.left -= 1
        self.fed += 1

    @property
    def is_over(self) -> bool:
        """True once no more may be fed."""
        if self.left <= 0 or self.cut:
            return True
        if self.until is not None and time() > self.until:
            self.cut = "the time was over"
        return bool(self.cut)


class Watcher(Protocol):
    """Whoever is told what happens on a walk."""

    def met(self, world: World, error: BaseException) -> None:
        """The last gesture raised an error."""

    def taken(self, world: World) -> None:
        """A form was accepted with something blank."""

    def looked(self, world: World, has_news: bool) -> None:
        """A new state is reached; `has_news`: something was tried for the first time."""


class Walker:
    """Walks through a scene: chooses gestures, makes them, and knows the states that they reach."""

    def __init__(self, start: Start, seed: str, budget: Budget, fuse: TimeFuse, words: Mapping[str, Sequence[str]]) -> None:
        self.start = start
        self.draw = Random(seed)
        self.budget = budget
        self.fuse = fuse
        self.coverage = Coverage()
        self.states: dict[bytes, State] = {}
        self.order: list[State] = []
        self.visits: list[int] = []
        self.made: dict[tuple[str, str, str, str], int] = {}
        self.stuck: set[Act] = set()
        # The services whose calls were refused in walks, also where a handler has caught that.
        self.withheld: dict[str, None] = {}
        self.words = words
        self.values: Values | None = None
        self.watcher: Watcher | None = None

    # ---- worlds

    def open(self) -> World:
        """Return a new world. Raises what opening raises."""
        self.fuse.begin()
        try:
            world = self.start.open((self.coverage,))
        finally:
            self.fuse.end()
        if self.values is None:
            self.values = Values(world.session.formats, self.words)
        return world

    def feed(self, world: World, act: Act) -> BaseException | None:
        """Do something in a world; return what it raised."""
        self.budget.take()
        fuse = self.fuse
        fuse.begin()
        error = world.attempt(act)
        fuse.end()
        if error is not None and self.watcher is not None and not isinstance(error, Refused | UnknownName):
            self.watcher.met(world, error)
        return error

    def replay(self, acts: Sequence[Act]) -> tuple[World, BaseException | None]:
        """Do gestures in a new world; return it with the error of the last. One that is refused is left out."""
        world = self.open()
        error: BaseException | None = None
        for act in acts:
            error = self.feed(world, act)
        return world, error

    # ---- walks

    def walk(self, watcher: Watcher) -> None:
        """Take one walk, and tell the watcher its effects."""
        at = self._begin()
        here = OPENING if at < 0 else self.order[at]
        world, _ = self.replay(here.path())
        try:
            for _ in range(LENGTH):
                if self.budget.is_over or world.is_over:
                    break
                chosen = self.choose(world)
                if chosen is None:
                    break
                act = chosen
                error = self.feed(world, act)
                if isinstance(error, Refused | UnknownName):
                    continue
                here = State(here, act, here.depth + 1)
                if is_unusable(world, error):
                    break
                if self.coverage.blank:
                    watcher.taken(world)
                news = self.coverage.take_news()
                mark = world.fingerprint()
                if mark not in self.states:
                    self.states[mark] = here
                    self.order.append(here)
                    self.visits.append(-news)
                    watcher.looked(world, news > 0)
        finally:
            self.withheld.update(dict.fromkeys(world.outside.refused))
            world.close()

    def _begin(self) -> int:
        """Return where a walk starts: the place of a state, or -1 for the opening."""
        if not self.order or self.draw.random() < FROM_OPENING:
            return -1
        drawn = [self.draw.randrange(len(self.order)) for _ in range(4)]
        best = min(drawn, key=lambda at: (self.visits[at], self.order[at].depth))
        self.visits[best] += 1
        return best

    def choose(self, world: World) -> Act | None:
        """Return what to do next, or None if there is nothing."""
        acts = [act for act in world.possible() if act not in self.stuck] if self.stuck else world.possible()
        if not acts:
            return None
        front = world.session.front_form
        form = type(front).__name__ if front is not None else ""
        wanted = acts
        if self.draw.random() < CONSTRUCTIVE:
            refused = world.session.refused_entries()
            if refused:
                wanted = [act for act in acts if act[1] in refused and act[0] in ENTERING] or acts
            else:
                wanted = [act for act in acts if act[0] in PRESSING] or acts
        one, other = self.draw.choice(wanted), self.draw.choice(wanted)
        made = self.made
        # Prompts may have the same buttons.
        about = world.session.asked_as
        first, second = ((form, act[0], act[1] or (about if act[0] == "answer" else ""), act[2]) for act in (one, other))
        act, key = (one, first) if made.get(first, 0) <= made.get(second, 0) else (other, second)
        made[key] = made.get(key, 0) + 1
        if act[0] == "type":
            act = self.with_text(world, act)
            return act if act not in self.stuck else ("tab", "", "")
        return act

    def made_in_all(self) -> dict[tuple[str, str, str], int]:
        """Return how often gestures were chosen, by form, verb and control, or the text of those that need no control."""
        counts: dict[tuple[str, str, str], int] = {}
        for (form, verb, control, text), times in self.made.items():
            key = form, verb, f"{control} {text}".strip() if verb == "answer" else control or text
            counts[key] = counts.get(key, 0) + times
        return counts

    def with_text(self, world: World, act: Act) -> Act:
        """Return an entry with a text: one of the first half of those that are known, or any."""
        texts = self.texts(world, act[1])
        if not texts:
            return act
        few = max(1, len(texts) // 2) if self.draw.random() < 0.5 else len(texts)
        return act[0], act[1], texts[self.draw.randrange(few)]

    def texts(self, world: World, name: str) -> tuple[str, ...]:
        """Return the texts to try in an entry of the front form."""
        front = world.session.front_form
        if front is None or self.values is None:
            return ()
        plan = plan_of(front)
        params = {name: front.__dict__.get(name) for name in plan.params}
        return self.values.texts(plan, world.session.entry(name).plan, params)


def fitting(walker: Walker, world: World, name: str, attempt: int) -> Act:
    """Return the step that fills an entry, with one of the texts or items that are likely to fit.

    The first is what it held when its form was last accepted.
    """
    entry = world.session.entry(name)
    if "tick" in entry.accepts:
        return ("untick" if entry.value is True else "tick"), name, ""
    before = walker.coverage.taken.get((type(world.session.front).__name__, name), "")
    items = entry.choices
    if items is not None:
        if before and attempt == 0 and items.find(before, fold_of(world.session.formats)):
            return "pick", name, before
        if len(items):
            return "pick", name, items.texts[attempt % min(len(items), 12)]
    texts = ((before,) if before else ()) + walker.texts(world, name)
    return "type", name, texts[attempt % len(texts)] if texts else "x"
