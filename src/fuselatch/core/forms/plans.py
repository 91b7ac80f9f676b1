"""Plans: what a form class declares, worked out once when the class is made.

Everything that a gesture looks up stands here ready: which handlers hear which event of which
control, which checks judge it, what is blank.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from fuselatch.core.forms.params import ParamDeclaration
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.events import Event

if TYPE_CHECKING:
    from fuselatch.core.forms.declarations import Declaration


@dataclass(frozen=True, slots=True)
class Handler:
    """A method that hears events: `name` as in messages ("BookingForm.look_up"), and how to call it."""

    name: str
    function: Callable[..., object]
    takes_event: bool

    @property
    def where(self) -> tuple[str, int]:
        """The file and line of the method."""
        code: Any = self.function.__code__
        return code.co_filename, code.co_firstlineno


@dataclass(frozen=True, slots=True)
class CheckPlan:
    """A written check: the paths of the controls whose values it receives; its marker sits at the first."""

    name: str
    function: Callable[..., object]
    controls: tuple[str, ...]


@dataclass(slots=True)
class ControlPlan:
    """One control of one form class: its `path`, place in tab order, handlers by event, and checks."""

    path: str
    index: int
    decl: Declaration[Any]
    blank: Any
    raises: tuple[str, ...] = ()
    heard: dict[str, tuple[Handler, ...]] = field(default_factory=dict)
    checks: tuple[CheckPlan, ...] = ()
    judged: bool = False


@dataclass(slots=True)
class FormPlan:
    """What one form class declares."""

    name: str
    title: str
    controls: dict[str, ControlPlan] = field(default_factory=dict)
    params: dict[str, ParamDeclaration] = field(default_factory=dict)
    prompts: dict[str, Prompt] = field(default_factory=dict)
    handlers: dict[str, Handler] = field(default_factory=dict)
    heard: dict[str, tuple[Handler, ...]] = field(default_factory=dict)
    heard_of: dict[tuple[type, str], tuple[Handler, ...]] = field(default_factory=dict)
    hints: Mapping[str, Any] | None = None


class Hears:
    """Collects handlers into the tuples of a plan, in order of declaration."""

    def __init__(self) -> None:
        self.by_key: dict[Any, list[Handler]] = {}

    def add(self, key: Any, handler: Handler) -> None:
        """Have a handler hear an event, once."""
        found = self.by_key.setdefault(key, [])
        if handler not in found:
            found.append(handler)


def call(handler: Handler, owner: object, event: Event) -> None:
    """Run a handler on the form that declared it."""
    if handler.takes_event:
        handler.function(owner, event)
    else:
        handler.function(owner)
