"""Plans: what a form class declares, worked out once when the class is made.

Everything that a gesture looks up stands here ready: which handlers hear which event of which
control, which checks judge it, what is blank. A group's plan is worked out once, too, and embedded
into each form that uses the group, with its paths put in front.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from fuselatch.core.forms.latches import Latch
from fuselatch.core.forms.params import ParamDeclaration
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.findings import Level


@dataclass(eq=False)
class Handler:
    """A method that hears events.

    `name` is what messages call it ("BookingForm.look_up"). `up` says how many groups out of the
    event's control the form or group stands that declares it; `within` is the path of that group
    for events of the form.
    """

    name: str
    function: Callable[..., object]
    takes_event: bool
    up: int = 0
    within: str = ""

    @property
    def where(self) -> tuple[str, int]:
        """The file and line of the method."""
        code: Any = getattr(self.function, "__wrapped__", self.function).__code__
        return code.co_filename, code.co_firstlineno


@dataclass
class CheckPlan:
    """A written check: the paths of the controls whose values it receives, and of the one that shows its marker."""

    name: str
    function: Callable[..., object]
    controls: tuple[str, ...]
    at: str
    level: Level | None = None
    while_typing: bool = False
    blanks: bool = False
    within: str = ""
    latch: Latch | None = None

    def inside(self, path: str) -> CheckPlan:
        """The same check of a group that stands at a path."""
        controls = tuple(joined(path, one) for one in self.controls)
        return replace(self, controls=controls, at=joined(path, self.at), within=joined(path, self.within))


@dataclass
class ControlPlan:
    """One control (or group) of one form class.

    `outer` is the path of the group that it is in ("" for the form itself), `inputs` the paths of
    what its `derive` rules take; `checks` are shown at it, `judges` receive its value. An `entry` takes
    entries, and is `judged` where a rule or check has something to say about it; a `masked` one shows
    no text; `in_use` is whether it can be used as declared; values of the type `as_is` need no
    conversion; one that `lists` things says for itself what it holds; `levels` are those that a policy
    gives its declared rules.
    """

    path: str
    index: int
    decl: Any
    blank: Any
    raises: tuple[str, ...] = ()
    outer: str = ""
    heard: dict[str, tuple[Handler, ...]] = field(default_factory=dict)
    inputs: dict[str, tuple[str, ...]] = field(default_factory=dict)
    checks: tuple[CheckPlan, ...] = ()
    judges: tuple[CheckPlan, ...] = ()
    entry: bool = False
    judged: bool = False
    masked: bool = False
    in_use: bool = True
    lists: bool = False
    as_is: type | None = None
    levels: Mapping[str, Level] | None = None
    line: tuple[Any, Any] | None = None

    def inside(self, path: str, index: int) -> ControlPlan:
        """The same control of a group that stands at a path."""
        return replace(
            self,
            path=joined(path, self.path),
            index=index,
            outer=joined(path, self.outer) if self.outer else path,
            heard=dict(self.heard),
            inputs={prop: tuple(joined(path, one) for one in paths) for prop, paths in self.inputs.items()},
            checks=tuple(check.inside(path) for check in self.checks),
            judges=tuple(check.inside(path) for check in self.judges),
        )


@dataclass
class RowPlan:
    """Controls side by side: the row's caption, and their paths."""

    caption: str
    controls: tuple[str, ...]


@dataclass
class FormPlan:
    """What one form class, or one group class, declares.

    `ruled` are the paths of groups and controls with rules or checks, `defaulted` those of controls
    that may start with a value: opening a form looks at no others. `reworded` are the prompts that a
    policy puts in other words.
    """

    name: str
    title: Any
    doc: str = ""
    discard: str = ""
    opener: str = ""
    keys: str = ""
    at_start: bool = False
    records: str = ""
    on_leave: str = "save"
    has_lines: bool = False
    tables: tuple[str, ...] = ()
    controls: dict[str, ControlPlan] = field(default_factory=dict)
    groups: dict[str, ControlPlan] = field(default_factory=dict)
    containers: dict[str, type] = field(default_factory=dict)
    rows: dict[str, RowPlan] = field(default_factory=dict)
    params: dict[str, ParamDeclaration] = field(default_factory=dict)
    prompts: dict[str, Prompt] = field(default_factory=dict)
    reworded: dict[str, Prompt] = field(default_factory=dict)
    custom_events: dict[str, Any] = field(default_factory=dict)
    handlers: dict[str, Handler] = field(default_factory=dict)
    heard: dict[str, tuple[Handler, ...]] = field(default_factory=dict)
    heard_of: dict[tuple[type, str], tuple[Handler, ...]] = field(default_factory=dict)
    shortcuts: dict[str, str] = field(default_factory=dict)
    rule_names: frozenset[str] = frozenset()
    ruled: tuple[str, ...] = ()
    defaulted: tuple[str, ...] = ()
    hints: Mapping[str, Any] | None = None

    def placed(self, path: str) -> ControlPlan | None:
        """The control or group at a path."""
        return self.controls.get(path) or self.groups.get(path)


def joined(path: str, name: str) -> str:
    """The path of something within a group."""
    return f"{path}.{name}" if path and name else path or name
