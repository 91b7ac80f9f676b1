"""One search: walks, and at sampled states the probes; each fault is shortened as soon as it is found."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from types import TracebackType
from typing import Final

from fuselatch.core.engine.looking.possible import Act
from fuselatch.core.engine.rules.afresh import Differing
from fuselatch.core.engine.state.failure import frames_of, package_of
from fuselatch.core.forms.form import Form, controls_of
from fuselatch.core.model.errors import (
    CallCancelled,
    EffectFailed,
    EngineFailed,
    FuseBlown,
    FuseLatchError,
    HandlerFailed,
    TimedOut,
    describe,
)
from fuselatch.core.model.locale_formats import PlainFormats
from fuselatch.core.model.outcome import ACCEPTED
from fuselatch.core.model.service_map import NoStandIn
from fuselatch.core.model.trace_rows import freeze
from fuselatch.core.model.values import short_text, shown_as
from fuselatch.core.model.words import value_text
from fuselatch.exploring.faults import NO_CONNECTION, Fault, Tried, step_of
from fuselatch.exploring.probing import (
    TRIES,
    drive,
    either_order,
    is_accepting,
    leaves,
    shortest,
)
from fuselatch.exploring.walking import ENTERING, OPENING, Budget, Walker
from fuselatch.exploring.world import NO_LINE, NeverEnds, Start, TimeFuse, World
from fuselatch.rehearsal.grammar import ENDS_CALLS
from fuselatch.report.cue_words import written

MOST_TRIES: Final = 250
"""How often gestures are left out to shorten what led to an error."""
PLAIN: Final = PlainFormats()
GESTURE_SECONDS: Final = 2.0
"""Seconds that a gesture may take."""
PROBES: Final = 0.4
"""How much of the budget goes to probes, once they have had the first `SPARE` gestures."""
SPARE: Final = 1_500
BEYOND: Final = 8_000
"""How many gestures may be made beyond the budget to shorten a fault."""
EACH_STATES: Final[Mapping[str, int]] = {"leave": 30, "accept": 60, "afresh": 15, "order": 40}
"""After how many new states each probe is made."""


class Search:
    """One search of a scene, with the faults that it found, by key."""

    def __init__(
        self, start: Start, seed: str, gestures: int, until: float | None, words: Mapping[str, Sequence[str]]
    ) -> None:
        self.fuse = TimeFuse(GESTURE_SECONDS)
        self.budget = Budget(gestures, until)
        self.walker = Walker(start, seed, self.budget, self.fuse, words)
        self.faults: dict[str, Fault] = {}
        # The forms that were in front, and if they could be accepted; those that a button closes so.
        self.forms: dict[str, bool] = {}
        self.closing: set[str] = set()
        self.unaccepted: list[str] = []
        # The services whose calls were refused.
        self.withheld: dict[str, None] = {}
        self.probed = 0
        self.is_shortening = False
        self.walker.watcher = self

    def run(self, progress: Callable[[int], None] = lambda made: None) -> Tried:
        """Search until the budget is used up, and tell after each walk how many gestures were made."""
        with self.fuse:
            try:
                if self.opens():
                    while not self.budget.is_over:
                        self.guarded(lambda: self.walker.walk(self))
                        progress(self.budget.fed)
            except KeyboardInterrupt:
                self.budget.cut = "it was stopped"
        walker = self.walker
        return Tried(
            self.budget.fed,
            len(walker.states),
            list(self.faults.values()),
            walker.coverage.to_dict(),
            self.budget.cut,
            [*walker.coverage.accepted],
            self.unaccepted,
            walker.made_in_all(),
            [*{**self.withheld, **walker.withheld}],
            [*walker.start.without_result],
        )

    def opens(self) -> bool:
        """Open the scene once; return False if its code fails then. Raises what isn't the fault of its code."""
        try:
            world = self.walker.open()
        except (HandlerFailed, EffectFailed, EngineFailed, NeverEnds, SystemExit) as error:
            if self.is_refused(error):
                self.unaccepted.append(self.walker.start.name)
            else:
                self.add(fault_of(error))
            return False
        self.walker.states[world.fingerprint()] = OPENING
        self.guarded(lambda: self.looked(world, True))
        world.close()
        return True

    def guarded(self, step: Callable[[], None]) -> None:
        """Do something that opens worlds. Opening may fail now and then, though it didn't at first."""
        try:
            step()
        except (FuseLatchError, NeverEnds, SystemExit) as error:
            self.budget.take()
            if self.is_refused(error):
                return
            fault = fault_of(error)
            # The time fuse may meet the search itself, as a gesture ends.
            if fault.where or not isinstance(error, NeverEnds):
                self.add(fault)

    def is_refused(self, error: BaseException) -> bool:
        """Return True if an error only says that a service has no stand-in, and note which, or how a slow call ended."""
        met = error.error if isinstance(error, HandlerFailed | EffectFailed) else error
        if isinstance(met, NoStandIn):
            self.withheld[met.service] = None
        # A slow call that fails and isn't caught is undone and told: `check` has a remark about it.
        is_no_line = isinstance(met, NO_CONNECTION) and str(met) == NO_LINE
        return is_no_line or isinstance(met, NoStandIn | CallCancelled | TimedOut)

    def add(self, fault: Fault) -> None:
        """Add a fault, if none with its key is known. Its cue sheet lets slow calls wait, as the search did."""
        if fault.key in self.faults:
            return
        self.faults[fault.key] = fault
        has_calls = any(way.kind == "call" for way in self.walker.coverage.counts)
        if has_calls and not any(verb in ENDS_CALLS for verb, _, _ in fault.acts):
            world, _ = self.walker.replay(fault.acts[:-1])
            if world.session.slow_calls:
                fault.ends = (*fault.ends, "expect  slow_call")
            world.close()

    # ---- what a walk tells

    def taken(self, world: World) -> None:
        """Add the faults of forms that were accepted though something was blank."""
        for form, entry in self.walker.coverage.taken_blank(world):
            self.blank(form, entry, list(world.done))

    def met(self, world: World, error: BaseException) -> None:
        """Add the fault that an error is."""
        if self.is_shortening or self.is_refused(error):
            return
        fault = fault_of(error)
        if fault.key in self.faults:
            return
        self.is_shortening = True
        *before, last = world.done
        endless = isinstance(error, NeverEnds)
        self.fuse.seconds = GESTURE_SECONDS / 4 if endless else GESTURE_SECONDS
        most = 30 if endless else MOST_TRIES
        acts = [*shortest(before, lambda fewer: self.raises([*fewer, last], fault.key), most), last]
        self.fuse.seconds = GESTURE_SECONDS
        if endless:
            # Each time that it doesn't end takes as long as the fuse waits, so what led to it isn't entered again.
            self.walker.stuck.add(next((act for act in reversed(acts) if act[0] in ENTERING), last))
        self.is_shortening = False
        fault.acts = tuple(acts)
        self.add(fault)

    def raises(self, acts: list[Act], key: str) -> bool:
        """Return True if the last of some gestures raises an error with a key."""
        world, error = self.walker.replay(acts)
        world.close()
        return error is not None and fault_of(error).key == key

    def looked(self, world: World, has_news: bool) -> None:
        """Probe a new state, if it is one of those that are sampled."""
        walker, path = self.walker, list(world.done)
        count = len(walker.states)
        session = world.session
        front = session.front_form
        if self.budget.is_over or session.is_broken:
            return
        if count % EACH_STATES["afresh"] == 0 or has_news:
            for finding in session.untracked():
                self.untracked(finding, path)
        if front is None or session.prompt is not None:
            return
        before = self.budget.fed
        if self.probed <= PROBES * before + SPARE:
            self.probe(world, front, path, has_news)
            self.probed += self.budget.fed - before

    def probe(self, world: World, front: Form, path: list[Act], has_news: bool) -> None:
        """Make the probes whose turn it is."""
        count = len(self.walker.states)
        name = type(front).__name__
        if name not in self.forms:
            self.forms[name] = False
            self.directed(world, front, path)
        if count % EACH_STATES["leave"] == 0 or has_news:
            self.leaving(name, path)
        if count % EACH_STATES["accept"] == 0:
            self.accepting(name, path)
        if count % EACH_STATES["order"] == 0:
            self.ordering(world, name, path)

    # ---- each kind

    def untracked(self, found: Differing, path: list[Act]) -> None:
        """Add the fault of a property whose rule reads what it isn't told about."""
        control = found.control
        place = f"{control.name}.{found.prop}" if control is not None else found.prop
        form = type(found.form.form).__name__
        key = f"untracked {form}.{place}"
        if key in self.faults:
            return
        shown, afresh = in_words(found.shown), in_words(found.afresh)

        def shows(acts: list[Act]) -> bool:
            world, _ = self.walker.replay(acts)
            try:
                return any(
                    each.prop == found.prop
                    and (each.control is None) == (control is None)
                    and (control is None or (each.control is not None and each.control.name == control.name))
                    for each in world.session.untracked()
                )
            finally:
                world.close()

        acts = shortest(path, shows) if shows(path) else path
        text = f"{form}.{place} is {shown}, and its rule returns {afresh} now: it reads what it isn't told about"
        place = place if control is not None else "title"
        self.add(Fault("untracked", key, text, tuple(acts), (written("expect", [place, *afresh_words(found)]),)))

    def blank(self, form: str, entry: str, path: list[Act]) -> None:
        """Add the fault of a form that was accepted though something required is blank."""
        key = f"blank {form}.{entry}"
        if key in self.faults:
            return

        def shows(acts: list[Act]) -> bool:
            world, _ = self.walker.replay(acts)
            world.close()
            return (form, entry) in self.walker.coverage.taken_blank(world)

        text = f"{form} is accepted though {entry} is required and blank"
        self.add(Fault("blank", key, text, tuple(shortest(path, shows)), (f"expect  open {form}",)))

    def directed(self, world: World, form: Form, path: list[Act]) -> None:
        """Try to accept a form that is in front for the first time: as it is, and with each required entry blank."""
        name, walker = type(form).__name__, self.walker
        entries = world.session.entries(form)
        if not any(map(is_accepting, entries)):
            return
        if any(each.closes == ACCEPTED for each in entries):
            self.closing.add(name)
        driven = drive(walker, path, tries=2 * TRIES)
        self.forms[name] = driven.accepted
        if not driven.accepted:
            self.refused(name, path, driven.refused, driven.acts)
        needed = [each for each in entries if each.is_input and each.plan.decl.constants.get("required")]
        for control in needed:
            can_type = control.typable
            # As it is, which is blank unless it has a default; and as people leave it who don't want to enter anything.
            for first in [[], *([("type", control.name, text)] for text in ("", " ") if can_type)]:
                acts = [*path, *first]
                driven = drive(walker, acts, frozenset({control.name}), 1)
                for kind, entry in driven.blank:
                    self.blank(kind, entry, [*acts, *driven.acts])

    def refused(self, name: str, path: list[Act], stayed: Sequence[str], acts: Sequence[Act]) -> None:
        """Add the fault of a refusal that stays whatever is entered."""
        if not stayed:
            self.unaccepted.append(name)
            return
        for entry in stayed[:1]:
            key = f"refusal {name}.{entry}"
            world, _ = self.walker.replay([*path, *acts])
            try:
                marker = self.marker(world, entry)
            finally:
                world.close()
            text = f"{name} can't be accepted: {entry} stays refused{f' ({marker})' if marker else ''}"

            def shows(fewer: list[Act], entry: str = entry) -> bool:
                world, _ = self.walker.replay(fewer)
                try:
                    return bool(self.marker(world, entry))
                finally:
                    world.close()

            with self.budget.beyond(BEYOND):
                least = shortest([*path, *acts], shows, 60) if marker else [*path, *acts]
            self.add(Fault("refusal", key, text, tuple(least), (f"expect  not {entry}.marker",)))

    def marker(self, world: World, entry: str) -> str:
        """Return the marker that an entry of the front form shows, or ""."""
        front = world.session.front_form
        control = controls_of(front).get(entry) if front is not None else None
        marker = getattr(control, "marker", None)
        return str(marker.text) if marker is not None else ""

    def leaving(self, name: str, path: list[Act]) -> None:
        """Look for a way out of the front form."""
        key = f"trap {name}"
        if key in self.faults or not self.is_trap(path):
            return
        with self.budget.beyond(BEYOND):
            acts = shortest(path, self.is_trap, 80)
            _, tried = leaves(self.walker, acts)
        text = f"{name} can't be left: close, Escape and each answer leave it open, and it can't be accepted"
        self.add(Fault("trap", key, text, tuple(acts), (*map(step_of, tried), f"expect  not open {name}")))

    def is_trap(self, acts: list[Act]) -> bool:
        """Return True if the front form can neither be left nor accepted."""
        walker = self.walker
        gone, _ = leaves(walker, acts)
        return not gone and not drive(walker, acts, tries=2).accepted and not walker.budget.is_over

    def accepting(self, name: str, path: list[Act]) -> None:
        """Look for a way to accept the front form, if it could be accepted before."""
        key = f"dead end {name}"
        walker = self.walker
        if key in self.faults or f"trap {name}" in self.faults or not self.forms.get(name):
            return
        if drive(walker, path).accepted or drive(walker, path, tries=2 * TRIES).accepted:
            return
        # The shortest beginning from which it can't be accepted any more.
        low, high = 0, len(path)
        while high - low > 1:
            middle = (low + high) // 2
            if drive(walker, path[:middle]).accepted:
                low = middle
            else:
                high = middle
        if walker.budget.is_over or drive(walker, path[:high], tries=3 * TRIES).accepted:
            return
        last = path[high - 1]

        def shows(fewer: list[Act]) -> bool:
            before, after = drive(walker, fewer), drive(walker, [*fewer, last])
            return before.accepted and not after.accepted

        with self.budget.beyond(BEYOND):
            acts = [*shortest(path[: high - 1], shows, 25), last]
            way = drive(walker, acts[:-1])
            if walker.budget.is_over or not way.accepted:
                return
        text = f"{name} can't be accepted any more after '{' '.join(step_of(last).split())}', and could be before"
        # A button that only submits can't be pressed there, so that the sheet ends at that step.
        ends = (f"expect  not open {name}",) if name in self.closing else ()
        self.add(Fault("dead end", key, text, tuple(acts), (*map(step_of, way.acts), *ends)))

    def ordering(self, world: World, name: str, path: list[Act]) -> None:
        """Make two entries in either order."""
        walker = self.walker
        entries = [act for act in world.possible() if act[0] in ENTERING]
        if len(entries) < 2:
            return
        one, other = (walker.draw.choice(entries) for _ in range(2))
        one, other = (walker.with_text(world, act) if act[0] == "type" else act for act in (one, other))
        first, second = sorted([one[1], other[1]])
        key = f"order {name}: {first} and {second}"
        if first == second or key in self.faults:
            return
        differ = either_order(walker, path, one, other)
        if not differ:
            return
        acts = shortest(path, lambda fewer: bool(either_order(walker, fewer, one, other)), 40)
        text = f"{name}: {first} and {second} give another {', '.join(differ[:3])} in the other order"
        self.add(Fault("order", key, text, (*acts, one, other)))


def fault_of(error: BaseException) -> Fault:
    """Return the fault that an error is, without the gestures that lead to it."""
    if isinstance(error, NeverEnds | SystemExit):
        frames = own_frames(error)
        # The outermost is the handler or rule. Further in it is a matter of chance where the fuse meets it.
        name, where = "?", ""
        if frames:
            code = frames[0].tb_frame.f_code
            name, where = code.co_name, f"{Path(code.co_filename).name}:{frames[0].tb_lineno}"
        if isinstance(error, NeverEnds):
            return Fault(
                "endless", f"endless {name}", f"{name} didn't end within {GESTURE_SECONDS:g} seconds", (), where=where
            )
        return Fault("failed", f"failed {name}: SystemExit", f"{describe(error)} in {name}", (), where=where)
    if isinstance(error, EngineFailed):
        return Fault("library", f"library {type(error.error).__name__}", str(error), ())
    file, line = getattr(error, "where", ("", 0))
    where = f"{Path(file).name}:{line}" if file else ""
    if isinstance(error, FuseBlown):
        return Fault("fuse", f"fuse {error.chain[0]}", describe(error.error), (), where=where)
    if isinstance(error, HandlerFailed):
        what = error.chain[0]
        text = f"{describe(error.error)} in {what}"
        return Fault("failed", f"failed {what}: {type(error.error).__name__}", text, (), where=where)
    if isinstance(error, EffectFailed):
        return Fault("failed", f"failed '{error.effect}'", f"{describe(error.error)} in '{error.effect}'", (), where=where)
    return Fault("failed", f"failed {type(error).__name__}", describe(error), ())


def own_frames(error: BaseException | None) -> list[TracebackType]:
    """Return the developer's frames that an error came through, or that which it was raised beside."""
    while error is not None:
        frames = [frame for frame in frames_of(error) if package_of(frame) != "fuselatch"]
        if frames:
            return frames
        error = error.__context__
    return []


def in_words(value: object) -> str:
    """Return a value in a message."""
    return repr(value) if isinstance(value, str) and value else short_text(value_text(freeze(value)), 60)


def afresh_words(found: Differing) -> list[str]:
    """Return the words of an expectation for what a rule returns now."""
    value = found.afresh
    return [as_word(found, each) for each in (value if isinstance(value, list | tuple) else [value])]


def as_word(found: Differing, value: object) -> str:
    """Return a value as a cue sheet writes it, in every locale alike."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if found.prop in ("value", "minimum", "maximum") and found.control is not None and not found.lists:
        return "" if value is None else shown_as(found.declared, value, PLAIN)
    return "" if value is None else str(value)
