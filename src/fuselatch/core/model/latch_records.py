"""What a latch has taken: who was asked what, about what, when, and the answer."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from typing import Literal, NamedTuple, Protocol, TypeAlias

Every: TypeAlias = timedelta | Literal["day"] | None
"""How long something counts as taken: a duration, the calendar day, or (None) until it is released."""


class LatchRecord(NamedTuple):
    """One entry of a latch log, all text: the latch, the user and key it is held for, the answer, and when (ISO 8601)."""

    latch: str
    user: str
    key: str
    answer: str
    when: str


class LatchStore(Protocol):
    """A latch log that outlives sessions; at most one entry for each latch, user and key.

    Each call is one transaction; all raise `StoreRefused` where the store can't be used.
    """

    def find(self, latch: str, user: str, key: str) -> LatchRecord | None:
        """The entry of a latch for a user and key, or None."""

    def set(self, taken: LatchRecord, instead_of: LatchRecord | None) -> bool:
        """Put an entry in place of exactly that one (None: of none); False where somebody else was faster."""

    def reset(self, taken: LatchRecord) -> bool:
        """Take exactly that entry away; False where it is not there."""

    def all(self) -> Sequence[LatchRecord]:
        """Every entry, in order of latch, user and key."""


def is_over(every: Every, when: str, now: datetime) -> bool:
    """Whether what was taken at `when` no longer counts."""
    if every is None:
        return False
    taken = datetime.fromisoformat(when)
    if taken.tzinfo is not None and now.tzinfo is not None:
        taken = taken.astimezone(now.tzinfo)
    elif taken.tzinfo is not now.tzinfo:
        taken = taken.replace(tzinfo=now.tzinfo)
    return taken.date() != now.date() if every == "day" else now - taken >= every


def end_of(every: Every, when: str) -> str:
    """When what was taken stops counting, in words."""
    if every is None or not when:
        return "until it is reset"
    taken = datetime.fromisoformat(when)
    if every == "day":
        last: date = taken.date()
        return f"until the end of {last.isoformat()}"
    return f"until {(taken + every).isoformat()}"
