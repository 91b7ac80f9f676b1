"""Sources that rules can read besides controls: shared values, the date, open forms."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any, Final, Literal, TypeAlias

from fuselatch.core.engine.state.failure import time_of
from fuselatch.core.engine.state.session_node import SessionNode
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.shared import Shared
from fuselatch.core.model.latch_records import later_by
from fuselatch.core.model.values import Value, short


class SharedNode(SessionNode):
    """A session's value of one `Shared`."""

    __slots__ = ("value",)

    def __init__(self, session: SessionState, shared: Shared[object]) -> None:
        super().__init__(session, f"shared {shared.name}")
        self.value = shared.start

    def _restored(self, name: str) -> None:
        self.differs()

    def _current(self, prop: object) -> object:
        return self.value


def shared_node(session: SessionState, shared: Shared[object]) -> SharedNode:
    """Return a session's node for a `Shared`."""
    node: SharedNode | None = session.shared.get(shared)
    if node is None:
        if not isinstance(shared, Shared):
            raise TypeError(f"session[…]: expected a Shared, not {short(shared)}")
        node = session.shared[shared] = SharedNode(session, shared)
    return node


class ClockNode(SessionNode):
    """The session's clock, as exactly as rules read it: its date, or its time to the hour, minute or second."""

    __slots__ = ("seen",)

    def __init__(self, session: SessionState) -> None:
        super().__init__(session, "clock")
        # What rules have read, to find out what differs at the next gesture.
        self.seen: dict[Exactness, object] = {}

    def _current(self, prop: Any) -> object:
        moment = at_exactness(time_of(self.session), prop)
        before = self.seen.get(prop)
        self.seen[prop] = moment
        if before is not None and before != moment:
            # Read before the gesture has looked at the clock: the other rules follow as well.
            self.session.dirty.invalidate(self, prop, 0)
        return moment

    def look(self) -> None:
        """Mark the rules for which the time differs."""
        for prop in tuple(self._watchers or ()):
            now = at_exactness(self.session.read_clock(), prop)
            if self.seen.get(prop) != now:
                self.seen[prop] = now
                self.session.dirty.invalidate(self, prop, 0)

    def wakes_at(self, now: datetime) -> datetime | None:
        """Return when what rules have read differs next, or None."""
        return min((next_at(now, prop) for prop in self._watchers or ()), default=None)


Exactness: TypeAlias = Literal["day", "hour", "minute", "second"]
UNITS: Final[dict[str, timedelta]] = {
    "day": timedelta(days=1), "hour": timedelta(hours=1), "minute": timedelta(minutes=1), "second": timedelta(seconds=1),
}  # fmt: skip
SMALLER: Final = {"day": ("hour", "minute", "second"), "hour": ("minute", "second"), "minute": ("second",), "second": ()}


def at_exactness(now: datetime, to: str) -> object:
    """Return a time to the hour, minute or second, or the date (to "day")."""
    return now.date() if to == "day" else now.replace(microsecond=0, **dict.fromkeys(SMALLER[to], 0))  # type: ignore[arg-type]


def next_at(now: datetime, to: str) -> datetime:
    """Return when a time, read to "day", "hour", "minute" or "second", differs next."""
    start = now.replace(microsecond=0, **dict.fromkeys(SMALLER[to], 0))  # type: ignore[arg-type]
    return start + UNITS[to] if to == "day" else later_by(start, UNITS[to])


class FormsNode(SessionNode):
    """The open forms, by class."""

    __slots__ = ()

    def _current(self, prop: Any) -> Value:
        return next((form for form in reversed(self.session.stack.forms) if isinstance(form, prop)), None)
