"""The boundary between a session and the world: its clock, its store, its latch log and its services.

Desks, stages and searches open their sessions here, so one place decides what a session is given: the scene's own
things, or copies and stand-ins. Whatever a handler does by itself (files, sockets, subprocesses) doesn't pass it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from copy import copy
from datetime import datetime
from functools import partial
from typing import Final, NamedTuple

from fuselatch.core.engine.session import Session
from fuselatch.core.engine.state.observer import Observer
from fuselatch.core.engine.state.session_options import FailureLog
from fuselatch.core.engine.state.store import Store
from fuselatch.core.model.latch_records import LatchStore
from fuselatch.core.model.service_map import Withheld
from fuselatch.scenes import Scene, open_session
from fuselatch.services import DrawingBoard, Drawings, LetterBox, Letters
from fuselatch.stores.memory import MemoryLatches, MemoryRecords, latches_forked, records_forked

STAND_INS: Final[Mapping[type, Callable[[], object]]] = {Letters: LetterBox, Drawings: DrawingBoard}
"""The services that every session has, with a stand-in that records what it gets."""


class Outside(NamedTuple):
    """The store, the latch log and the services that one session is given.

    `services`: with stand-ins for those that the scene doesn't have. `on_failure`: the scene's log of failures, or None.
    """

    records: Store | None
    latches: LatchStore
    services: Mapping[type, object]
    on_failure: FailureLog | None = None

    @property
    def refused(self) -> tuple[str, ...]:
        """The names of the services whose calls were refused because they have no stand-in."""
        return tuple([kind.__name__ for kind, one in self.services.items() if isinstance(one, Withheld) and one.was_asked])


def real(scene: Scene) -> Outside:
    """Return the scene's own store, latch log and services."""
    stand_ins = {kind: make() for kind, make in STAND_INS.items() if kind not in scene.services}
    latches = scene.latches if scene.latches is not None else MemoryLatches()
    return Outside(scene.records, latches, {**stand_ins, **scene.services}, scene.on_failure)


class Apart:
    """A scene without the real world: copies of its store and its latch log, and stand-ins for its services.

    `outside()` returns the same start each time, for one session: nothing that it writes reaches another session or
    the scene. A service's stand-in is the one in `Scene(explored=…)`, or for letters and drawings the library's own.
    Calls of any other service are refused.
    """

    def __init__(self, scene: Scene) -> None:
        self._records: MemoryRecords | None = records_forked(scene.records)
        self._latches = latches_forked(scene.latches)
        self._makers: dict[type, Callable[[], object]] = {kind: partial(Withheld, kind) for kind in scene.services}
        self._makers.update(STAND_INS)
        for kind, given in scene.explored.items():
            self._makers[kind] = partial(unchanged, given) if isinstance(given, kind) else given

    def outside(self) -> Outside:
        """Return copies and stand-ins for a new session."""
        records = self._records.fork() if self._records is not None else None
        return Outside(records, self._latches.fork(), {kind: make() for kind, make in self._makers.items()})


def unchanged(given: object) -> object:
    """Return a stand-in that is an object: the same one for each session."""
    return given


def apart(scene: Scene) -> Outside:
    """Return copies and stand-ins for one session of a scene."""
    return Apart(scene).outside()


def opened(
    scene: Scene, outside: Outside, clock: Callable[[], datetime], observers: Iterable[Observer] = (), recording: bool = True
) -> Session:
    """Open a scene as a session that is given these."""
    own = copy(scene)
    own.records, own.latches, own.services, own.on_failure = outside
    return open_session(own, clock, observers, recording)
