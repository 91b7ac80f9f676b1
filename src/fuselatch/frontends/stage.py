"""A stage: one session on one thread, and the front ends elsewhere that show it.

A front end on another thread puts messages into the stage's queue, and is told views and patches. The stage feeds the
session one gesture after the other, on the thread that runs it: handlers may hold objects that belong to that thread.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from queue import Empty, SimpleQueue
from threading import Event
from time import monotonic, perf_counter
from typing import Any, Final, TypeAlias

from fuselatch.core.engine.session import Session
from fuselatch.core.forms.form import focus_of, name_of
from fuselatch.core.model.errors import (
    Abandoned,
    CallCancelled,
    EngineFailed,
    FuseLatchError,
    HandlerFailed,
    NotAllowedHere,
    Refused,
    UnknownName,
)
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.latch_records import elapsed
from fuselatch.core.model.outcome import CANCELLED, Outcome
from fuselatch.core.model.pictures import Picture
from fuselatch.core.model.view import View, plain
from fuselatch.frontends.elsewhere import Elsewhere
from fuselatch.frontends.fed import FedGestures
from fuselatch.frontends.messages import Message, gesture_of
from fuselatch.frontends.patches import patch, whole, without_echo
from fuselatch.journal.boundary import opened, real
from fuselatch.scenes import Scene

LOG = logging.getLogger("fuselatch")

Tell: TypeAlias = Callable[[Plain], None]
"""Hands plain data to a front end. It is called on the stage's thread."""

PATIENCE: Final = 30.0
"""The seconds without a front end after which a form closes as cancelled."""
JOINS_WITHIN: Final = 5.0
"""The seconds within which a browser that works has joined."""
MOST_ITEMS: Final = 500
"""The most items of a list that are told at once."""
SLICE: Final = 0.005
"""The seconds that work in idle time may take before the next gesture is looked at."""
BREATH: Final = 0.005
"""The seconds without anything to do after which work in idle time begins."""


def clock_of(scene: Scene) -> Callable[[], datetime]:
    """Return the clock of a scene that is shown to people: the real one, or one that starts at the scene's `now`."""
    begins = scene.begins
    if begins is None:
        return datetime.now
    start = monotonic()
    return lambda: begins + timedelta(seconds=round(monotonic() - start))


NO_ANSWER: Final[Plain] = {"number": 0}


def list_of(session: Session, message: Message) -> Plain:
    """Return the part of a list that a message asks for; nothing if the list is no longer there."""
    start, stop = max(0, message.start), min(message.stop, message.start + MOST_ITEMS)
    told: Plain = {"list": message.control, "start": start, "items": []}
    try:
        form, name = session.named(message.control)
        control = session.control(f"{form}.{name}")
        told["items"] = plain(session.choices(control, start, stop))
        told["cells"] = plain(session.rows(control, start, stop))
    except (FuseLatchError, AttributeError):
        told["items"] = []
    return told


def go_where_it_was_pressed(session: Session, message: Message) -> None:
    """Move the focus to the control that a key is for: it had the focus on the screen. Mostly it has it already."""
    form, control = session.named(message.control)
    front = session.front_form
    focused = focus_of(front) if front is not None and name_of(front) == form else None
    if focused is not None and focused.name != control and session.prompt is None:
        session.feed(Gesture(verb="focus", control=control, form=form, view_serial=message.serial))


class Stage:
    """A session that front ends elsewhere show: `Stage(scene).run()` returns the outcome once all forms are closed.

    `patience`: the seconds without a front end, `unused`: the seconds without a gesture, `longest`: the seconds in all,
    after which the forms close as cancelled; None: never. `alone`: called if no front end has joined after 5 seconds; the
    first one is then waited for as long as it takes.

    `send`, `join`, `part` and `stop` may be called on any thread. All else is for the thread that runs it: `run`, or, where
    a thread runs several stages, `begin`, then `turn` until it returns None, then `end`.
    """

    def __init__(
        self,
        scene: Scene,
        *,
        patience: float = PATIENCE,
        unused: float | None = None,
        longest: float | None = None,
        alone: Callable[[], object] | None = None,
        clock: Callable[[], datetime] | None = None,
    ) -> None:
        self.scene = scene
        self.patience = patience
        self.unused = unused
        self.longest = longest
        self.alone = alone
        self.clock = clock or clock_of(scene)
        self.fed: FedGestures | None = None
        self.over = False
        self.wake: Callable[[], object] = lambda: None
        """Called, on any thread, when there is something to do before `step` said."""
        self._inbox: SimpleQueue[Any] = SimpleQueue()
        self._elsewhere = Elsewhere(scene.slow_calls_on, self._put_end)
        self._joining: list[Tell] = []
        self._watching: list[Tell] = []
        self._tabs: dict[Tell, str] = {}
        self._done: dict[str, int] = {}
        self._session: Session | None = None
        self._view: View | None = None
        self._slice = 2_000
        self._late = False
        self._told_alone = False
        self._began = self._seen = self._used = monotonic()

    # ---- for front ends, on any thread

    def send(self, message: Message, tell: Tell) -> None:
        """Put a message of a front end into the queue. `tell`: the function that it joined with."""
        self._put((message, tell))

    def join(self, tell: Tell, tab: str = "") -> None:
        """Begin to follow: `tell` gets the whole view, and then patches.

        Who joined first sends gestures; others look on until it has parted. `tab`: tells a front end that comes back from
        another one; it takes the place that it had, is told the number of its last gesture that was carried out, and sends
        what came after it again.
        """
        self._joining.append(tell)
        self._put(lambda session: self._join(session, tell, tab))

    def part(self, tell: Tell) -> None:
        """End to follow."""
        self._put(lambda session: self._part(tell))

    def stop(self) -> None:
        """Close the session, whatever waits."""
        self._put(lambda session: session.close())

    def picture(self, id: str, tell: Callable[[Picture | None], object]) -> None:
        """Ask for a picture that the user sees; `tell` gets it, or None, on the stage's thread."""
        self._put(lambda session: tell(session.picture(id)))

    def _put(self, came: object) -> None:
        self._inbox.put(came)
        self.wake()

    def _put_end(self, end: Gesture) -> None:
        self._put(lambda session: self._feed_itself(session, end))

    @property
    def last_word(self) -> Plain:
        """The last message to front ends.

        `late` if the form was closed because too much time had passed; `failed`: its own words for an end without a verdict.
        """
        form = self.scene.form
        failed = form._plan.done_text.get("failed", "") if form is not None else ""
        return {"over": True, "late": self._late, **({"failed": failed} if failed else {})}

    @property
    def backlog(self) -> int:
        """How many messages wait."""
        return self._inbox.qsize()

    # ---- on the session's thread

    def run(self, ready: Callable[[], object] = lambda: None) -> Outcome:
        """Open the scene and feed it what comes, until all forms are closed; return the first form's outcome.

        `ready` is called once the form is open. Raises what opening the form raises.
        """
        woken = Event()
        self.wake = woken.set
        try:
            self.begin()
            ready()
            while (pause := self.step()) is not None:
                woken.wait(pause)
                woken.clear()
        finally:
            outcome = self.end()
        return outcome

    def begin(self) -> None:
        """Open the scene. Raises what opening the form raises."""
        self._session = opened(self.scene, real(self.scene), self.clock)
        self.fed = FedGestures(self._session)
        self._view = self._session.view
        self._began = self._seen = self._used = monotonic()

    def step(self) -> float | None:
        """Do one thing that is due: a message, what the clock brings, or some work in idle time.

        Return the seconds that may pass until the next step, if nothing comes before; None once the session is done.
        """
        session = self._session
        assert session is not None, "a stage steps once it has begun"
        try:
            pause = self._step(session)
            self._elsewhere.follow(session)
        except Abandoned:
            return None
        # Without a form to begin with, the user opens and closes forms until no one looks any more.
        return None if session.is_closed or (session.is_done and self.scene.form is not None) else pause

    def end(self) -> Outcome:
        """Close the session, tell front ends that it is over, and return the first form's outcome."""
        outcome = None
        self._elsewhere.leave()
        try:
            if self._session is not None:
                with self._session as session:
                    outcome = session.outcome
                    self._tell_change(session)
        except Abandoned:
            outcome = None
        finally:
            self.over = True
            # Also those that still wait to join hasn't come, as when the form couldn't be opened.
            for tell in (*self._watching, *self._joining):
                tell(self.last_word)
        return outcome if outcome is not None else Outcome(CANCELLED, {})

    def _step(self, session: Session) -> float:
        try:
            came = self._inbox.get_nowait()
        except Empty:
            return self._use_time(session)
        if isinstance(came, tuple):
            self._carry_out(session, *came)
        else:
            came(session)
        # The thread that sends the answer comes first, then perhaps another message, and only then work in idle time.
        return BREATH if self._inbox.empty() else 0.0

    def _use_time(self, session: Session) -> float:
        """Do what the clock brings, or some work in idle time; return the seconds until the next step."""
        now = monotonic()
        if self._watching:
            self._seen, self.alone = now, None
        elif self.alone is not None:
            self._seen = now
            if now - self._began > JOINS_WITHIN and not self._told_alone:
                self._told_alone = True
                self.alone()
        ends = [
            since + seconds - now
            for since, seconds in ((self._seen, self.patience), (self._used, self.unused), (self._began, self.longest))
            if seconds is not None
        ]
        if min(ends) <= 0:
            self._late = True
            self._abandon(session)
            return 0.0
        wakes = session.wakes_at
        left = elapsed(self.clock(), wakes).total_seconds() if wakes is not None else 1.0
        late = self._elsewhere.late()
        if late is not None or left <= 0:
            self._feed_itself(session, late or Gesture(verb="time"))
            return 0.0
        return 0.0 if self._work(session) else min(1.0, left, self._elsewhere.next_end, *ends)

    def _feed_itself(self, session: Session, gesture: Gesture) -> None:
        """Feed what no user does: let what depends on the clock follow it, or end a slow call."""
        try:
            session.feed(gesture)
        except HandlerFailed as error:
            LOG.error("%s", error, exc_info=error.__cause__)
        self._tell_change(session)

    def _work(self, session: Session) -> bool:
        """Do some work in idle time; return True if more is left."""
        start = perf_counter()
        more = session.idle(self._slice)
        took = perf_counter() - start
        self._slice = max(500, min(50_000, int(self._slice * SLICE / max(took, 0.001)))) if more else self._slice
        return more

    def _carry_out(self, session: Session, message: Message, sender: Tell) -> None:
        """Feed a message's gesture, and tell what came of it."""
        assert self.fed is not None, "a stage that runs has a session"
        if not message.verb:
            sender(list_of(session, message))
            return
        if self._watching and sender != self._watching[0]:
            sender({"number": message.number, "view": {}, "looks_on": True})
            return
        tab = self._tabs.get(sender, "")
        if tab and message.number <= self._done.get(tab, 0):
            # It was carried out; only the answer was lost with the connection.
            sender({"number": message.number, "view": {}})
            return
        if tab:
            self._done[tab] = message.number
        self._used = monotonic()
        problem, is_stale = "", False
        try:
            gesture = gesture_of(session, message)
            if message.verb == "key" and message.control:
                go_where_it_was_pressed(session, message)
            session.feed(gesture)
        except EngineFailed:
            raise
        except Refused as refused:
            problem, is_stale = refused.reason, refused.is_stale
        except (UnknownName, NotAllowedHere) as error:
            # What it is about isn't there, or isn't there any more.
            problem = type(error).__name__
        except FuseLatchError as error:
            problem = type(error).__name__
            # The user reads in the view that it didn't work. This is for the developer.
            if not (isinstance(error, HandlerFailed) and isinstance(error.error, CallCancelled)):
                LOG.error("%s", error, exc_info=error.__cause__)
        except ValueError as error:
            problem = str(error)
        answer: Plain = {"number": message.number}
        if problem:
            # What the sender shows of the control may be wrong now.
            again = [plain(each) for form in session.view.forms for each in form.controls if each.id == message.control]
            answer |= {"refused": problem, "again": again, **({"stale": True} if is_stale else {})}
        self._tell_change(session, sender, answer, message if message.verb == "type" and not problem else None)

    def _tell_change(
        self,
        session: Session,
        sender: Tell | None = None,
        answer: Mapping[str, object] = NO_ANSWER,
        typed: Message | None = None,
    ) -> None:
        """Tell front ends what differs; the sender of a message also what came of it, and not what it `typed`."""
        before, self._view = self._view, session.view
        assert before is not None, "a stage begins with a view"
        told = patch(before, self._view)
        for tell in self._watching:
            if tell != sender:
                tell({**told, **NO_ANSWER})
            elif typed is None:
                tell({**told, **answer})
            else:
                tell({**without_echo(told, self._view, typed.control, typed.text), **answer})

    def _join(self, session: Session, tell: Tell, tab: str) -> None:
        self._joining.remove(tell)
        before = next((at for at, each in enumerate(self._watching) if tab and self._tabs.get(each) == tab), None)
        if before is None:
            self._watching.append(tell)
        else:
            # The same page again, whose lost connection hasn't been noticed yet. What still comes on that is refused: it is
            # sent again on this one.
            self._tabs.pop(self._watching[before])
            self._watching[before] = tell
        self._tabs[tell] = tab
        self._view = session.view
        tell({**whole(self._view), "number": self._done.get(tab, 0), "looks_on": tell != self._watching[0]})

    def _part(self, tell: Tell) -> None:
        if tell not in self._watching:
            return
        was_first = self._watching[0] == tell
        self._watching.remove(tell)
        self._tabs.pop(tell, None)
        if was_first and self._watching:
            self._watching[0]({**NO_ANSWER, "view": {}, "looks_on": False})

    def _abandon(self, session: Session) -> None:
        """Close as cancelled, since no front end is there any more. If that is blocked, close the session."""
        try:
            for form in session.forms[::-1]:
                if form.is_open:
                    form.close()
        except FuseLatchError as error:
            LOG.error("%s", error)
        session.close()
