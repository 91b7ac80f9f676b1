"""Plans: what a form class declares, worked out once when the class is made.

A plan has everything that a gesture looks up: handlers by event and control, checks, blank values. A group's plan is
embedded in each form that uses it, with its path in front.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.params import ParamDeclaration
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.findings import Level
from fuselatch.core.model.values import Value


@dataclass(eq=False)
class Handler:
    """A method that handles events.

    `name`: its name in messages ("BookingForm.look_up"). `up`: how many groups outside the event's control declare it.
    `within`: the path of its group, for events of the form.
    """

    name: str
    function: Callable[..., object]
    takes_event: bool
    up: int = 0
    within: str = ""

    @property
    def where(self) -> tuple[str, int]:
        """The method's file and line."""
        code: Any = getattr(self.function, "__wrapped__", self.function).__code__
        return code.co_filename, code.co_firstlineno


@dataclass
class CheckPlan:
    """A written check: the controls whose values it gets, and the one that shows its marker."""

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
        """Return the same check of a group at a path."""
        controls = tuple(joined(path, one) for one in self.controls)
        return replace(self, controls=controls, at=joined(path, self.at), within=joined(path, self.within))


@dataclass
class ControlPlan:
    """One control (or group) of one form class.

    `outer`: the path of its group ("" for the form). `inputs`: the paths that its `derive` rules read. `checks` are shown at
    it, `checked_by` read its value. `validated`: a rule or check may have a finding. `usable`: declared enabled and visible.
    `as_is`: the type that needs no conversion. `lists`: its class decides its value. `offers`: it has choices.
    `typable`: text can be typed into it. `stops`: it can have the focus while it is usable. `width`: in characters. `hears`:
    the events of pointer and clicks that have a handler. `levels`: a policy's levels.
    `answers`: a handler hears `changed`, or a line has to.
    """

    path: str
    index: int
    decl: Any
    blank: Value
    raises: tuple[str, ...] = ()
    outer: str = ""
    heard: dict[str, tuple[Handler, ...]] = field(default_factory=dict)
    inputs: dict[str, tuple[str, ...]] = field(default_factory=dict)
    checks: tuple[CheckPlan, ...] = ()
    checked_by: tuple[CheckPlan, ...] = ()
    is_group: bool = False
    is_input: bool = False
    is_checked: bool = False
    holds_value: bool = False
    offers: bool = False
    typable: bool = False
    stops: bool = False
    width: int = 0
    hears: tuple[str, ...] = ()
    validated: bool = False
    masked: bool = False
    usable: bool = True
    lists: bool = False
    as_is: type | None = None
    levels: Mapping[str, Level] | None = None
    line: tuple[Any, Any] | None = None
    answers: bool = False

    def inside(self, path: str, index: int) -> ControlPlan:
        """Return the same control of a group at a path."""
        return replace(
            self,
            path=joined(path, self.path),
            index=index,
            outer=joined(path, self.outer) if self.outer else path,
            heard=dict(self.heard),
            inputs={prop: tuple(joined(path, one) for one in paths) for prop, paths in self.inputs.items()},
            checks=tuple(check.inside(path) for check in self.checks),
            checked_by=tuple(check.inside(path) for check in self.checked_by),
        )


@dataclass
class RowPlan:
    """Controls side by side: the row's caption and their paths."""

    caption: str
    controls: tuple[str, ...]


@dataclass
class FormPlan:
    """The declarations of one form or group class.

    `ruled`: paths of controls with rules or checks. `defaulted`: paths of controls that may start with a value. Opening a
    form looks only at these. `reworded`: prompts with a policy's texts.
    """

    name: str
    title: Any
    doc: str = ""
    failure_text: str = ""
    discard: str = ""
    opener: str = ""
    keys: str = ""
    at_start: bool = False
    records: str = ""
    on_leave: str = "save"
    on_conflict: str = "ask"
    tabs: bool = False
    idle: float | None = None
    done_text: Mapping[str, str] = field(default_factory=dict)
    has_lines: bool = False
    has_masks: bool = False
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
        """Return the control or group at a path."""
        return self.controls.get(path) or self.groups.get(path)


def joined(path: str, name: str) -> str:
    """Return the path of something in a group."""
    return f"{path}.{name}" if path and name else path or name
