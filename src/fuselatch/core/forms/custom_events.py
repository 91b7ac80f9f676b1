"""Signals: events of a form's own, which carry a payload to whoever opened the form."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Generic, TypeVar, overload

from fuselatch.core.forms.container import Container
from fuselatch.core.forms.plans import Handler
from fuselatch.core.forms.sources import EventSource, must_be_plain, on
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.values import exactly

if TYPE_CHECKING:
    from fuselatch.core.forms.form import Form

F = TypeVar("F", bound=Callable[..., Any])
T = TypeVar("T")


class CustomEvent(Generic[T]):
    """An event of one's own: `chosen = CustomEvent(str)` in a form's body.

    Takes the type of its payload; a dataclass carries several values. In a handler
    `self.chosen.send("Kittiwake")` raises it, any number of times. `@VesselSearch.chosen` hears it in the
    form that opened the VesselSearch, from each one; in the body that declares it, `@chosen` hears one's
    own. The handler's event has it as `event.payload`.
    """

    __slots__ = ("kind", "name")

    def __init__(self, payload: type[T]) -> None:
        if not isinstance(payload, type):
            raise DeclarationError(f"CustomEvent(…): expected the payload's type, such as str, not {payload!r}")
        self.kind = payload
        self.name = ""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = self.name or name

    def __call__(self, function: F) -> F:
        """Attach a handler of the form that declares the signal."""
        return on(EventSource(self, ""))(function)

    @overload
    def __get__(self, instance: None, owner: type) -> EventSource: ...
    @overload
    def __get__(self, instance: Form, owner: type) -> LiveCustomEvent[T]: ...
    def __get__(self, instance: Any, owner: type) -> Any:
        return EventSource(owner, self.name) if instance is None else LiveCustomEvent(instance, self)

    def __repr__(self) -> str:
        return f"CustomEvent({self.kind.__name__})"


class LiveCustomEvent(Generic[T]):
    """A signal of an open form."""

    __slots__ = ("_custom_event", "_form")

    def __init__(self, form: Form, custom_event: CustomEvent[T]) -> None:
        self._form = form
        self._custom_event = custom_event

    def send(self, payload: T) -> None:
        """Raise it: its handlers run once the handler that sends it has ended.

        Raises `TypeError` for a payload of another type.
        """
        what = f"{type(self._form).__name__}.{self._custom_event.name}"
        self._form._engine.send(self._form, self._custom_event.name, exactly(self._custom_event.kind, payload, what))

    def listen(self, function: Callable[..., object]) -> None:
        """Have it heard by hand: `dialog.chosen.listen(self.take_over)`, for as long as both forms are open.

        `function` is a method of a form (then until that one closes, too) or a function; it takes the
        event, or nothing.
        """
        self._form._engine.listen(self._form, self._custom_event.name, *listener(self._form, function))


def listener(form: Form, function: Any) -> tuple[Any, Handler]:
    """What listens, as a handler with the form or group that it is a method of (else the sending form)."""
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
