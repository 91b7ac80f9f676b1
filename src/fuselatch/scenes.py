"""Scenes: a form with everything that it is opened with."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import Executor
from dataclasses import dataclass
from datetime import datetime
from inspect import CO_ASYNC_GENERATOR, CO_COROUTINE, CO_GENERATOR, Parameter, isfunction, signature
from typing import TYPE_CHECKING, Any, Final, TypeVar, Unpack, overload

from fuselatch.core.engine.session import Session
from fuselatch.core.engine.state.observer import Observer
from fuselatch.core.engine.state.session_options import COMMON, Common, CommonOptions
from fuselatch.core.engine.state.store import Store
from fuselatch.core.forms.form import Form, must_be_a_form
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Record
from fuselatch.core.model.values import Value
from fuselatch.formats import locale_formats
from fuselatch.stores.memory import MemoryLatches, MemoryRecords

__all__ = ["NOW", "Scene", "open_session", "scene"]

F = TypeVar("F", bound=Callable[[], Any])
MARK: Final = "_fuselatch_scene"
NO_PLAIN_CALL: Final = CO_GENERATOR | CO_COROUTINE | CO_ASYNC_GENERATOR
IS_SCENE: Final = object()
"""The mark of a scene function. Only this very object counts: some modules have an answer for any attribute."""

NOW: Final = datetime(2031, 5, 4, 9, 30)
"""The time of a rehearsal without `now`."""


def store_of(given: object) -> Any:
    """Return a store: the given one, or one in memory of rows by source."""
    return MemoryRecords(given) if isinstance(given, Mapping) else given


def checked_stand_ins(given: Mapping[type, object]) -> Mapping[type, Any]:
    """Return the stand-ins of a scene; raise `TypeError` for one that neither is the service nor makes it."""
    for kind, one in given.items():
        if not isinstance(kind, type):
            raise TypeError(f"Scene(explored=…): expected a mapping such as {{Rates: FakeRates}}, not {{{kind!r}: …}}")
        makes = issubclass(one, kind) if isinstance(one, type) else callable(one)
        if not (makes or isinstance(one, kind)):
            wanted = f"expected a {kind.__name__}, or a class or function that makes one"
            raise TypeError(f"Scene(explored={{{kind.__name__}: …}}): {wanted}, not {one!r}")
    return given


OPTIONS: Final[Mapping[str, Any]] = {
    **COMMON,
    "now": NOW,
    "locale": "en",
    "records": None,
    "explored": {},
    "slow_calls_by": {},
    "slow_calls_on": None,
}
"""The options of a scene, with their usual values."""
READY: Final[Mapping[str, Callable[[Any], Any]]] = {
    "records": store_of,
    "explored": checked_stand_ins,
    "observers": tuple,
}
"""How some options are made ready."""


class SceneOptions(CommonOptions, total=False):
    """The options of `Scene`, `rehearse` and `show_form`, for type checkers."""

    now: datetime
    locale: str
    records: Store | Mapping[str, Iterable[Record]] | None
    explored: Mapping[type, Any]
    slow_calls_by: Mapping[Callable[..., Any], Callable[..., Any]]
    slow_calls_on: Executor | None


@dataclass(init=False)
class Scene(Common):
    """A form and everything that it is opened with, returned by a scene function.

    `form`: a form class; without one, a form of `forms` with `at_start=True` opens. `user`, `now`, `locale`: who, when and
    how values are written. `records`: a store, or rows by source. `services`: objects by class; without them, letters and
    drawings are recorded. `explored`: what stands in for services while the scene is explored, by class: an object, or a
    class or function that makes one for each session. `slow_calls_by`: what stands in for functions that are called
    elsewhere, by function, in rehearsals and searches. `slow_calls_on`: the executor that they run on where people use the
    form; otherwise daemon threads. `latches`: a latch store. `policy`: a `Policy`. `forms`: forms that
    can be opened by name. `at`, `only`: see `Form.open`. `observers`, `on_failure`, `max_runs`: see `Session`. Other names
    are the form's parameters.

    A scene function takes no arguments, and is marked so that cue sheets can open it:

        @scene
        def quiet_monday() -> Scene: …
    """

    form: type[Form] | None
    params: Mapping[str, Value]
    now: datetime
    locale: str
    records: Store | None
    explored: Mapping[type, Any]
    slow_calls_by: Mapping[Callable[..., Any], Callable[..., Any]]
    slow_calls_on: Executor | None
    begins: datetime | None
    """The time that was given, if any: a form that is shown to people then starts there."""

    if TYPE_CHECKING:

        @overload
        def __init__(self, form: type[Form] | None = None, **options: Unpack[SceneOptions]) -> None: ...
        @overload
        def __init__(self, form: type[Form] | None = None, **params: Any) -> None: ...

    def __init__(self, form: type[Form] | None = None, **given: Any) -> None:
        if form is not None:
            must_be_a_form("Scene", form)
        self.form = form
        self.params = {name: value for name, value in given.items() if name not in OPTIONS}
        self.begins = None
        vars(self).update(OPTIONS)
        self.set(**{name: value for name, value in given.items() if name in OPTIONS})

    def set(self, **given: Any) -> None:
        """Set options. One that is None isn't given. Raises `TypeError` for an unknown one."""
        for name, value in given.items():
            if name not in OPTIONS:
                raise TypeError(f"no option '{name}'; {suggest(name, OPTIONS)}")
            if value is not None:
                setattr(self, name, READY[name](value) if name in READY else value)
        if given.get("now") is not None and given["now"] is not NOW:
            self.begins = given["now"]

    def __repr__(self) -> str:
        return f"Scene({self.form.__name__ if self.form else None}, user={self.user!r}, now={self.now.isoformat()})"


def scene(function: F) -> F:
    """Mark a function as a scene, so that cue sheets can open it: no other functions are called by a sheet.

    `function`: takes no arguments and returns a `Scene`. Returns it. Raises `DeclarationError` for anything else.
    """
    name = getattr(function, "__qualname__", repr(function))
    if not isfunction(function) or function.__code__.co_flags & NO_PLAIN_CALL:
        raise DeclarationError(f"@scene: {name} isn't a plain function")
    needed = [each.name for each in signature(function).parameters.values() if is_needed(each)]
    if needed:
        raise DeclarationError(f"@scene: {name} takes no arguments, so '{needed[0]}' needs a default")
    function.__dict__[MARK] = IS_SCENE
    return function


def is_scene(found: object) -> bool:
    """Return True for a function that is marked as a scene."""
    return isfunction(found) and vars(found).get(MARK) is IS_SCENE


def is_needed(parameter: Parameter) -> bool:
    """Return True if a function can't be called without a parameter."""
    return parameter.default is Parameter.empty and parameter.kind not in (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)


def open_session(
    scene: Scene, clock: Callable[[], datetime], observers: Iterable[Observer] = (), recording: bool = True
) -> Session:
    """Open a scene as a session, with its own store, latch log and services. `observers`: besides the scene's."""
    common = {name: getattr(scene, name) for name in COMMON}
    common["latches"] = scene.latches if scene.latches is not None else MemoryLatches()
    common["observers"] = (*scene.observers, *observers)
    formats = locale_formats(scene.locale)
    return Session(
        scene.form, clock=clock, formats=formats, records=scene.records, params=scene.params, recording=recording, **common
    )
