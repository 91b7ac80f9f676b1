"""Draw one step of a flipbook: the form on the left, the effects on the right."""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from fuselatch.core.model.view import PromptView
from fuselatch.report.figures import INK, QUIET, new_figure
from fuselatch.report.flipbook import Shot
from fuselatch.report.sketch import MOST_ROWS, Box, FormSketch, Grid, Item, Items, Mark, Row, Rows, Sketch, sketch

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
ITEM: Final = 0.75
"""The height of an item of a list, or of a table's row."""
LIST_WIDE: Final = 16.0
LETTER: Final = 0.62
"""The width of a letter."""
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
    drawn = sketch(shot.view)
    view_tall = height_of_view(drawn)
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
    axes.set_xlim(*((WIDE, 0) if drawn.direction == "rtl" else (0, WIDE)))
    axes.set_ylim(tall, 0)
    y = 0.3
    for form in drawn.forms:
        y = draw_form(axes, form, y, dict(shot.changes.get(form.name, {})))
    if drawn.prompt is not None:
        y = draw_prompt(axes, drawn.prompt, y)
    elif drawn.help:
        for line in textwrap.wrap(drawn.help, 84):
            y += 0.8
            say(axes, 0.8, y - 0.4, line, QUIET, 9)
    if drawn.notice:
        say(axes, 0.3, y + 0.5, drawn.notice, QUIET, style="italic")
    for at, (line, kind) in enumerate(lines or [("no effects", "")]):
        style: dict[str, Any] = {"family": "monospace", "fontweight": "bold" if kind == "handler" else "normal"}
        ink = INKS.get(kind, INK)
        figure.text(0.5, from_top(1.04 + at * TREE_LINE), line, fontsize=9, color=ink, parse_math=False, **style)
    return figure


def height_of_view(view: Sketch) -> float:
    """Return how high the forms, the prompt and the lines below them are."""
    forms = sum(ROW + 0.3 if form.is_behind else height_of_form(form) + 0.4 for form in view.forms)
    prompt = 0.0 if view.prompt is None else height_of_prompt(view.prompt) + 0.4
    return 0.3 + forms + prompt + 2.2


def height_of_form(form: FormSketch) -> float:
    """Return a form's height."""
    return 1.5 + sum(height_of(row) for row in form.rows) + (1.0 if form.message else 0.2)


def draw_form(axes: Axes, form: FormSketch, y: float, changes: dict[str, str]) -> float:
    """Draw one form; return where the next thing starts."""
    if form.is_behind:
        box(axes, 0.2, y, WIDE - 0.4, ROW, "#eef2f5")
        say(axes, 0.8, y + ROW / 2, f"{form.title} (in the background)", QUIET)
        return y + ROW + 0.3
    height = height_of_form(form)
    box(axes, 0.2, y, WIDE - 0.4, height, "#f6f8fa")
    box(axes, 0.2, y, WIDE - 0.4, 1.2, "#dbe4ec")
    say(axes, 0.8, y + 0.6, form.title, INK, bold=True)
    at = y + 1.4
    for row in form.rows:
        if isinstance(row, Grid):
            draw_grid(axes, row, at, changes)
        else:
            draw_row(axes, row, at, changes)
        at += height_of(row)
    if form.message:
        say(axes, 0.8, at + 0.5, form.message, INK)
    return y + height + 0.4


def height_of(row: Row | Grid) -> float:
    """Return a row's height, with its marks, its table rows and the items of its list."""
    if isinstance(row, Grid):
        marks = sum(one is not None and one.mark is not None for _, boxes in row.lines for one in boxes)
        higher = sum(extra_height_of_line(row, boxes) for _, boxes in row.lines)
        return ROW + ITEM * bool(row.lines) + (ROW + 0.1) * len(row.lines) + higher + 0.7 * marks
    items = max((height_of_items(one.items) for one in row.boxes), default=0)
    items -= any(one.look == "items" for one in row.boxes) and items > 0
    rows = sum(len(one.rows.shown) + 1 for one in row.boxes if one.rows is not None)
    return ROW + 0.15 + extra_height_of_row(row) + 0.7 * len(row.marks) + ITEM * (rows + items)


def height_of_items(items: Items | None) -> int:
    """Return how many lines the items of a list need."""
    return 0 if items is None else len(items.shown) + bool(items.more)


def extra_height_of_row(row: Row) -> float:
    """Return how much higher a row is for the texts in its fields."""
    wide = field_width(row.is_narrow)
    return max((extra_height(one, wide) for one in row.boxes), default=0.0)


def extra_height_of_line(grid: Grid, boxes: tuple[Box | None, ...]) -> float:
    """Return how much higher a line is for the texts in its fields."""
    return max((extra_height(one, cell_width(grid, one)) for one in boxes if one is not None), default=0.0)


def cell_width(grid: Grid, one: Box) -> float:
    """Return the width of a field in a line."""
    return column_width(grid) - 1.2 - LETTER * len(one.unit)


def column_width(grid: Grid) -> float:
    """Return the width of each column of a grid."""
    return (WIDE - 2.4 - NUMBERS - 1.2 * grid.heading.depth) / max(len(grid.columns), 1)


def draw_grid(axes: Axes, grid: Grid, y: float, changes: dict[str, str]) -> None:
    """Draw lines as a grid with column headings."""
    left = 0.8 + 1.2 * grid.heading.depth
    say(axes, left, y + ROW / 2, grid.heading.caption, INK, bold=True)
    for mark in grid.heading.marks:
        say_mark(axes, 10.5, y + ROW / 2, mark)
    share = column_width(grid)
    y += ROW
    for at, caption in enumerate(grid.columns if grid.lines else ()):
        say(axes, left + NUMBERS + at * share, y + 0.35, caption, QUIET, 9)
    y += ITEM
    for number, boxes in grid.lines:
        say(axes, left, y + ROW / 2, number, QUIET, 9)
        under = y + ROW + extra_height_of_line(grid, boxes)
        for at, one in enumerate(boxes):
            if one is not None:
                change = "changed" if one.name in changes else ""
                draw_box(axes, one, left + NUMBERS + at * share, y, Room(cell_width(grid, one), True, change, ""))
                if one.mark is not None:
                    say_mark(axes, left + NUMBERS, under + 0.3, one.mark, named=True)
                    under += 0.7
        y = under + 0.1


def draw_items(axes: Axes, items: Items | None, x: float, y: float) -> None:
    """Draw the items of an open list, or of a list that always shows them."""
    if items is None:
        return
    more = [Item(f"… {items.more} more", False, False)] if items.more else []
    box(axes, x, y, LIST_WIDE, ITEM * height_of_items(items), "white")
    for at, item in enumerate([*items.shown, *more]):
        if item.picked or item.here:
            box(axes, x, y + ITEM * at, LIST_WIDE, ITEM, "#cfe0ee", 1.5 if item.here else 0)
        mark = ("◉ " if item.picked else "○ ") if items.radio and at < len(items.shown) else ""
        text = item.text if len(item.text) < 26 else f"{item.text[:25]}…"
        say(axes, x + 0.4, y + ITEM * at + 0.38, f"{mark}{text}", INK, 9)


def draw_row(axes: Axes, row: Row, y: float, changes: dict[str, str]) -> None:
    """Draw a row of boxes, and its marks below them."""
    x = 0.8 + 1.2 * row.depth
    if row.caption:
        say(axes, x, y + ROW / 2, row.caption + (" *" if row.is_required else ""), INK, bold=row.is_heading)
        x = max(x + LETTER * len(row.caption) + 1, 10.5)
    higher = extra_height_of_row(row)
    for one in row.boxes:
        change = changes.get(one.name, "")
        room = Room(field_width(row.is_narrow), row.is_narrow, change, change)
        if one.look != "items":
            draw_items(axes, one.items, x, y + ROW + higher)
        x = draw_box(axes, one, x, y, room) + 0.6
        if one.rows is not None:
            draw_table(axes, one.rows, y + ROW + higher)
    under = y + height_of(row) - 0.15 - 0.7 * len(row.marks)
    for mark in row.marks:
        say_mark(axes, 10.5, under + 0.35, mark)
        under += 0.7


class Room(NamedTuple):
    """The room of a box: the width of a field there, if it is `narrow`, how the box changed, and the words for that."""

    wide: float
    narrow: bool
    change: str
    said: str


def draw_box(axes: Axes, one: Box, x: float, y: float, room: Room) -> float:
    """Draw one box; return where it ends."""
    return PAINT[one.look](axes, one, x, y, room)


def line_of(one: Box) -> float:
    return 2.0 if one.focused else 0.8


def face_of(one: Box, room: Room) -> str:
    return CHANGED if room.change else "white" if one.enabled else "#e9ecef"


def ink_of(one: Box) -> str:
    return INK if one.enabled else QUIET


def draw_button(axes: Axes, one: Box, x: float, y: float, room: Room) -> float:
    caption = one.caption + (" ↵" if one.is_default else "")
    wide = LETTER * len(caption) + 1.4
    line = max(line_of(one), 1.8) if one.is_default else line_of(one)
    box(axes, x, y + 0.08, wide, ROW - 0.16, CHANGED if room.change else "#e3e9ef", line, not one.enabled)
    say(axes, x + wide / 2, y + ROW / 2, caption, ink_of(one), align="center")
    return x + wide


def draw_tick(axes: Axes, one: Box, x: float, y: float, room: Room) -> float:
    box(axes, x, y + 0.2, 0.7, 0.6, face_of(one, room), line_of(one), not one.enabled)
    say(axes, x + 0.35, y + ROW / 2, "x" if one.ticked else "", ink_of(one), 9, align="center")
    say(axes, x + 1.1, y + ROW / 2, one.caption, ink_of(one))
    return x + 1.6 + LETTER * len(one.caption)


def draw_text(axes: Axes, one: Box, x: float, y: float, room: Room) -> float:
    lines = lines_in(one, room.wide)
    for at, text in enumerate(lines):
        say(axes, x, y + ROW / 2 + LINE * at, f"{text} {one.unit if at == len(lines) - 1 else ''}", ink_of(one))
    return x + LETTER * max(map(len, lines)) + 2


def draw_list(axes: Axes, one: Box, x: float, y: float, room: Room) -> float:
    draw_items(axes, one.items, x, y + 0.1)
    return x + LIST_WIDE


def draw_entry(axes: Axes, one: Box, x: float, y: float, room: Room) -> float:
    lines, wide = lines_in(one, room.wide), room.wide
    tall = ROW - 0.12 + LINE * (len(lines) - 1)
    box(axes, x, y + 0.06, wide, tall, face_of(one, room), line_of(one), not one.enabled)
    for at, text in enumerate(lines):
        say(axes, x + 0.3, y + ROW / 2 + LINE * at, text, QUIET if one.is_blank else ink_of(one))
    if one.drops:
        say(axes, x + wide - 0.8, y + ROW / 2, "▾", QUIET)
    say(axes, x + wide + 0.4, y + ROW / 2, f"{one.unit}  {room.said}".strip(), "#6b4e00" if room.said else INK, 9)
    return x + wide + (LETTER * len(one.unit) if room.narrow else 0)


PAINT: Final[Mapping[str, Callable[[Axes, Box, float, float, Room], float]]] = {
    "button": draw_button,
    "tick": draw_tick,
    "text": draw_text,
    "rows": draw_text,
    "items": draw_list,
    "entry": draw_entry,
}
"""How each look is drawn."""


def field_width(narrow: bool) -> float:
    """Return the width of a field that stands alone, or beside others."""
    return 7.0 if narrow else LIST_WIDE


def lines_in(one: Box, wide: float) -> list[str]:
    """Return the lines of an entry in a field of a width: all of its text, unless it has a great many."""
    if one.look != "entry":
        wide = WIDE - 12
    room = max(4, int(wide / 0.68) - (2 if one.drops else 0))
    lines = [part for line in one.text.splitlines() for part in textwrap.wrap(line, room) or [""]] or [""]
    left = len(lines) - MOST_ROWS
    return lines if left <= 0 else [*lines[:MOST_ROWS], f"… {left} more lines"]


def extra_height(one: Box, wide: float) -> float:
    """Return how much higher than a row an entry is."""
    return LINE * (len(lines_in(one, wide)) - 1) if one.look in ("entry", "text") else 0.0


def draw_table(axes: Axes, rows: Rows, y: float) -> None:
    share = (WIDE - 3) / max(len(rows.columns), 1)
    for at, caption in enumerate(rows.columns):
        say(axes, 1.2 + at * share, y + 0.35, caption, INK, 9, bold=True)
    for line, (cells, picked) in enumerate(rows.shown, 1):
        if picked:
            box(axes, 0.9, y + ITEM * line, WIDE - 2, ITEM, "#cfe0ee", 0)
        for at, cell in enumerate(cells):
            say(axes, 1.2 + at * share, y + 0.35 + ITEM * line, cell, INK, 9)


def say_mark(axes: Axes, x: float, y: float, mark: Mark, named: bool = False) -> None:
    """Write what was found in an entry, with its caption if it is `named`."""
    text = f"{mark.caption}: {mark.text}" if named else f"{'x' if mark.refuses else '!'} {mark.text}"
    say(axes, x, y, text, "#7a1414" if mark.refuses else "#6b4e00", 9)


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
