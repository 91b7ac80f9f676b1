"""Step through a cue sheet: stop before each event, and go back a gesture."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Any, Final, Literal, TypeAlias

from fuselatch.core.engine.session import Session
from fuselatch.core.engine.state.observer import Observer
from fuselatch.core.model.events import Event
from fuselatch.core.model.trace import TraceEntry
from fuselatch.core.model.view import View
from fuselatch.rehearsal.cues import Cue, CueSheet
from fuselatch.rehearsal.run import CueRun, StepResult, run_cues

Command: TypeAlias = Literal["event", "gesture", "end", "back", "stop"]
COMMANDS: Final[tuple[Command, ...]] = ("event", "gesture", "end", "back", "stop")


@dataclass(frozen=True, slots=True)
class Stop:
    """A stop before `event` ("": after the step), in the step `cue` (None: while the first form opens).

    `queued`: the events after it. `entries`: what this step did so far. `view`: the form as it is.
    """

    cue: Cue | None
    event: str
    queued: tuple[str, ...]
    entries: list[TraceEntry]
    view: View


class Stopped(Exception):
    """The user stopped."""


class GoBack(Exception):
    """The sheet runs again from its start, up to an earlier step."""


class Looking(Observer):
    """Calls a function before each event, with the paths of the events behind it. Nothing waits."""

    def __init__(self, look: Callable[[Event, tuple[str, ...]], None]) -> None:
        self.look = look

    def before_event(self, event: Event, queued: tuple[str, ...]) -> bool:
        """Call the function."""
        self.look(event, queued)
        return False


class Stepping:
    """Runs a cue sheet and calls `ask` at each stop for what to do next.

    "event": stop at the next event, and after a step without any. "gesture": at the first event of the next step. "end": at
    the next event of `pause_at`, or not at all. "back": at the previous step. "stop": end. Events have their names in the
    trace ("berth.changed", "BookingForm.closing"). With `pause_at`, it starts with "end".
    """

    def __init__(
        self, sheet: CueSheet, ask: Callable[[Stop], Command], pause_at: Collection[str] = (), **options: Any
    ) -> None:
        self.sheet = sheet
        self.ask = ask
        self.pause_at = pause_at
        self.options = options
        self.seen: set[str] = set()
        self._mode: Command = "end" if pause_at else "event"
        self._at = -1
        self._from = -1
        self._fresh = True
        self._back: int | None = None
        self._start = 0
        self._session: Session | None = None

    def run(self) -> CueRun | None:
        """Run the sheet; return None if the user stopped."""
        observers = (*self.options.pop("observers", ()), Looking(self._look))
        while True:
            self._at, self._fresh, self._back, self._start = -1, True, None, 0
            try:
                return run_cues(self.sheet, self._done, observers=observers, opened=self._begin, **self.options)
            except GoBack:
                continue
            except Stopped:
                return None

    def _begin(self, session: Session) -> None:
        self._next()

    def _done(self, result: StepResult) -> None:
        # A gesture that raises no event, such as an answer or a key that types, is stopped at when it is done.
        quiet = self._fresh and self._at >= self._from and self._mode in ("event", "gesture") and self._back is None
        if quiet and result.cue.verb != "expect" and self._session is not None:
            stop = Stop(result.cue, "", (), result.entries, self._session.view)
            self._stop(stop)
        self._next()

    def _next(self) -> None:
        """End a step."""
        if self._back is not None:
            self._from, self._mode = self._back, "event"
            raise GoBack
        if self._mode == "stop":
            raise Stopped
        self._at += 1
        self._fresh = True
        self._start = len(self._session.trace) if self._session is not None else 0

    def _look(self, next_event: Event, queued: tuple[str, ...]) -> None:
        """Stop before an event, if wanted."""
        event = next_event.path
        self._session = next_event.form.session
        self.seen.add(event)
        if self._at < self._from or self._back is not None or self._session is None or self._mode == "stop":
            return
        wanted = self._mode == "event" or (self._mode == "gesture" and self._fresh) or event in self.pause_at
        if not wanted:
            return
        self._fresh = False
        cue = self.sheet.steps[self._at] if 0 <= self._at < len(self.sheet.steps) else None
        session = self._session
        self._stop(Stop(cue, event, queued, session.trace[self._start :], session.view))

    def _stop(self, stop: Stop) -> None:
        """Ask for what to do next."""
        self._mode = self.ask(stop)
        if self._mode == "back":
            self._back = self._before(self._at)

    def _before(self, at: int) -> int:
        """Return the previous step that isn't an expectation; -1 for the opening."""
        steps = self.sheet.steps
        return next((step for step in range(at - 1, -1, -1) if steps[step].verb != "expect"), -1)
