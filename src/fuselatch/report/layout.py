"""Lay out a view's form as rows, for all who draw it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import groupby

from fuselatch.core.model.view import ButtonPart, ColumnView, ControlView, FormView, GroupView, LinesPart, TickPart


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

    @property
    def columns(self) -> tuple[ColumnView, ...]:
        """The columns of the lines that it heads."""
        part = self.controls[0].part if self.heading and self.controls else None
        return part.columns if isinstance(part, LinesPart) else ()


def strips(form: FormView) -> Iterator[Strip]:
    """Yield the rows of a form, top to bottom."""
    groups = {group.id: group for group in form.groups}
    in_rows = {control: row for row in form.rows for control in row.controls}
    lines = {control.id for control in form.controls if isinstance(control.part, LinesPart)}
    seen: list[str] = []

    def place(control: ControlView) -> tuple[str, str]:
        if control.id in in_rows:
            return "row", str(form.rows.index(in_rows[control.id]))
        group = groups.get(control.group)
        if group is not None and group.group in lines:
            return "line", control.group
        return ("buttons", control.group) if isinstance(control.part, ButtonPart) else ("", control.id)

    for (kind, name), together in groupby(form.controls, key=place):
        controls = tuple(together)
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
        elif kind == "buttons" or isinstance(controls[0].part, TickPart):
            caption = ""
        depth, page = depth_of(controls[0].group, groups), page_of(controls[0].group, groups)
        heads_lines = kind == "" and isinstance(controls[0].part, LinesPart)
        yield Strip(caption, depth, controls, heads_lines, line, controls[0].id if heads_lines and not page else page)


def around(group: str, groups: Mapping[str, GroupView]) -> list[str]:
    """Return the groups around something, outermost first."""
    words: list[str] = []
    while group in groups:
        words.insert(0, group)
        group = groups[group].group
    return words


def page_of(group: str, groups: Mapping[str, GroupView]) -> str:
    """Return the outermost group around something, if it has a title, or else the lines that it belongs to."""
    outermost = next(iter(around(group, groups)), "")
    if not outermost:
        return ""
    return outermost if groups[outermost].caption else groups[outermost].group


def depth_of(group: str, groups: Mapping[str, GroupView]) -> int:
    return len([each for each in around(group, groups) if groups[each].caption or "[" in groups[each].name])
