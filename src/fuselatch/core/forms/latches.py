"""Latches: what was asked already, or done already, is remembered, and for how long is declared."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import TYPE_CHECKING, Any, Final, Literal, Self, TypeAlias, get_args, overload

from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.latch_records import Every
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import text_for

if TYPE_CHECKING:
    from fuselatch.core.forms.form import Form

Scope: TypeAlias = Literal["record", "form", "session", "user"]
SCOPES: Final = get_args(Scope)


class Latch:
    """Remembers that something was asked, or done: `Latch(per="record")`.

    `per` is one or several of "record", "form", "session" and "user"; `key` is a function of the form
    whose result is remembered with it; `every` (a timedelta, or "day" for the calendar day of the
    session's clock) is how long it holds. On a prompt or a check it keeps answers; declared on a
    form, as `imported_today = Latch(every="day")`, it is asked and taken by handlers. What is per
    "user", or has an `every`, outlives the session in its latch store, unless it is per "form",
    "session" or "record", too. Raises `DeclarationError`.
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
            raise DeclarationError(f"Latch(…): every must be a positive timedelta or 'day', not {every!r}")
        if key is not None and not callable(key):
            raise DeclarationError(f"Latch(…): key must be a function of the form, not {key!r}")
        self.per = frozenset(scopes)
        self.key = key
        self.every: Every = every
        self.name = ""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = self.name or f"{owner.__name__}.{name}"

    @overload
    def __get__(self, instance: None, owner: type) -> Self: ...
    @overload
    def __get__(self, instance: Form, owner: type) -> LiveLatch: ...
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

    def __init__(self, form: Form, latch: Latch) -> None:
        self._form = form
        self._latch = latch

    def is_set(self) -> bool:
        """Whether it has been taken and still counts; rules follow it."""
        return self._form._engine.latch_answer(self._form, self._latch) is not None

    @property
    def answer(self) -> str | None:
        """What it was taken with; None while it does not hold."""
        return self._form._engine.latch_answer(self._form, self._latch)

    def set(self, answer: str = "") -> bool:
        """Take it at once; False where it held already. Released again if the gesture fails.

        Of several sessions that take the same one in a shared store, one is told True.
        """
        return self._form._engine.set_latch(self._form, self._latch, text_for("set(…)", answer))

    def reset(self) -> None:
        """Let it go, where it holds."""
        self._form._engine.reset_latch(self._form, self._latch)
