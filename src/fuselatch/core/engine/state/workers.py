"""Workers: the greenlets that gestures run on, so that a handler can wait.

Creating a greenlet costs far more than using a parked one, so each thread has a small pool.
"""

from __future__ import annotations

from collections.abc import Callable
from contextvars import copy_context
from typing import Any, Final, Protocol, TypeVar

from greenlet import getcurrent, greenlet

from fuselatch.core.model.errors import NotAllowedHere

T = TypeVar("T")

MOST_IDLE: Final = 16
"""Idle workers per thread."""

POOL: Final = "fuselatch_workers"
"""The attribute of a thread's first greenlet that has the pool."""


class Parked(Protocol):
    """A job that waits on a worker."""

    worker: greenlet | None


class Job(Parked, Protocol):
    """Something that a worker carries out. It may park on the way."""

    def carry_out(self) -> None:
        """Do the work. This raises nothing."""


class Errand:
    """A call that runs from the bottom of the stack, with its result or error."""

    __slots__ = ("error", "result", "work")

    def __init__(self, work: Callable[[], object]) -> None:
        self.work = work
        self.result: Any = None
        self.error: BaseException | None = None

    def carry_out(self) -> None:
        """Run it and store the result or the error."""
        try:
            self.result = self.work()
        except BaseException as error:
            self.error = error


class Workers:
    """A pool of greenlets for the thread that created it."""

    __slots__ = ("home", "idle")

    def __init__(self, home: greenlet) -> None:
        self.idle: list[greenlet] = []
        self.home = home

    def start(self, job: Job) -> None:
        """Run a job in a copy of the caller's context, until it is done or parks.

        Raises `NotAllowedHere` on another thread.
        """
        here = getcurrent()
        is_home = here is self.home
        if not is_home:
            self.must_be_at_home()
        worker = self.idle.pop() if self.idle else self._fresh()
        job.worker = worker
        if not is_home:
            worker.parent = here
        # A copy, so that context variables set by a handler don't leak into the caller.
        worker.gr_context = copy_context()
        came = worker.switch(job)
        if came is job:  # The worker is dead: Ctrl-C met it when it had nothing to do.
            self.start(job)
        elif came:
            self._serve(worker, came)
        if not is_home:
            self._bring_home(worker, job)

    def _bring_home(self, worker: greenlet, job: Parked) -> None:
        """Let a worker that is idle again, and was started elsewhere, be started from the thread's first greenlet."""
        if job.worker is None and not worker.dead:
            worker.parent = self.home

    def at_the_bottom(self, work: Callable[[], T]) -> T:
        """Run something on a worker that starts at the caller of `start` or `go_on`.

        Call this only on a worker.
        """
        errand = Errand(work)
        parent = getcurrent().parent
        assert parent is not None, "only worker greenlets can call this"
        parent.switch(errand)
        if errand.error is not None:
            raise errand.error
        result: T = errand.result
        return result

    def _serve(self, worker: greenlet, came: object) -> None:
        """Run errands that a worker hands down, until it parks or is done."""
        while isinstance(came, Errand):
            runner = greenlet(came.carry_out, getcurrent())
            runner.gr_context = worker.gr_context
            self._serve(runner, runner.switch())
            came = worker.switch()

    def go_on(self, job: Parked, thrown: BaseException | None = None) -> None:
        """Resume a parked job, or raise something in it, until it is done or parks."""
        worker = job.worker
        assert worker is not None, "only a parked job can resume"
        here = self.must_be_at_home()
        if worker.parent is not here:
            worker.parent = here
        came = worker.switch() if thrown is None else worker.throw(thrown)
        if came is not None:
            self._serve(worker, came)
        self._bring_home(worker, job)

    def must_be_at_home(self) -> greenlet:
        """Return the running greenlet; raise `NotAllowedHere` on another thread."""
        here = getcurrent()
        if here is not self.home and bottom(here) is not self.home:
            raise NotAllowedHere("a session can only be used from the thread that created it")
        return here

    def _fresh(self) -> greenlet:
        """Return a worker that waits for a job. It must not keep what it is started with."""
        worker = greenlet(self._loop)
        worker.switch()
        worker.parent = self.home
        return worker

    def _loop(self) -> None:
        while True:
            # Like `park`, without a call. An idle worker must not keep a session alive, and a parked one not itself.
            job: Job | None = getcurrent().parent.switch()  # type: ignore[union-attr]
            if job is None:
                return
            job.carry_out()
            job.worker = None
            job = None
            # Creating a greenlet is expensive compared to a gesture, so a few are reused.
            if len(self.idle) >= MOST_IDLE:
                return
            self.idle.append(getcurrent())


def bottom(here: greenlet) -> greenlet:
    """Return a thread's first greenlet."""
    while here.parent is not None:
        here = here.parent
    return here


def workers_here() -> Workers:
    """Return the pool of this thread. It ends with the thread's first greenlet."""
    home = bottom(getcurrent())
    pool: Workers | None = home.__dict__.get(POOL)
    if pool is None:
        pool = home.__dict__[POOL] = Workers(home)
    return pool


def park() -> None:
    """Return control to the caller until this worker is resumed."""
    parent = getcurrent().parent
    assert parent is not None, "only a worker parks"
    parent.switch(None)
