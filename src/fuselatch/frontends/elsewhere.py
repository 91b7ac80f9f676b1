"""Slow calls of a stage: started on an executor, ended by a message to its thread."""

from __future__ import annotations

import pickle
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from queue import SimpleQueue
from threading import Lock, Thread
from time import monotonic
from typing import Any, Final

from fuselatch.core.engine.session import Session
from fuselatch.core.engine.state.waiting import name_of_function
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.slow_calls import REPORTED, SlowCall, reporter

MOST_CALLS: Final = 32
"""How many slow calls run at once on the threads of a process; others wait for their turn."""
MOST_OF_SESSION: Final = 8
"""How many of them may be of one session."""
LARGEST: Final = 1_000_000
"""The largest result, in bytes as it is handed from one process to another."""
EACH: Final = 0.1
"""The seconds between two reports of progress that are told."""


class Threads(Executor):
    """An executor of daemon threads: a call that never returns doesn't keep the program from ending.

    `most`: how many threads there are at most. A thread that has nothing to do waits for the next call.
    """

    def __init__(self, most: int = MOST_CALLS) -> None:
        if most < 1:
            raise ValueError(f"Threads({most}): expected at least one thread")
        self.most = most
        self._jobs: SimpleQueue[Callable[[], None]] = SimpleQueue()
        self._lock = Lock()
        self._threads = 0
        self._busy = 0

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        """Run a function on one of the threads."""
        future: Future[Any] = Future()

        def run() -> None:
            if not future.set_running_or_notify_cancel():
                return
            try:
                future.set_result(fn(*args, **kwargs))
            except BaseException as error:
                future.set_exception(error)

        with self._lock:
            self._busy += 1
            if self._busy > self._threads and self._threads < self.most:
                self._threads += 1
                Thread(target=self._work, name=f"slow calls {self._threads}", daemon=True).start()
        self._jobs.put(run)
        return future

    def _work(self) -> None:
        while True:
            self._jobs.get()()
            with self._lock:
                self._busy -= 1


THREADS: Final = Threads()
"""The executor of slow calls, unless a scene names another."""


class Elsewhere:
    """The slow calls of one session that were started.

    `put`: hands a gesture to the session's thread; it may be called on any thread.
    """

    def __init__(self, executor: Executor | None, put: Callable[[Gesture], object]) -> None:
        self._executor = executor or THREADS
        self._put = put
        self._started: dict[str, tuple[Future[Any], float | None]] = {}

    def follow(self, session: Session) -> None:
        """Start the calls that handlers wait for now, and leave those that no one waits for any more."""
        calls = session.slow_calls
        if not calls and not self._started:
            return
        waiting = {call.id for call in calls}
        for id in [*self._started]:
            if id not in waiting:
                self._started.pop(id)[0].cancel()
        for call in calls:
            if call.id not in self._started and len(self._started) < MOST_OF_SESSION:
                self._start(call)

    def _start(self, call: SlowCall) -> None:
        until = monotonic() + call.timeout if call.timeout is not None else None
        try:
            if call.progress and isinstance(self._executor, ProcessPoolExecutor):
                raise TypeError(f"{name_of_function(call.function)}: progress is told on threads only, not by processes")
            report = {"report": self._report(call.id)} if call.progress else {}
            future = self._executor.submit(call.function, *call.args, **report)
        except Exception as error:
            future = Future()
            future.set_exception(error)
        self._started[call.id] = future, until
        future.add_done_callback(lambda done: self._finish(call, done))

    def _report(self, id: str) -> Callable[..., None]:
        last = [0.0]

        def tell(told: tuple[float, float, str]) -> None:
            now = monotonic()
            if now - last[0] >= EACH or told[0] == told[1]:
                last[0] = now
                self._put(Gesture(verb="slow_call", control=id, text=REPORTED, result=told))

        return reporter(tell)

    def _finish(self, call: SlowCall, done: Future[Any]) -> None:
        """Hand over how a call ended. It is called on any thread."""
        if done.cancelled():
            return
        error = done.exception()
        if error is None:
            error = wrong_result(call, done.result())
        how = "finished" if error is None else "failed"
        if error is not None and not isinstance(error, Exception):
            error = RuntimeError(f"{name_of_function(call.function)} ended with {type(error).__name__}: {error}")
        self._put(Gesture(verb="slow_call", control=call.id, text=how, result=error or done.result()))

    def late(self) -> Gesture | None:
        """Return the gesture for a call whose time has run out, or None."""
        now = monotonic()
        for id, (future, until) in self._started.items():
            if until is not None and until <= now:
                self._started[id] = future, None
                return Gesture(verb="slow_call", control=id, text="timed_out")
        return None

    @property
    def next_end(self) -> float:
        """The seconds until the next call's time runs out; a long time if none does."""
        ends = [until for _, until in self._started.values() if until is not None]
        return max(0.0, min(ends) - monotonic()) if ends else 3600.0

    def leave(self) -> None:
        """Leave all that runs: no handler waits for it any more."""
        for future, _ in self._started.values():
            future.cancel()
        self._started.clear()


def wrong_result(call: SlowCall, result: object) -> Exception | None:
    """Return why a result can't be handed over, or None."""
    named = name_of_function(call.function)
    try:
        size = len(pickle.dumps(result))
    except Exception as error:
        return TypeError(f"{named} returned what can't be handed over ({type(result).__name__}): {error}")
    return None if size <= LARGEST else ValueError(f"{named} returned {size:,} bytes; at most {LARGEST:,} are handed over")
