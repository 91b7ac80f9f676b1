"""Latches: remember that something was asked or done, and for how long."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any, Final, Literal, Protocol, Self, TypeAlias, get_args, overload

from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.latch_records import Every
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import short, text_for

Scope: TypeAlias = Literal["record", "form", "session", "user", "saved_record"]
SCOPES: Final = get_args(Scope)


class LatchPort(Protocol):
    """The calls that a latch makes to the engine."""

    def latch_answer(self, form: Any, latch: Latch) -> str | None:
        """Return the answer that a latch was set with, if it is set."""

    def latch_when(self, form: Any, latch: Latch) -> datetime | None:
        """Return when a latch was set, if it is set."""

    def set_latch(self, form: Any, latch: Latch, answer: str) -> bool:
        """Set a latch; return False if it is already set."""

    def reset_latch(self, form: Any, latch: Latch) -> None:
        """Reset a latch."""


class Latched(Protocol):
    """An open form that has latches."""

    @property
    def _engine(self) -> LatchPort: ...


class Latch:
    """Remembers that something was asked or done: `Latch(per="record")`.

    `per`: "record", "form", "session", "user", "saved_record" (the record that a bound form shows, for everybody, until it
    is reset), or a tuple of these. `key`: a function of the form; the latch is set per key. `every`: a timedelta, or "day"
    for the session's calendar day; the latch is reset after it. On a prompt or check, a latch remembers answers. On a form,
    `imported_today = Latch(every="day")`, handlers set and read it.

    A latch per "user" or "saved_record", or with `every`, is stored in the latch store, unless it is also per "form",
    "session" or "record". Raises `DeclarationError`.
    """

    __slots__ = ("every", "key", "name", "per")

    def __init__(
        self, per: Scope | tuple[Scope, ...] = (), *, key: Callable[[Any], object] | None = None, every: Every = None
    ) -> None:
        scopes = (per,) if isinstance(per, str) else tuple(per)
        for scope in scopes:
            if scope not in SCOPES:
                raise DeclarationError(f"Latch(…): unknown scope per={scope!r}; {suggest(str(scope), SCOPES)}")
        if not scopes and every is None:
            raise DeclarationError(f"Latch() needs per= ({', '.join(SCOPES)}) or every=")
        if not (every is None or every == "day" or (isinstance(every, timedelta) and every > timedelta(0))):
            raise DeclarationError(f"Latch(…): every must be a positive timedelta or 'day', not {short(every)}")
        if key is not None and not callable(key):
            raise DeclarationError(f"Latch(…): key must be a function of the form, not {short(key)}")
        self.per = frozenset(scopes)
        self.key = key
        self.every: Every = every
        self.name = ""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = self.name or f"{owner.__name__}.{name}"

    @overload
    def __get__(self, instance: None, owner: type) -> Self: ...
    @overload
    def __get__(self, instance: Latched, owner: type) -> LiveLatch: ...
    @overload
    def __get__(self, instance: object, owner: type) -> Self: ...
    def __get__(self, instance: Any, owner: type) -> Any:
        return self if instance is None else LiveLatch(instance, self)

    def __repr__(self) -> str:
        scopes = [scope for scope in SCOPES if scope in self.per]
        words = [f"per {' + '.join(scopes)}"] if scopes else []
        return f"<Latch {', '.join([*words, *([f'every {self.every}'] if self.every else [])])}>"


class LiveLatch:
    """A latch of an open form."""

    __slots__ = ("_form", "_latch")

    def __init__(self, form: Latched, latch: Latch) -> None:
        self._form = form
        self._latch = latch

    def is_set(self) -> bool:
        """Return True if the latch is set. Rules can read it."""
        return self._form._engine.latch_answer(self._form, self._latch) is not None

    @property
    def answer(self) -> str | None:
        """The answer that it was set with, or None if it isn't set."""
        return self._form._engine.latch_answer(self._form, self._latch)

    @property
    def when(self) -> datetime | None:
        """When it was set, or None if it isn't set, or if the session has no clock. Rules can read it."""
        return self._form._engine.latch_when(self._form, self._latch)

    def set(self, answer: str = "") -> bool:
        """Set the latch at once; return False if it is already set.

        If the gesture fails, the latch is reset. If several sessions set it in one store, only one gets True.
        """
        return self._form._engine.set_latch(self._form, self._latch, text_for("set(…)", answer))

    def reset(self) -> None:
        """Reset the latch."""
        self._form._engine.reset_latch(self._form, self._latch)
