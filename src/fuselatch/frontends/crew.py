"""A crew: a few threads that run many stages, each always on the same thread."""

from __future__ import annotations

from heapq import heappop, heappush
from itertools import count
from queue import Empty, SimpleQueue
from threading import Lock, Thread
from time import monotonic

from fuselatch.frontends.stage import LOG, Stage


class Hand(Thread):
    """A thread of a crew: lets each of its stages do one step after the other."""

    def __init__(self, number: int) -> None:
        super().__init__(name=f"fuselatch-crew-{number}", daemon=True)
        self.stages: set[Stage] = set()
        self._woken: SimpleQueue[Stage] = SimpleQueue()
        self._times: list[tuple[float, int, Stage]] = []
        self._next: dict[Stage, float] = {}
        self._order = count()

    def take(self, stage: Stage) -> None:
        """Begin to run a stage."""
        self.stages.add(stage)
        stage.wake = lambda: self._woken.put(stage)
        stage.wake()

    def run(self) -> None:
        while True:
            for stage in self._due():
                self._serve(stage)

    def _due(self) -> list[Stage]:
        """Wait until a stage is due; return all that are, each once."""
        pause = max(0.0, self._times[0][0] - monotonic()) if self._times else None
        stages: dict[Stage, None] = {}
        try:
            stages[self._woken.get(timeout=pause)] = None
            while True:
                stages[self._woken.get_nowait()] = None
        except Empty:
            pass
        now = monotonic()
        while self._times and self._times[0][0] <= now:
            at, _, stage = heappop(self._times)
            if self._next.get(stage) == at:
                stages[stage] = None
        return [stage for stage in stages if stage in self.stages]

    def _serve(self, stage: Stage) -> None:
        try:
            if stage.fed is None:
                stage.begin()
            pause = stage.step()
        except BaseException as error:
            # Also a handler that exits: the other sessions of this thread stay.
            LOG.error("%s", error, exc_info=error)
            pause = None
        if pause is None:
            self._leave(stage)
            return
        if pause == 0.0:
            # Others of this thread have their step first.
            self._next.pop(stage, None)
            stage.wake()
        else:
            at = self._next[stage] = monotonic() + pause
            heappush(self._times, (at, next(self._order), stage))

    def _leave(self, stage: Stage) -> None:
        self._next.pop(stage, None)
        self.stages.discard(stage)
        try:
            stage.end()
        except BaseException as error:
            LOG.error("%s", error, exc_info=error)


class Crew:
    """A few threads for many stages. A handler that takes long delays the other stages of its thread."""

    def __init__(self, threads: int) -> None:
        if threads < 1:
            raise ValueError(f"threads={threads}: a crew needs one or more")
        self._hands = [Hand(number) for number in range(1, threads + 1)]
        self._lock = Lock()

    def take(self, stage: Stage) -> None:
        """Run a stage on the thread that has the fewest."""
        with self._lock:
            hand = min(self._hands, key=lambda each: len(each.stages))
            hand.take(stage)
            if not hand.is_alive():
                hand.start()

    def __len__(self) -> int:
        """How many stages are run."""
        return sum(len(hand.stages) for hand in self._hands)
