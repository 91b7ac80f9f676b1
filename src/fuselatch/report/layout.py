"""Lay out a view's form as rows, for terminal, page and figure."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import groupby
from typing import Final

from fuselatch.core.model.view import ControlView, FormView, GroupView, View

MOST_ROWS: Final = 6
"""Rows of a table that are drawn."""


@dataclass(frozen=True, slots=True)
class Strip:
    """One row of a form: its caption ("" without one), indent and controls. `line`: the id of the line that it shows.

    A `heading` has no controls, or only lines, whose marker is shown below it. `page`: the id of the outermost titled group
    around it, or of its lines, which are tab pages where a form has them.
    """

    caption: str
    depth: int
    controls: tuple[ControlView, ...] = ()
    heading: bool = False
    line: str = ""
    page: str = ""


@dataclass(frozen=True, slots=True)
class Grid:
    """Lines of a form as a grid: the strip that heads them, the columns' captions, for each line its caption and controls.

    A cell is None if its control is hidden in that line.
    """

    heading: Strip
    columns: tuple[str, ...]
    lines: tuple[tuple[str, tuple[ControlView | None, ...]], ...]


@dataclass(frozen=True, slots=True)
class Listed:
    """The items of a list that are drawn below or in place of a field: text, if it is chosen, if it would be taken by Enter.

    `more`: how many there are besides.
    """

    items: tuple[tuple[str, bool, bool], ...]
    more: int


def blocks(form: FormView) -> Iterator[Strip | Grid]:
    """Yield the rows of a form, top to bottom, with the lines of each list as one grid."""
    heading: Strip | None = None
    held: list[Strip] = []
    for strip in strips(form):
        if heading is not None and strip.line:
            held.append(strip)
            continue
        if heading is not None:
            yield grid_of(heading, held)
            heading, held = None, []
        if strip.heading and strip.controls and strip.controls[0].columns:
            heading = strip
        else:
            yield strip
    if heading is not None:
        yield grid_of(heading, held)


def grid_of(heading: Strip, held: list[Strip]) -> Grid:
    """Return the grid of some lines."""
    columns = heading.controls[0].columns
    lines: dict[str, tuple[str, dict[str, ControlView]]] = {}
    for strip in held:
        cells = lines.setdefault(strip.line, (strip.caption, {}))[1]
        cells.update({control.name.partition("].")[2]: control for control in strip.controls})
    rows = tuple((caption, tuple(cells.get(column.name) for column in columns)) for caption, cells in lines.values())
    return Grid(heading, tuple(column.caption for column in columns), rows)


def listed(control: ControlView) -> Listed | None:
    """Return the items of a choice that are drawn: those of a list or of radio buttons, or of a list that is open."""
    if control.shape != "choice" or not (control.list_open or control.look in ("list", "radio")):
        return None
    items = control.choices[:MOST_ROWS]
    if not any(item.id == control.at_item for item in items):
        at = next((place for place, item in enumerate(control.choices) if item.id == control.at_item or item.picked), 0)
        items = control.choices[max(0, at - MOST_ROWS + 1) :][:MOST_ROWS] if at >= MOST_ROWS else items
    count = control.match_count if control.list_open and control.match_count else control.choice_count
    return Listed(
        tuple((item.text, item.picked, control.list_open and item.id == control.at_item) for item in items),
        max(0, count - len(items)),
    )


def is_behind(view: View, form: FormView) -> bool:
    """Return True if another form covers this form. A prompt doesn't count."""
    return form.covered and (view.prompt is None or form is not view.forms[-1])


def strips(form: FormView) -> Iterator[Strip]:
    """Yield the rows of a form, top to bottom."""
    groups = {group.id: group for group in form.groups}
    in_rows = {control: row for row in form.rows for control in row.controls}
    lines = {control.id for control in form.controls if control.shape == "lines"}
    seen: list[str] = []

    def place(control: ControlView) -> tuple[str, str]:
        if control.id in in_rows:
            return "row", str(form.rows.index(in_rows[control.id]))
        group = groups.get(control.group)
        if group is not None and group.group in lines:
            return "line", control.group
        return ("buttons", control.group) if control.shape == "button" else ("", control.id)

    for (kind, name), found in groupby(form.controls, key=place):
        controls = tuple(found)
        for heading in around(controls[0].group, groups):
            if heading not in seen:
                seen.append(heading)
                if groups[heading].caption:
                    yield Strip(
                        groups[heading].caption,
                        depth_of(groups[heading].group, groups),
                        heading=True,
                        page=page_of(heading, groups),
                    )
        caption, line = controls[0].caption, ""
        if kind == "row":
            caption = form.rows[int(name)].caption
        elif kind == "line":
            caption, line = f"{int(groups[name].name.rpartition('[')[2].rstrip(']')) + 1}", name
        elif kind == "buttons" or controls[0].shape == "tick":
            caption = ""
        depth, page = depth_of(controls[0].group, groups), page_of(controls[0].group, groups)
        heads_lines = kind == "" and controls[0].shape == "lines"
        yield Strip(caption, depth, controls, heads_lines, line, controls[0].id if heads_lines and not page else page)


def around(group: str, groups: Mapping[str, GroupView]) -> list[str]:
    """Return the groups around something, outermost first."""
    found: list[str] = []
    while group in groups:
        found.insert(0, group)
        group = groups[group].group
    return found


def page_of(group: str, groups: Mapping[str, GroupView]) -> str:
    """Return the outermost group around something, if it has a title, or else the lines that it belongs to."""
    outermost = next(iter(around(group, groups)), "")
    if not outermost:
        return ""
    return outermost if groups[outermost].caption else groups[outermost].group


def depth_of(group: str, groups: Mapping[str, GroupView]) -> int:
    return len([each for each in around(group, groups) if groups[each].caption or "[" in groups[each].name])


def entry_text(control: ControlView) -> str:
    """Return the text in a field, list or label, or the placeholder."""
    if control.shape == "choice" and len(control.picked) > 1:
        return ", ".join(control.picked)
    return control.text or control.placeholder


def describe_state(control: ControlView) -> str:
    """Return a control's state in words."""
    words = [
        "required" if control.required else "",
        "disabled" if not control.enabled else "",
        "has the focus" if control.focused else "",
        f"{control.choice_count} choices" if control.shape == "choice" else "",
        control.marker,
    ]
    return ", ".join(word for word in words if word)
