"""Custom events: events that a form declares itself, with a payload."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

from fuselatch.core.forms.attaching import OwnedEvent, must_be_plain, on
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.plans import Handler
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.events import heard_as
from fuselatch.core.model.values import exactly, short

F = TypeVar("F", bound=Callable[..., Any])
T = TypeVar("T")


class CustomEvent(Generic[T]):
    """An event that a form declares: `chosen = CustomEvent(str)`.

    `payload`: the payload's type; use a dataclass for several values. `self.chosen.send("Kittiwake")` raises it in a
    handler. `@VesselSearch.chosen` handles it in the form that opened the VesselSearch, `@chosen` in the class that
    declares it. The handler reads `event.payload`.
    """

    __slots__ = ("kind", "name")

    def __init__(self, payload: type[T]) -> None:
        if not isinstance(payload, type):
            raise DeclarationError(f"CustomEvent(…): expected the payload's type, such as str, not {short(payload)}")
        self.kind = payload
        self.name = ""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = self.name or name

    def __call__(self, function: F) -> F:
        """Attach a handler of the form that declares the event."""
        return on(OwnedEvent(self, ""))(function)

    @overload
    def __get__(self, instance: None, owner: type) -> OwnedEvent: ...
    @overload
    def __get__(self, instance: OpenForm, owner: type) -> LiveCustomEvent[T]: ...
    def __get__(self, instance: Any, owner: type) -> Any:
        return OwnedEvent(owner, heard_as(self.name, True)) if instance is None else LiveCustomEvent(instance, self)

    def __repr__(self) -> str:
        return f"CustomEvent({self.kind.__name__})"


class LiveCustomEvent(Generic[T]):
    """A custom event of an open form."""

    __slots__ = ("_custom_event", "_form")

    def __init__(self, form: OpenForm, custom_event: CustomEvent[T]) -> None:
        self._form = form
        self._custom_event = custom_event

    def send(self, payload: T) -> None:
        """Raise the event. Its handlers run after the current handler.

        Raises `TypeError` for a payload of another type.
        """
        what = f"{type(self._form).__name__}.{self._custom_event.name}"
        self._form._engine.send(self._form, self._custom_event.name, exactly(self._custom_event.kind, payload, what))

    def listen(self, function: Callable[..., object]) -> None:
        """Attach a handler while both forms are open: `dialog.chosen.listen(self.take_over)`.

        `function`: a method of a form, or a function; it takes the event or no argument.
        """
        self._form._engine.listen(self._form, self._custom_event.name, *listener(self._form, function))


def listener(form: OpenForm, function: Any) -> tuple[Any, Handler]:
    """Return a listener's owner and its handler."""
    owner, inner = getattr(function, "__self__", None), getattr(function, "__func__", function)
    must_be_plain(inner, "a listener", "listen(…)")
    wanted = inner.__code__.co_argcount - len(inner.__defaults__ or ()) - (owner is not None)
    if wanted not in (0, 1):
        raise TypeError(f"a listener takes the event or no argument, not {wanted} arguments")
    name = str(inner.__qualname__)
    if isinstance(owner, Container):
        return owner, Handler(name, inner, wanted == 1)

    def heard(form: object, event: object) -> None:
        function(event) if wanted else function()

    heard.__dict__["__wrapped__"] = inner
    return form, Handler(name, heard, True)
