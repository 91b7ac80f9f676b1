"""Lines: rows under a form, each with the controls of a group class.

A line's path ("extras#3") doesn't change when it moves. Its name goes by its place: `extras[0]` is the first.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar, Unpack

from fuselatch.core.forms.controls import Live
from fuselatch.core.forms.declarations import ControlOptions, Declaration, Source
from fuselatch.core.forms.groups import Group
from fuselatch.core.forms.live_lists import LiveLines
from fuselatch.core.forms.plans import ControlPlan, FormPlan, joined
from fuselatch.core.model.errors import DeclarationError, UnknownName
from fuselatch.core.model.texts import TEXTS, user_text

if TYPE_CHECKING:
    pass

L = TypeVar("L", bound=Group)

NEW_PARENTS = ("refuse", "save_first")
REMOVALS = ("ask", "refuse", "cascade")
PLACE = re.compile(r"(.+?)\[([0-9]+)\](?:\.(.+))?")


class LineDeclaration(Declaration[Live]):
    """The declaration of a line as a whole."""

    kind = "group"
    live = Live


class Lines(Declaration[LiveLines[L]], Generic[L]):
    """Rows under a form: `extras = Lines(ExtraLine, "Extras", records="extras", key="booking")`.

    `line`: a `Group` class with the controls, checks and handlers of each line. `records`: the source that stores the lines;
    `key`: its column with the record's key; `order`: its column with the line's place. Without `records`, the outcome has
    the lines as a tuple of mappings.

    `new_parent`: what to do with a line under a record that isn't saved: "refuse", or "save_first".
    `on_parent_remove`: what happens to the lines when the record is removed: "ask", "refuse" or "cascade".
    """

    kind = "lines"
    live = LiveLines
    line_adding = Source("line_adding")
    line_added = Source("line_added")
    line_removing = Source("line_removing")
    line_changed = Source("line_changed")

    def __init__(
        self,
        line: type[L],
        caption: str = "",
        *,
        records: str = "",
        key: str = "",
        order: str = "",
        new_parent: Literal["refuse", "save_first"] = "refuse",
        on_parent_remove: Literal["ask", "refuse", "cascade"] = "ask",
        **options: Unpack[ControlOptions],
    ) -> None:
        super().__init__(caption, options)
        where = f"Lines({getattr(line, '__name__', line)!s}, …)"
        if not (isinstance(line, type) and issubclass(line, Group) and line is not Group):
            raise DeclarationError(f"Lines(…): expected a class derived from Group, not {line!r}")
        if bool(records) != bool(key) or (order and not records):
            raise DeclarationError(f"{where}: records= needs key=, the column with the record's key")
        for name, given, allowed in (
            ("new_parent", new_parent, NEW_PARENTS),
            ("on_parent_remove", on_parent_remove, REMOVALS),
        ):
            if given not in allowed:
                raise DeclarationError(f"{where}: {name} must be {' or '.join(map(repr, allowed))}, not {given!r}")
        inner = line._plan
        if inner.heard:
            raise DeclarationError(f"{where}: a line can't handle {', '.join(inner.heard)}; handle it on the form")
        if any(isinstance(placed.decl, Lines) for placed in inner.controls.values()):
            raise DeclarationError(f"{where}: lines can't contain lines; give them their own form")
        self.line = line
        self.records = records
        self.key = key
        self.order = order
        self.new_parent = new_parent
        self.on_parent_remove = on_parent_remove
        self.whole = LineDeclaration("", {})


def told(control: Any) -> str:
    """Return a control's caption for messages, with the 1-based place of its line."""
    if control._plan.line is None:
        return str(control.caption)
    lines, line = control._plan.line
    place = lines._rows.index(line) + 1 if line in lines._rows else TEXTS["line.removed"]
    return user_text("line", lines=lines.caption, place=place, caption=control.caption)


def inner_plan(lines: LiveLines[Any]) -> FormPlan:
    """Return the plan of the lines' class."""
    plan: FormPlan = lines._decl.line._plan
    return plan


def make_line(lines: LiveLines[L]) -> L:
    """Create a line with its live groups and controls, not yet in the list."""
    lines._serial += 1
    form: Any = lines.form
    state, decl, inner = form._state, lines._decl, inner_plan(lines)
    path = f"{lines.name}#{lines._serial}"
    index = lines._plan.index
    groups = {path: ControlPlan(path, index, decl.whole, None)}
    kinds: dict[str, type] = {path: decl.line}
    for name, group in inner.groups.items():
        groups[joined(path, name)] = group.inside(path, index)
        kinds[joined(path, name)] = inner.containers[name]
    controls = {joined(path, name): control.inside(path, index) for name, control in inner.controls.items()}
    put_in_place(state, groups, kinds, controls)
    line: L = state.containers[path]
    state.nodes[path]._outer = lines
    for plan in controls.values():
        plan.line = lines, line
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
        live: Any = object.__new__(kinds[path])
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


def call_by_place(lines: LiveLines[Any]) -> None:
    """Name each line and its controls by the line's position."""
    for at, line in enumerate(lines._rows):
        start = len(line.__dict__["_live"]._plan.path)
        for each in (member for members in lines._members[line] for member in members):
            each.name = f"{lines.name}[{at}]{each._plan.path[start:]}"


def forget_gone(lines: LiveLines[Any]) -> None:
    """Drop removed lines that no gesture can restore."""
    state = lines.form._state
    for line in [line for line in lines._members if line not in lines._attached]:
        nodes, controls = lines._members.pop(line)
        for node in nodes:
            del state.nodes[node._plan.path], state.containers[node._plan.path]
        for control in controls:
            del state.controls[control._plan.path]


def values_of(lines: LiveLines[Any], line: Any) -> dict[str, Any]:
    """Return a line's live controls by path."""
    start = len(line.__dict__["_live"]._plan.path) + 1
    return {control._plan.path[start:]: control for control in lines._members[line][1]}


def placed_at(form: Any, path: str) -> Live | None:
    """Return the live control, group or line with a name, or None."""
    state = form._state
    if "#" in path:
        return None
    found: Live | None = state.controls.get(path) or state.nodes.get(path)
    match = PLACE.fullmatch(path) if found is None else None
    if match is None:
        return found
    lines = state.controls.get(match[1])
    if not isinstance(lines, LiveLines):
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
