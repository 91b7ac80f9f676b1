"""Worlds: a scene that is opened again and again, each time as it was at first."""

from __future__ import annotations

import ctypes
import signal
import sys
import threading
from collections.abc import Iterable
from contextlib import suppress
from copy import copy
from datetime import timedelta
from hashlib import blake2b
from pathlib import Path
from time import monotonic
from types import FrameType
from typing import Any, Final

from fuselatch.core.engine.looking.fingerprint import stable
from fuselatch.core.engine.looking.possible import Act
from fuselatch.core.engine.session import Session
from fuselatch.core.engine.state.observer import Observer
from fuselatch.core.engine.state.waiting import name_of_function
from fuselatch.core.model.errors import FuseLatchError, Refused, UnknownName
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.latch_records import elapsed, later_by
from fuselatch.core.model.slow_calls import SlowCall
from fuselatch.exploring.faults import NO_CONNECTION
from fuselatch.journal.boundary import Apart, opened
from fuselatch.rehearsal.grammar import ENDS_CALLS
from fuselatch.rehearsal.run import desk_at
from fuselatch.rehearsal.slow import call_named, end_call, result_of, run_call, samples_of, stand_in_of
from fuselatch.scenes import Scene

OWN: Final = str(Path(__file__).parents[1])
"""The folder of the library. Frames in it aren't the developer's."""
WAIT: Final = "wait"
"""The verb that lets time pass; its text is a duration, as in a cue sheet."""
NO_LINE: Final = "no connection"
"""The words of the error when a search lets a slow call fail."""


class NeverEnds(BaseException):
    """Raised in a handler that runs for too long. No `except Exception` of the handler catches it."""


AGAIN: Final = 1.0
"""Seconds after which a gesture that didn't end is ended again."""


class TimeFuse:
    """Ends a gesture that runs for too long: `with TimeFuse(5): …`, and `gestures` counts those that were begun.

    It raises `NeverEnds` in the thread that entered it, again and again until the gesture ends, as a bare `except` catches
    it. In the main thread of a process it comes by a signal, which also ends a handler that waits outside of Python, as in
    `sleep`. In another thread such a handler is only ended when it comes back.
    """

    def __init__(self, seconds: float) -> None:
        self.seconds = seconds
        self.gestures = 0
        self.running = False
        self._over = threading.Event()
        self._before: Any = None
        self._signals = False
        self._ended = 0
        self._usual = sys.gettrace()

    def __enter__(self) -> TimeFuse:
        self._thread = threading.get_ident()
        self._signals = hasattr(signal, "pthread_kill") and threading.current_thread() is threading.main_thread()
        if self._signals:
            self._before = signal.signal(signal.SIGALRM, self._signalled)
        self._watcher = threading.Thread(target=self._watch, daemon=True)
        self._watcher.start()
        return self

    def __exit__(self, *raised: object) -> None:
        self._over.set()
        self._watcher.join()
        if self._signals:
            signal.signal(signal.SIGALRM, self._before)

    def _watch(self) -> None:
        seen, since = -1, monotonic()
        while not self._over.wait(min(self.seconds / 4, 0.25)):
            if not self.running or self.gestures != seen:
                seen, since = self.gestures, monotonic()
            elif monotonic() - since > self.seconds:
                self._end()
                # What has caught it may need a while to clean up.
                since = monotonic() + AGAIN - self.seconds

    def _end(self) -> None:
        if self._signals:
            signal.pthread_kill(self._thread, signal.SIGALRM)
        else:
            ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(self._thread), ctypes.py_object(NeverEnds))

    def _signalled(self, number: int, frame: FrameType | None) -> None:
        if not self.running:
            return
        # A bare `except` may have caught it. The second time it's raised at the next line as well, which is in that clause.
        # Only in the handler's own frames: a finalizer that runs by chance would swallow it.
        again, self._ended = self._ended == self.gestures, self.gestures
        if again:
            sys.settrace(lambda *call: None)
            while frame is not None:
                if not frame.f_code.co_filename.startswith(OWN):
                    frame.f_trace = self._at_a_line
                frame = frame.f_back
        raise NeverEnds

    def _at_a_line(self, frame: FrameType, event: str, value: object) -> Any:
        if self.running and event == "line":
            raise NeverEnds
        return self._at_a_line

    def begin(self) -> None:
        """A gesture begins."""
        self.gestures += 1
        self.running = True

    def end(self) -> None:
        """A gesture ends."""
        self.running = False
        if self._ended == self.gestures:
            sys.settrace(self._usual)


class Start:
    """A scene, as it is opened each time: apart from the world, with copies and stand-ins that no other opening changes.

    Variables of the form's module get their first values again: a collection that it fills is as it was.
    """

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.apart = Apart(scene)
        self.name = scene.form.__name__ if scene.form is not None else "the scene"
        # The functions of slow calls that never return, since they have neither a stand-in nor a result type with samples.
        self.without_result: dict[str, None] = {}
        self._digests: dict[int, tuple[Any, str]] = {}
        self._variables = variables_of(scene)

    def open(self, observers: Iterable[Observer] = ()) -> World:
        """Return a new session of it."""
        self.restore()
        return World(self, observers)

    def restore(self) -> None:
        """Give the variables of the form's module their first values again."""
        for module, name, value in self._variables:
            put_back(module, name, value)

    def digest(self, rows: Any) -> str:
        """Return text for the rows of a source. A write makes a new list, so a list that is known hasn't changed."""
        known = self._digests.get(id(rows))
        if known is None:
            text = stable(rows) if isinstance(rows, list) else f"{len(rows)} rows"
            if len(self._digests) > MOST_DIGESTS:
                self._digests.clear()
            known = self._digests[id(rows)] = rows, fingerprint_of(text)
        return known[1]


MOST_DIGESTS: Final = 2_000
MOST_ITEMS: Final = 1_000
"""Longer collections in variables of modules are taken for data that nothing changes."""


def variables_of(scene: Scene) -> list[tuple[Any, str, Any]]:
    """Return the variables of the modules that a scene's forms are in, with copies of their values."""
    names = {form.__module__: None for form in (scene.form, *scene.forms) if form is not None}
    variables: list[tuple[Any, str, Any]] = []
    for module in (sys.modules[name] for name in names if name in sys.modules):
        for name, value in vars(module).items():
            if name.startswith("__"):
                continue
            if isinstance(value, dict | list | set) and len(value) <= MOST_ITEMS:
                variables.append((module, name, copy(value)))
            elif value is None or isinstance(value, bool | int | float | str):
                variables.append((module, name, value))
    return variables


def put_back(module: object, name: str, value: object) -> None:
    """Give a variable of a module its value again; a collection stays the same object."""
    now: Any = getattr(module, name, None)
    if now is value or (type(now) is type(value) and now == value):
        return
    if isinstance(value, dict | set) and type(now) is type(value):
        now.clear()
        now.update(value)
    elif isinstance(value, list) and isinstance(now, list):
        now[:] = value
    else:
        setattr(module, name, value)


def fingerprint_of(text: str) -> str:
    """Return a short text for a long one."""
    return blake2b(text.encode("utf-8", "surrogatepass"), digest_size=12).hexdigest()


class World:
    """One session of a scene, with its own clock, store and latches, and what was done in it."""

    def __init__(self, start: Start, observers: Iterable[Observer] = ()) -> None:
        scene = start.scene
        self.start = start
        self.now = scene.now
        self.done: list[Act] = []
        self.outside = start.apart.outside()
        self.session: Session = opened(scene, self.outside, lambda: self.now, observers, recording=False)

    def do(self, act: Act) -> None:
        """Do something. Raises what `Session.feed` raises."""
        verb, control, text = act
        if verb == WAIT:
            self.now = later_by(self.now, timedelta(seconds=int(text[:-1])))
            verb, text = "time", ""
        if verb in ENDS_CALLS:
            self._end(verb, call_named(self.session, control), text)
            return
        self.session.feed(Gesture(verb=verb, control=control, text=text))

    def _end(self, verb: str, call: SlowCall, text: str) -> None:
        """End a slow call, never by its own function."""
        if verb == "finish" and text == "":
            run_call(self.session, call, stand_in_of(self.start.scene, call))
        elif verb == "finish":
            end_call(self.session, call, "finished", result_of(text, call.function))
        elif verb == "fail":
            end_call(self.session, call, "failed", NO_CONNECTION(text))
        elif verb == "time_out":
            end_call(self.session, call, "timed_out")
        else:
            self.session.feed(Gesture(verb=verb, text=call.name))

    def ends(self) -> list[Act]:
        """Return how the slow calls that wait can end: with results of a stand-in or of their type, and without."""
        acts: list[Act] = []
        for call in self.session.slow_calls:
            texts = ("",) if call.function in self.start.scene.slow_calls_by else samples_of(call.function)
            acts.extend([("finish", call.name, text) for text in texts])
            if not texts:
                self.start.without_result[name_of_function(call.function)] = None
            acts.append(("fail", call.name, NO_LINE))
            if call.timeout is not None:
                acts.append(("time_out", call.name, ""))
            if call.can_cancel:
                acts.append(("cancel_call", call.name, ""))
        return acts

    def attempt(self, act: Act) -> BaseException | None:
        """Do something; return what it raised. It is among what was done, unless it was refused."""
        try:
            self.do(act)
        except (Refused, UnknownName) as error:
            return error
        except (FuseLatchError, NeverEnds, SystemExit) as error:
            self.done.append(act)
            return error
        self.done.append(act)
        return None

    def possible(self) -> list[Act]:
        """Return what the user can do now. Waiting is among it if something depends on the clock."""
        acts = self.session.possible_gestures()
        wakes = self.session.wakes_at if acts else None
        if wakes is not None and self.session.prompt is None:
            acts.append((WAIT, "", f"{max(1, int(elapsed(self.now, wakes).total_seconds()) + 1)}s"))
        return [*acts, *self.ends()] if self.session.slow_calls else acts

    def fingerprint(self) -> bytes:
        """Return the digest of the state, of what is stored, and of the day and minute."""
        outside = [f"{self.now:%Y-%m-%d %H:%M}"]
        records: Any = self.outside.records
        if records is not None:
            outside.extend([f"{name} {self.start.digest(rows)}" for name, rows in records.sources.items()])
        outside.extend([" ".join(taken) for taken in self.outside.latches.all()])
        return self.session.fingerprint("\n".join(outside))

    @property
    def is_over(self) -> bool:
        """True once nothing can be done any more."""
        return self.session.is_done and not self.session.offered

    def close(self) -> None:
        """End the session. What handlers do as they are abandoned doesn't matter."""
        with suppress(FuseLatchError, NeverEnds, SystemExit):
            self.session.close()


def load_start(scene: object) -> Start:
    """Return the start of a scene function, a form class or a `Scene`. Raises `LoadError` if its code fails."""
    if isinstance(scene, Scene):
        return Start(scene)
    return Start(desk_at(scene, getattr(scene, "__qualname__", "the scene")).scene)
