"""Make forms and lines: their live controls, placed by path and found by name."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, Final

from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.live_state import AnyControl, ControlState, FormState
from fuselatch.core.forms.plans import ControlPlan, FormPlan, joined
from fuselatch.core.forms.port import EnginePort
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.texts import user_text

PLACE: Final = re.compile(r"(.+?)\[([0-9]+)\](?:\.(.+))?")
"""A line, or a control in a line, by its place: `extras[0].price`."""


def make(form: type[Form], plan: FormPlan, engine: EnginePort, opener: OpenForm | None, serial: int, name: str) -> Form:
    """Create a form with its live groups and controls, not yet opened."""
    made: Form = object.__new__(form)
    state = FormState(made, plan, engine, opener, serial, name)
    members = made.__dict__
    members["_state"] = state
    if plan.opener:
        members[plan.opener] = opener
    put_in_place(state, plan.groups, plan.containers, plan.controls)
    state.order = list(state.controls.values())
    state.lines = [control for control in state.order if control._plan.decl.has_lines] if plan.has_lines else []
    return made


def caption_of(control: AnyControl) -> str:
    """Return a control's caption for messages, with the 1-based place of its line."""
    if control._plan.line is None:
        return str(control.caption)
    lines, line = control._plan.line
    place = lines._rows.index(line) + 1 if line in lines._rows else user_text(control._engine.formats, "line.removed")
    return user_text(control._engine.formats, "line", lines=lines.caption, place=place, caption=control.caption)


def inner_plan(lines: LineList) -> FormPlan:
    """Return the plan of the lines' class."""
    plan: FormPlan = lines._decl.line._plan
    return plan


def make_line(lines: LineList) -> Any:
    """Create a line with its live groups and controls, not yet in the list."""
    lines._serial += 1
    form: Any = lines.form
    state, decl, inner = form._state, lines._decl, inner_plan(lines)
    path = f"{lines.name}#{lines._serial}"
    index = lines._plan.index
    groups = {path: ControlPlan(path, index, decl.whole, None, is_group=True)}
    kinds: dict[str, type] = {path: decl.line}
    for name, group in inner.groups.items():
        groups[joined(path, name)] = group.inside(path, index)
        kinds[joined(path, name)] = inner.containers[name]
    controls = {joined(path, name): control.inside(path, index) for name, control in inner.controls.items()}
    put_in_place(state, groups, kinds, controls)
    line = state.containers[path]
    state.nodes[path]._outer = lines
    for plan in controls.values():
        plan.line = lines, line
        plan.answers = True
    lines._members[line] = tuple(state.nodes[one] for one in groups), tuple(state.controls[one] for one in controls)
    return line


def put_in_place(
    state: Any, groups: Mapping[str, ControlPlan], kinds: Mapping[str, type], controls: Mapping[str, ControlPlan]
) -> None:
    """Create live groups and controls, and place them by path."""
    form, engine = state.form, state.engine
    for path, group in groups.items():
        outer = state.containers[group.outer]
        node = state.nodes[path] = Live(form, outer, group, engine)
        live: ControlState = object.__new__(kinds[path])
        live.__dict__.update(_live=node, form=form, _state=state, _outer=outer)
        state.containers[path] = live
        if "#" not in path or group.outer:
            outer.__dict__[path.rpartition(".")[2]] = live
    members, live_controls = form.__dict__, state.controls
    for path, control in controls.items():
        if not control.outer:
            members[path] = live_controls[path] = control.decl.live(form, form, control, engine)
            continue
        container = state.containers[control.outer]
        made = live_controls[path] = control.decl.live(form, container, control, engine)
        container.__dict__[path.rpartition(".")[2]] = made


def call_by_place(lines: LineList, start_at: int = 0) -> None:
    """Name each line and its controls by the line's position, from a position on."""
    for at, line in enumerate(lines._rows[start_at:], start_at):
        start = len(line.__dict__["_live"]._plan.path)
        for each in (member for members in lines._members[line] for member in members):
            each.name = f"{lines.name}[{at}]{each._plan.path[start:]}"


def forget_gone(lines: LineList) -> None:
    """Drop removed lines that no gesture can restore."""
    state = lines.form._state
    for line in [line for line in lines._members if line not in lines._attached]:
        nodes, controls = lines._members.pop(line)
        for node in nodes:
            del state.nodes[node._plan.path], state.containers[node._plan.path]
        for control in controls:
            del state.controls[control._plan.path]


def values_of(lines: LineList, line: object) -> Plain:
    """Return a line's live controls by path."""
    start = len(line.__dict__["_live"]._plan.path) + 1
    return {control._plan.path[start:]: control for control in lines._members[line][1]}


def placed_at(form: Any, path: str) -> Live | None:
    """Return the live control, group or line with a name, or None."""
    state = form._state
    if "#" in path:
        return None
    placed: Live | None = state.controls.get(path) or state.nodes.get(path)
    match = PLACE.fullmatch(path) if placed is None else None
    if match is None:
        return placed
    lines = next((each for each in state.lines if each._plan.path == match[1]), None)
    if lines is None:
        return None
    if int(match[2]) >= len(lines._rows):
        last = len(lines._rows) - 1
        there = (
            f"{lines.name} is empty"
            if last < 0
            else f"{lines.name} has 0 to {last}"
            if last
            else f"{lines.name} has only [0]"
        )
        raise UnknownName(f"no line {lines.name}[{match[2]}]; {there}")
    whole = lines._rows[int(match[2])].__dict__["_live"]._plan.path
    inside = joined(whole, match[3] or "")
    live: Live | None = state.controls.get(inside) or state.nodes.get(inside)
    return live
