"""A session as handlers see it: `self.session`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, datetime
from typing import Any, Literal, TypeVar

from fuselatch.core.engine.engine import Engine
from fuselatch.core.engine.records import handler_rows
from fuselatch.core.engine.rules import latching, rows
from fuselatch.core.engine.rules.default_values import AtStart
from fuselatch.core.engine.rules.latching import LatchView
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.port import HandlerRows
from fuselatch.core.forms.shared import Shared
from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.record_changes import NewKey
from fuselatch.core.model.service_map import Services
from fuselatch.core.model.values import short

F = TypeVar("F", bound=OpenForm)
T = TypeVar("T")


class SessionRecords:
    """The records of a session, as a handler uses them."""

    __slots__ = ("_engine",)

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def rows(self, source: str) -> tuple[Mapping[str, object], ...]:
        """Return all rows of a source, with what this gesture has staged. Rules can read them."""
        read: tuple[Mapping[str, object], ...] = self._engine.state.rows.read(source)
        return read

    def read(self, source: str, key: object) -> Mapping[str, object] | None:
        """Return the row with a key, with what this gesture has staged, or None. Rules can read it."""
        return rows.row_at(self._engine.state, source, key)

    def find(self, source: str, row: Mapping[str, object]) -> Mapping[str, object] | None:
        """Return the first row with these values, with what this gesture has staged, or None. Rules can read it."""
        return rows.row_like(self._engine.state, source, self._row("find", source, row))

    def add(self, source: str, row: Mapping[str, object]) -> NewKey:
        """Stage a new row, which is written when the gesture is finished; return its key.

        The key may stand in other staged rows. Its `value` is known at once if the row names it, or else after the write.
        """
        return handler_rows.stage_new(self._engine.writing(), source, self._row("add", source, row))

    def change(self, source: str, key: object, row: Mapping[str, object]) -> None:
        """Stage these columns of the row with a key. If someone else changes that row first, the user is asked.

        Raises `UnknownName` if there is no such row.
        """
        handler_rows.stage_change(self._engine.writing(), source, key, self._row("change", source, row))

    def remove(self, source: str, key: object) -> None:
        """Stage the removal of the row with a key. Raises `UnknownName` if there is no such row."""
        handler_rows.stage_change(self._engine.writing(), source, key, None)

    def _row(self, verb: str, source: str, row: object) -> Mapping[str, object]:
        if not isinstance(row, Mapping):
            raise TypeError(f"{verb}('{source}', …): expected a row, a mapping of columns to values, not {short(row)}")
        return row


class ForHandlers:
    """A session as handlers see it."""

    _engine: Engine
    _state: SessionState

    @property
    def user(self) -> str:
        """The user's name."""
        return self._state.options.user

    @property
    def formats(self) -> Formats:
        """How values are written and read."""
        return self._engine.formats

    @property
    def forms(self) -> tuple[Form, ...]:
        """The open forms, front first."""
        forms: Any = self._state.stack.forms[::-1]
        return forms  # type: ignore[no-any-return]

    @property
    def services(self) -> Services:
        """The session's services, by class."""
        return self._state.services

    @property
    def latches(self) -> tuple[LatchView, ...]:
        """The latches that are set for this session's user, with what resets each."""
        return latching.latch_views(self._state)

    @property
    def records(self) -> HandlerRows:
        """The session's records."""
        return SessionRecords(self._engine)

    def now(self, to: Literal["hour", "minute", "second"] | None = None) -> datetime:
        """Return the session's time, read once per gesture.

        `to`: to the hour, minute or second; rules can read that, and run again when it differs. Handlers and defaults can
        also read the time as it is.
        """
        if to is not None:
            if to not in ("hour", "minute", "second"):
                raise ValueError(f"now(to={to!r}): use 'hour', 'minute' or 'second'")
            time: datetime = self._state.time.read(to)
            return time
        tracker = self._engine.tracker
        if tracker is not None and not isinstance(tracker, AtStart):
            raise NotAllowedHere(
                'a rule can\'t read now(), which differs at each moment; read now(to="minute") or today(), or use a handler'
            )
        return self._state.read_clock()

    def today(self) -> date:
        """Return the session's date. Rules can read it."""
        day: date = self._state.time.read("day")
        return day

    def find(self, form: Callable[..., F]) -> F | None:
        """Return the front form of a class, or None. Rules can read it."""
        if not isinstance(form, type):
            raise TypeError(f"find(…): expected a form class, not {short(form)}")
        front: F | None = self._state.open_forms.read(form)
        return front

    def __getitem__(self, shared: Shared[T]) -> T:
        """Return the session's value of a `Shared`. Rules can read it."""
        value: T = self._engine.read_shared(shared)
        return value

    def __setitem__(self, shared: Shared[T], value: T) -> None:
        """Set the session's value of a `Shared`."""
        self._engine.put_shared(shared, value)
