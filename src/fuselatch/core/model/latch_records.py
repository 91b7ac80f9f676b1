"""The records of latches: who was asked what, when, and the answer."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from typing import Literal, NamedTuple, Protocol, TypeAlias

Every: TypeAlias = timedelta | Literal["day"] | None
"""How long a latch stays set: a duration, the calendar day, or (None) until it is reset."""


class LatchRecord(NamedTuple):
    """One entry of a latch log, all text: latch, user, key, answer and time (ISO 8601)."""

    latch: str
    user: str
    key: str
    answer: str
    when: str


class LatchStore(Protocol):
    """A latch log that outlives sessions, with one entry per latch, user and key.

    Each call is one transaction. All raise `StoreRefused` if the store can't be used.
    """

    def find(self, latch: str, user: str, key: str) -> LatchRecord | None:
        """Return the entry of a latch for a user and key, or None."""

    def set(self, taken: LatchRecord, instead_of: LatchRecord | None) -> bool:
        """Replace an entry (None: add one); return False if someone else was faster."""

    def reset(self, taken: LatchRecord) -> bool:
        """Delete this entry; return False if it is already gone."""

    def all(self) -> Sequence[LatchRecord]:
        """Return every entry, in order of latch, user and key."""


def is_over(every: Every, when: str, now: datetime) -> bool:
    """Return True if a latch set at `when` has expired."""
    if every is None:
        return False
    taken = as_of(when, now)
    # Of two clocks that differ, the one behind doesn't end what the other has set.
    return now.date() > taken.date() if every == "day" else elapsed(taken, now) >= every


def over_at(every: Every, when: str, now: datetime) -> datetime | None:
    """Return when a latch set at `when` expires, in the time zone of `now`; None: never by time."""
    if every is None:
        return None
    taken = as_of(when, now)
    if every == "day":
        return taken.replace(hour=0, minute=0, second=0, microsecond=0) + timedelta(days=1)
    return later_by(taken, every)


def elapsed(start: datetime, end: datetime) -> timedelta:
    """Return the time that passed between two moments. Python subtracts times of one zone as if its clocks never changed."""
    if start.tzinfo is None or end.tzinfo is None:
        return end.replace(tzinfo=None) - start.replace(tzinfo=None)
    return end.astimezone(UTC) - start.astimezone(UTC)


def is_before(one: datetime, other: datetime) -> bool:
    """Return True if a moment is before another, also if their clocks change in between."""
    return elapsed(one, other) > timedelta(0)


def later_by(start: datetime, duration: timedelta) -> datetime:
    """Return the moment after a duration, in the zone of the first, also if its clocks change in between."""
    if start.tzinfo is None:
        return start + duration
    return (start.astimezone(UTC) + duration).astimezone(start.tzinfo)


def as_of(when: str, now: datetime) -> datetime:
    """Return a stored time in the time zone of another."""
    taken = datetime.fromisoformat(when)
    if taken.tzinfo is not None and now.tzinfo is not None:
        return taken.astimezone(now.tzinfo)
    return taken if taken.tzinfo is now.tzinfo else taken.replace(tzinfo=now.tzinfo)


def end_of(every: Every, when: str) -> str:
    """Return when a latch is reset, in words."""
    if every is None or not when:
        return "until it is reset"
    taken = datetime.fromisoformat(when)
    if every == "day":
        last: date = taken.date()
        return f"until the end of {last.isoformat()}"
    return f"until {later_by(taken, every).isoformat()}"
