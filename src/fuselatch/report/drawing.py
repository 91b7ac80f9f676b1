"""Draw one step of a flipbook: the form on the left, the effects on the right."""

from __future__ import annotations

import textwrap
from typing import TYPE_CHECKING, Any, Final

from fuselatch.core.model.view import ControlView, FormView, PromptView, View
from fuselatch.report.figures import INK, QUIET, new_figure
from fuselatch.report.flipbook import Shot
from fuselatch.report.layout import MOST_ROWS, Grid, Strip, blocks, entry_text, is_behind, listed

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

ROW: Final = 1.0
LINE: Final = 0.75
"""The height of each further line of a text."""
ROW_HIGH: Final = 0.2646
"""The height of a row in inches."""
LEAST: Final = 10.0
"""The least height of a figure in rows."""
WIDE: Final = 44.0
CHANGED: Final = "#fff3c4"
EDGE: Final = "#6b7a88"
INKS: Final = {"handler": INK, "change": "#1d5c33", "prompted": "#6b4e00", "trouble": "#9b1c1c"}
NUMBERS: Final = 1.8
"""The width of the numbers of lines."""
TREE_WIDTH: Final = 66
TREE_LINE: Final = 0.196
"""The height of a line of what happened, in inches."""
MOST_LINES: Final = 34


def shot_figure(title: str, shot: Shot) -> Figure:
    """Return one step as a figure that is 1280 pixels wide and as high as its forms and what happened need."""
    view_tall = height_of_view(shot.view)
    lines = tree_lines(shot, max(MOST_LINES, int(view_tall * ROW_HIGH / TREE_LINE)))
    tall = max(LEAST, view_tall, len(lines) * TREE_LINE / ROW_HIGH)
    high = tall * ROW_HIGH + 1.2
    figure = new_figure(height=high)

    def from_top(inches: float) -> float:
        return 1 - inches / high

    figure.text(
        0.02, from_top(0.4), f"{shot.number}  {shot.cue}", fontsize=14, fontweight="bold", color=INK, parse_math=False
    )
    words = f"FAIL: {shot.problem}" if shot.problem else "ok"
    ink = "#9b1c1c" if shot.problem else "#1d5c33"
    words = f"{title}   {textwrap.shorten(words, 130)}"
    figure.text(0.02, from_top(0.68), words, fontsize=10, color=ink, parse_math=False)
    axes = figure.add_axes((0.02, 0.16 / high, 0.46, (high - 1.04) / high))
    axes.set_axis_off()
    # A locale that is written from right to left begins at the right; what happened stays in English.
    axes.set_xlim(*((WIDE, 0) if shot.view.locale.direction == "rtl" else (0, WIDE)))
    axes.set_ylim(tall, 0)
    y = 0.3
    for form in shot.view.forms:
        y = draw_form(axes, form, y, dict(shot.changes.get(form.name, {})), is_behind(shot.view, form))
    if shot.view.prompt is not None:
        y = draw_prompt(axes, shot.view.prompt, y)
    elif shot.view.help:
        for line in textwrap.wrap(shot.view.help, 84):
            y += 0.8
            say(axes, 0.8, y - 0.4, line, QUIET, 9)
    if shot.view.notice:
        say(axes, 0.3, y + 0.5, shot.view.notice, QUIET, style="italic")
    for at, (line, kind) in enumerate(lines or [("no effects", "")]):
        style: dict[str, Any] = {"family": "monospace", "fontweight": "bold" if kind == "handler" else "normal"}
        ink = INKS.get(kind, INK)
        figure.text(0.5, from_top(1.04 + at * TREE_LINE), line, fontsize=9, color=ink, parse_math=False, **style)
    return figure


def height_of_view(view: View) -> float:
    """Return how high the forms, the prompt and the lines below them are."""
    forms = sum(ROW + 0.3 if is_behind(view, form) else height_of_form(form) + 0.4 for form in view.forms)
    prompt = 0.0 if view.prompt is None else height_of_prompt(view.prompt) + 0.4
    return 0.3 + forms + prompt + 2.2


def height_of_form(form: FormView) -> float:
    """Return a form's height."""
    return 1.5 + sum(height_of(strip) for strip in blocks(form)) + (1.0 if form.message else 0.2)


def draw_form(axes: Axes, form: FormView, y: float, changes: dict[str, str], behind: bool) -> float:
    """Draw one form; return where the next thing starts."""
    if behind:
        box(axes, 0.2, y, WIDE - 0.4, ROW, "#eef2f5")
        say(axes, 0.8, y + ROW / 2, f"{form.title} (in the background)", QUIET)
        return y + ROW + 0.3
    rows = list(blocks(form))
    height = height_of_form(form)
    box(axes, 0.2, y, WIDE - 0.4, height, "#f6f8fa")
    box(axes, 0.2, y, WIDE - 0.4, 1.2, "#dbe4ec")
    say(axes, 0.8, y + 0.6, form.title + (f" · {form.record.text}" if form.record else ""), INK, bold=True)
    at = y + 1.4
    for strip in rows:
        if isinstance(strip, Grid):
            draw_grid(axes, strip, at, changes)
        else:
            draw_strip(axes, strip, at, changes, form.default)
        at += height_of(strip)
    if form.message:
        say(axes, 0.8, at + 0.5, form.message, INK)
    return y + height + 0.4


def height_of(strip: Strip | Grid) -> float:
    """Return a row's height, with its markers, its table rows and the items of its list."""
    if isinstance(strip, Grid):
        markers = sum(bool(cell.marker) for _, row in strip.lines for cell in row if cell is not None)
        higher = sum(extra_height_of_line(strip, row) for _, row in strip.lines)
        return ROW + 0.75 * bool(strip.lines) + (ROW + 0.1) * len(strip.lines) + higher + 0.7 * markers
    lists = [found for one in strip.controls if (found := listed(one)) is not None]
    items = max((len(found.items) + bool(found.more) for found in lists), default=0)
    items -= any(one.look in ("list", "radio") for one in strip.controls) and items > 0
    markers = sum(bool(one.marker) for one in strip.controls)
    table = next((one for one in strip.controls if one.shape == "table"), None)
    rows = min(len(table.cells), MOST_ROWS) + 1 if table is not None else 0
    higher = extra_height_of_strip(strip)
    return ROW + 0.15 + higher + 0.7 * markers + 0.75 * (rows + items)


def extra_height_of_strip(strip: Strip) -> float:
    """Return how much higher a row is for the texts in its fields."""
    wide = field_width(len(strip.controls) > 1)
    always = ("list", "radio")
    fields = [one for one in strip.controls if not strip.heading and not (one.shape == "choice" and one.look in always)]
    return max((extra_height(one, wide) for one in fields), default=0.0)


def extra_height_of_line(grid: Grid, row: tuple[ControlView | None, ...]) -> float:
    """Return how much higher a line is for the texts in its fields."""
    return max((extra_height(cell, cell_width(grid, cell)) for cell in row if cell is not None), default=0.0)


def cell_width(grid: Grid, cell: ControlView) -> float:
    """Return the width of a field in a line."""
    return column_width(grid) - 1.2 - 0.62 * len(cell.unit)


def column_width(grid: Grid) -> float:
    """Return the width of each column of a grid."""
    return (WIDE - 2.4 - NUMBERS - 1.2 * grid.heading.depth) / max(len(grid.columns), 1)


def draw_grid(axes: Axes, grid: Grid, y: float, changes: dict[str, str]) -> None:
    """Draw lines as a grid with column headings."""
    left = 0.8 + 1.2 * grid.heading.depth
    marker = grid.heading.controls[0].marker
    say(axes, left, y + ROW / 2, grid.heading.caption, INK, bold=True)
    if marker:
        say(axes, 10.5, y + ROW / 2, f"x {marker}", "#7a1414", 9)
    share = column_width(grid)
    y += ROW
    for at, caption in enumerate(grid.columns if grid.lines else ()):
        say(axes, left + NUMBERS + at * share, y + 0.35, caption, QUIET, 9)
    y += 0.75
    for number, row in grid.lines:
        say(axes, left, y + ROW / 2, number, QUIET, 9)
        under = y + ROW + extra_height_of_line(grid, row)
        for at, cell in enumerate(row):
            if cell is not None:
                is_new = "changed" if cell.name in changes else ""
                wide = cell_width(grid, cell)
                draw_control(axes, cell, left + NUMBERS + at * share, y, True, is_new, told=False, wide=wide)
                if cell.marker:
                    say(axes, left + NUMBERS, under + 0.3, f"{cell.caption}: {cell.marker}", "#7a1414", 9)
                    under += 0.7
        y = under + 0.1


def draw_items(axes: Axes, control: ControlView, x: float, y: float) -> None:
    """Draw the items of an open list, or of a list that always shows them."""
    found = listed(control)
    if found is None:
        return
    lines = [*found.items, *([(f"… {found.more} more", False, False)] if found.more else [])]
    box(axes, x, y, 16.0, 0.75 * len(lines), "white")
    for at, (text, picked, here) in enumerate(lines):
        if picked or here:
            box(axes, x, y + 0.75 * at, 16.0, 0.75, "#cfe0ee", 1.5 if here else 0)
        mark = ("◉ " if picked else "○ ") if control.look == "radio" else ""
        say(axes, x + 0.4, y + 0.75 * at + 0.38, f"{mark}{text if len(text) < 26 else text[:25] + '…'}", INK, 9)


def draw_strip(axes: Axes, strip: Strip, y: float, changes: dict[str, str], default: str = "") -> None:
    x = 0.8 + 1.2 * strip.depth
    needed = " *" if strip.controls and strip.controls[0].required else ""
    if strip.caption:
        say(axes, x, y + ROW / 2, strip.caption + needed, INK, bold=strip.heading)
    x = max(x + 0.62 * len(strip.caption) + 1, 10.5) if strip.caption else x
    narrow = len(strip.controls) > 1
    for control in () if strip.heading else strip.controls:
        if control.shape == "choice" and control.look in ("list", "radio"):
            draw_items(axes, control, x, y + 0.1)
            x += 16.6
            continue
        draw_items(axes, control, x, y + ROW + extra_height_of_strip(strip))
        more = " ↵" if control.id == default else ""
        x = draw_control(axes, control, x, y, narrow, changes.get(control.name, ""), more) + 0.6
    under = y + height_of(strip) - 0.15 - 0.7 * sum(bool(one.marker) for one in strip.controls)
    for one in strip.controls:
        if one.marker:
            refuses = one.marker_level == "refuse"
            say(axes, 10.5, under + 0.35, f"{'x' if refuses else '!'} {one.marker}", "#7a1414" if refuses else "#6b4e00", 9)
            under += 0.7
        if one.shape == "table":
            draw_table(axes, one, y + ROW + extra_height_of_strip(strip))


def draw_control(
    axes: Axes,
    control: ControlView,
    x: float,
    y: float,
    narrow: bool,
    change: str,
    more: str = "",
    told: bool = True,
    wide: float = 0.0,
) -> float:
    """Draw one control; return where it ends. `told`: say what changed. `wide`: the width of a field, if it isn't usual."""
    shape = control.shape
    ink = INK if control.enabled else QUIET
    face = CHANGED if change else "white" if control.enabled else "#e9ecef"
    line = 2.0 if control.focused else 0.8
    if shape == "button":
        wide = 0.62 * len(control.caption + more) + 1.4
        line = max(line, 1.8) if more else line
        box(axes, x, y + 0.08, wide, ROW - 0.16, CHANGED if change else "#e3e9ef", line, not control.enabled)
        say(axes, x + wide / 2, y + ROW / 2, control.caption + more, ink, align="center")
        return x + wide
    if shape == "tick":
        box(axes, x, y + 0.2, 0.7, 0.6, face, line, not control.enabled)
        say(axes, x + 0.35, y + ROW / 2, "x" if control.value else "", ink, 9, align="center")
        say(axes, x + 1.1, y + ROW / 2, control.caption, ink)
        return x + 1.6 + 0.62 * len(control.caption)
    wide = wide or field_width(narrow)
    lines = lines_in(control, wide)
    if shape in ("label", "table") or control.read_only:
        for at, text in enumerate(lines):
            say(axes, x, y + ROW / 2 + LINE * at, f"{text} {control.unit if at == len(lines) - 1 else ''}", ink)
        return x + 0.62 * max(map(len, lines)) + 2
    box(axes, x, y + 0.06, wide, ROW - 0.12 + LINE * (len(lines) - 1), face, line, not control.enabled)
    for at, text in enumerate(lines):
        say(axes, x + 0.3, y + ROW / 2 + LINE * at, text, ink if control.text else QUIET)
    if shape == "choice":
        say(axes, x + wide - 0.8, y + ROW / 2, "▾", QUIET)
    words = f"{control.unit}  {change}".strip() if told else control.unit
    say(axes, x + wide + 0.4, y + ROW / 2, words, "#6b4e00" if change and told else INK, 9)
    return x + wide + (0.62 * len(control.unit) if narrow else 0)


def field_width(narrow: bool) -> float:
    """Return the width of a field that stands alone, or beside others."""
    return 7.0 if narrow else 16.0


def lines_in(control: ControlView, wide: float) -> list[str]:
    """Return the lines of an entry in a field of a width: all of its text, unless it has a great many."""
    shape, text = control.shape, entry_text(control)
    if shape in ("label", "table") or control.read_only:
        wide = WIDE - 12
    room = max(4, int(wide / 0.68) - (2 if shape == "choice" else 0))
    lines = [part for line in text.splitlines() for part in textwrap.wrap(line, room) or [""]] or [""]
    left = len(lines) - MOST_ROWS
    return lines if left <= 0 else [*lines[:MOST_ROWS], f"… {left} more lines"]


def extra_height(control: ControlView | None, wide: float) -> float:
    """Return how much higher than a row an entry is."""
    is_field = control is not None and control.shape not in ("button", "tick", "table")
    return LINE * (len(lines_in(control, wide)) - 1) if control is not None and is_field else 0.0


def draw_table(axes: Axes, table: ControlView, y: float) -> None:
    share = (WIDE - 3) / max(len(table.columns), 1)
    for at, column in enumerate(table.columns):
        say(axes, 1.2 + at * share, y + 0.35, column.caption, INK, 9, bold=True)
    for line, cells in enumerate(table.cells[:MOST_ROWS], 1):
        if table.choices[line - 1].picked:
            box(axes, 0.9, y + 0.75 * line, WIDE - 2, 0.75, "#cfe0ee", 0)
        for at, cell in enumerate(cells):
            say(axes, 1.2 + at * share, y + 0.35 + 0.75 * line, cell, INK, 9)


def lines_of(prompt: PromptView) -> list[str]:
    """Return a prompt's text in lines that fit."""
    return [part for line in prompt.text.splitlines() for part in textwrap.wrap(line, 56) or [""]]


def height_of_prompt(prompt: PromptView) -> float:
    """Return a prompt's height."""
    return 2.8 + 0.9 * (len(lines_of(prompt)) + len(prompt.table))


def draw_prompt(axes: Axes, prompt: PromptView, y: float) -> float:
    """Draw the prompt; return where the next thing starts."""
    lines = lines_of(prompt)
    height = height_of_prompt(prompt)
    box(axes, 1.5, y, WIDE - 2, height, "#fffaf0", 2.0)
    say(axes, 2.2, y + 0.7, prompt.title, INK, bold=True)
    for at, line in enumerate(lines):
        say(axes, 2.2, y + 1.6 + 0.9 * at, line, INK)
    for at, row in enumerate(prompt.table, len(lines)):
        for place, cell in enumerate(row):
            cut = cell if len(cell) <= 24 else f"{cell[:23]}…"
            say(axes, 2.2 + place * (WIDE - 4) / len(row), y + 1.6 + 0.9 * at, cut, INK, 9, bold=at == len(lines))
    x = 2.2
    for button in prompt.buttons:
        wide = 0.62 * len(button) + 1.4
        box(axes, x, y + height - 1.2, wide, 0.9, "#e3e9ef", 2.0 if button == prompt.default else 0.8)
        say(axes, x + wide / 2, y + height - 0.75, button, INK, align="center")
        x += wide + 0.8
    return y + height + 0.4


def tree_lines(shot: Shot, most: int) -> list[tuple[str, str]]:
    """Return the lines of what happened, with their kinds. A long one continues below its own beginning."""
    lines: list[tuple[str, str]] = []
    for guide, text, kind in shot.tree:
        for part, words in enumerate(textwrap.wrap(text, max(20, TREE_WIDTH - len(guide))) or [""]):
            lines.append((f"{guide if part == 0 else ' ' * len(guide)}{words}", kind))
    left = len(lines) - most
    return lines if left <= 0 else [*lines[:most], (f"… {left} more lines", "")]


def box(
    axes: Axes, x: float, y: float, wide: float, tall: float, face: str, line: float = 0.8, dashed: bool = False
) -> None:
    from matplotlib.patches import Rectangle

    style = "--" if dashed else "-"
    axes.add_patch(Rectangle((x, y), wide, tall, facecolor=face, edgecolor=EDGE, linewidth=line, linestyle=style))


def say(
    axes: Axes,
    x: float,
    y: float,
    text: str,
    ink: str,
    size: float = 10,
    *,
    bold: bool = False,
    align: str = "start",
    style: str = "normal",
) -> None:
    """Write a text that begins at a place, or is centred at it."""
    start = "right" if axes.xaxis_inverted() else "left"
    weight = "bold" if bold else "normal"
    more: dict[str, Any] = {"va": "center", "fontweight": weight, "fontstyle": style, "parse_math": False}
    axes.text(x, y, text, fontsize=size, color=ink, ha=start if align == "start" else align, **more)
