"""The trace: one flat entry for each thing that happened, with its cause.

Entries are stored as rows, and become `TraceEntry` when they are read.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Final, NamedTuple, overload

from fuselatch.core.model.json_text import json_text
from fuselatch.core.model.trace_rows import TraceRow, add_row
from fuselatch.core.model.values import Value

KINDS: Final = (
    "gesture", "refused", "step", "event", "handler", "change", "finding", "prompt", "answer",
    "slow_call", "call_end", "latch", "open", "close", "block", "skip", "stale", "write", "error", "fuse", "undo",
)  # fmt: skip
"""The kinds of entry."""


class TraceEntry(NamedTuple):
    """An entry of the trace.

    `number`: 1-based. `cause`: the number of the entry that caused it (0: none). `kind`: one of `KINDS`. `form`, `control`:
    where. `name`: the event, step, handler or property. `old`, `new`: before and after. `time`: the session's time (ISO
    8601, or "").
    """

    number: int
    cause: int
    kind: str
    form: str
    control: str
    name: str
    old: Value
    new: Value
    time: str

    def to_json(self) -> str:
        """Return the entry as one line of JSON, with its keys in this order."""
        return json_text(self._asdict())


class Trace(Sequence[TraceEntry]):
    """The entries of one session, in order."""

    def __init__(self) -> None:
        self.rows: list[TraceRow] = []
        self.times: list[tuple[int, datetime]] = []
        # The last "undo" of each gesture, by its number, among the first `_looked` entries.
        self._undone: dict[int, int] = {}
        self._looked = 0

    def add(self, cause: int, kind: str, form: str, control: str, name: str, old: object = None, new: object = None) -> int:
        """Add an entry; return its number."""
        return add_row(self.rows, cause, kind, form, control, name, old, new)

    def stamp(self, time: datetime) -> None:
        """Set the time of the entries from here on."""
        if not self.times or self.times[-1][1] is not time:
            self.times.append((len(self.rows), time))

    def __len__(self) -> int:
        return len(self.rows)

    @overload
    def __getitem__(self, index: int) -> TraceEntry: ...
    @overload
    def __getitem__(self, index: slice) -> list[TraceEntry]: ...
    def __getitem__(self, index: int | slice) -> TraceEntry | list[TraceEntry]:
        if isinstance(index, slice):
            return [self._entry(at) for at in range(*index.indices(len(self.rows)))]
        return self._entry(range(len(self.rows))[index])

    def __iter__(self) -> Iterator[TraceEntry]:
        return (self._entry(at) for at in range(len(self.rows)))

    def _entry(self, at: int) -> TraceEntry:
        place = bisect_right(self.times, at, key=lambda mark: mark[0])
        return TraceEntry(at + 1, *self.rows[at], self.times[place - 1][1].isoformat() if place else "")

    def last_change(self, form: str, control: str, name: str) -> int | None:
        """Return the number of the last entry that changed a property, or None."""
        return self.last("change", form, control, name)

    def last(self, kind: str, form: str, control: str, name: str) -> int | None:
        """Return the number of the last entry like this that wasn't undone, or None."""
        wanted = (kind, form, control, name)
        for at in range(len(self.rows) - 1, -1, -1):
            if self.rows[at][1:5] == wanted and self.undone_by(at + 1) is None:
                return at + 1
        return None

    def undone_by(self, number: int) -> int | None:
        """Return the number of the entry that says that an entry was undone, or None if it wasn't."""
        while self._looked < len(self.rows):
            cause, kind = self.rows[self._looked][:2]
            self._looked += 1
            if kind == "undo":
                self._undone[cause] = self._looked
        if not self._undone:
            return None
        gesture = number
        while self.rows[gesture - 1][0]:
            gesture = self.rows[gesture - 1][0]
        count = self._undone.get(gesture, 0)
        return count if number < count else None

    def to_jsonl(self) -> str:
        """Return the trace as JSON Lines, one entry per line."""
        return "".join(entry.to_json() + "\n" for entry in self)


ADDRESS = re.compile(r" at 0x[0-9A-Fa-f]+")
FOLDERS = re.compile(r"(?<![\w.])(?:[A-Za-z]:)?(?:[/\\][^\s/\\'\"]+)+[/\\](?=[^\s/\\'\"]+)")
"""Folders from the root on. A slash within words or numbers, as in 5/4/2031, isn't one."""


def safe_text(text: str) -> str:
    """Return text without addresses and folders, which differ from run to run."""
    return FOLDERS.sub("", ADDRESS.sub("", text))
