"""Attach handlers: `@length.changed`, `@on(length.left, beam.left)`, `@Form.opened`.

Decorators mark a function and return it. The form class collects the marks.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from fuselatch.core.model.errors import DeclarationError

F = TypeVar("F", bound=Callable[..., Any])
MARK = "_fuselatch_hears"


class OwnedEvent:
    """An event of a declared control or a form class, which handlers attach to."""

    __slots__ = ("name", "owner")

    def __init__(self, owner: Any, name: str) -> None:
        self.owner = owner
        self.name = name

    def __call__(self, function: F) -> F:
        """Attach a handler: a method that takes `self`, or `self` and the event."""
        return on(self)(function)

    def __repr__(self) -> str:
        owner = self.owner
        return f"{owner.__name__ if isinstance(owner, type) else owner.name or repr(owner)}.{self.name}"


class FormEvent:
    """A form's event, in the class of form classes. Read from a form class, it is an `OwnedEvent`."""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = name

    def __get__(self, form: Any, owner: type) -> OwnedEvent:
        return OwnedEvent(form, self.name)


def on(*sources: OwnedEvent) -> Callable[[F], F]:
    """Attach one handler to several events: `@on(length.left, beam.left)`.

    Returns the function. Raises `DeclarationError` for anything but an event.
    """
    for source in sources:
        if not isinstance(source, OwnedEvent):
            raise DeclarationError(
                f"on(…): expected an event such as length.changed, not {type(source).__name__}; add the event name"
            )
    if not sources:
        raise DeclarationError("on() needs at least one event, such as on(length.changed)")

    def attach(function: F) -> F:
        must_be_plain(function, "a handler", "the event")
        heard: list[OwnedEvent] = function.__dict__.setdefault(MARK, [])
        heard.extend(sources)
        return function

    return attach


WAITING_KINDS = 0x20 | 0x80 | 0x200
"""The flags of generators and coroutines in a code object."""


def must_be_plain(function: Any, what: str, decorator: str) -> None:
    """Refuse anything but a plain, synchronous method; raise `DeclarationError`."""
    code = getattr(function, "__code__", None)
    if code is None:
        raise DeclarationError(f"{what} must be a method, not {type(function).__name__}; put {decorator} on top")
    if code.co_flags & WAITING_KINDS:
        raise DeclarationError(f"{what} can't use async or yield ({function.__name__}); a handler can wait without them")


def heard_by(function: object) -> tuple[OwnedEvent, ...]:
    """Return the events that a function is marked to handle."""
    return tuple(getattr(function, "__dict__", {}).get(MARK, ()))
