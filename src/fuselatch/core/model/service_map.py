"""Services: objects outside the session, by class."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple, TypeVar

from fuselatch.core.model.errors import NotAllowedHere, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Key

S = TypeVar("S")


class Selection(NamedTuple):
    """The selection in the host: a row of a source, by its key."""

    source: str
    key: Key


class Host:
    """The program that the forms open over. Derive from it and override `selected`."""

    def selected(self) -> Selection | None:
        """Return the row that the user has selected, or None."""
        raise NotImplementedError(f"{type(self).__name__} must override selected()")


class NoStandIn(NotAllowedHere):
    """A handler called a service that has no stand-in, while nothing real may be touched. `service`: its class's name."""

    def __init__(self, service: str) -> None:
        super().__init__(
            f"{service} has no stand-in, so its calls are refused while a scene is explored; "
            f"give one: Scene(…, explored={{{service}: …}})"
        )
        self.service = service


class Withheld:
    """In place of a service whose calls are refused. `was_asked`: True once the session asked for it."""

    __slots__ = ("kind", "was_asked")

    def __init__(self, kind: type) -> None:
        self.kind = kind
        self.was_asked = False


class Services:
    """A session's services, by class: `self.session.services[Letters].send(letter)`.

    `given`: a mapping of class to object. A missing service raises `UnknownName`; an object of another class is a
    `TypeError`.
    """

    __slots__ = ("_given",)

    def __init__(self, given: Mapping[type, object]) -> None:
        for kind, service in given.items():
            if not isinstance(kind, type) or not isinstance(service, (kind, Withheld)):
                raise TypeError(f"services must be a mapping such as {{Letters: …}}; {service!r} isn't a {kind!r}")
        self._given: Mapping[type, Any] = dict(given)

    def __getitem__(self, kind: type[S]) -> S:
        try:
            service: S = self._given[kind]
        except KeyError:
            names = [given.__name__ for given in self._given]
            hint = suggest(kind.__name__, names) if names else "open it with services=…"
            raise UnknownName(f"this session has no service {kind.__name__}; {hint}") from None
        if isinstance(service, Withheld):
            service.was_asked = True
            raise NoStandIn(kind.__name__)
        return service

    def __contains__(self, kind: type) -> bool:
        return kind in self._given

    def __iter__(self) -> Iterator[type]:
        return iter(self._given)
