"""A view as lines of text: the forms from back to front, then the prompt."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Final

from fuselatch.core.model.view import PromptView, View
from fuselatch.core.model.visible import visible
from fuselatch.report.sketch import Box, FormSketch, Grid, Items, Mark, Row, Rows, sketch

WIDTH: Final = 64
ENTRY: Final = 22
NARROW: Final = 10


def screen(view: View) -> Iterator[str]:
    """Yield the lines of a view. `>`: focus. `*`: required. `·`: disabled. `↵`: the button that Enter presses."""
    yield from map(visible, lines_of(view))


def lines_of(view: View) -> Iterator[str]:
    drawn = sketch(view)
    for form in drawn.forms:
        yield from form_lines(form)
    if drawn.prompt is not None:
        yield from prompt_lines(drawn.prompt)
    if drawn.help:
        yield f"  {drawn.help}"
    if drawn.notice:
        yield f"({drawn.notice})"


def form_lines(form: FormSketch) -> Iterator[str]:
    if form.is_behind:
        yield f"({form.title}, in the background)"
        return
    yield f"┌{f' {form.title} ':─<{WIDTH}}┐"
    captions = [row.caption for row in form.rows if isinstance(row, Row) and not row.is_heading]
    captions += [caption for grid in form.rows if isinstance(grid, Grid) for caption, _ in grid.lines]
    wide = min(max((len(caption) for caption in captions), default=0) + 1, 20)
    for row in form.rows:
        yield from map(inside, grid_lines(row) if isinstance(row, Grid) else row_lines(row, wide))
    if form.message:
        yield inside(f" {form.message}")
    yield f"└{'─' * WIDTH}┘"


def inside(text: str) -> str:
    """Return a line within the frame. A longer one goes over its edge, so that nothing is cut."""
    return f"│{text:<{WIDTH}}│"


def mark_lines(marks: Sequence[Mark], named: bool = False) -> Iterator[str]:
    yield from (f"{'!' if one.refuses else '?'} {f'{one.caption}: ' if named else ''}{one.text}" for one in marks)


def row_lines(row: Row, wide: int) -> Iterator[str]:
    indent = "  " * row.depth
    if row.is_heading:
        yield f" {indent}{row.caption}:"
    else:
        focus = ">" if any(box.focused for box in row.boxes) else " "
        boxes = "  ".join(paint(box, row.is_narrow) + ("↵" if box.is_default else "") for box in row.boxes)
        caption = f"{indent}{row.caption}{'*' if row.is_required else ''}"
        yield f"{focus}{caption:<{wide + 1}} {boxes}" if row.caption else f"{focus}{indent} {boxes}"
    for box in row.boxes:
        yield from (f"{'':<{wide + 2}}{line}" for line in item_lines(box.items))
    yield from (f"{'':<{wide + 3}}{line}" for line in mark_lines(row.marks))
    for box in row.boxes:
        if box.rows is not None:
            yield from table_lines(box.rows)


def grid_lines(grid: Grid) -> Iterator[str]:
    """Yield lines as a grid with column headings."""
    heading = grid.heading
    marker = "".join(f"  ! {mark.text}" for mark in heading.marks)
    yield f" {'  ' * heading.depth}{heading.caption}:{marker}"
    cells = [[paint(box, True) if box is not None else "" for box in boxes] for _, boxes in grid.lines]
    widths = [max([len(caption), *(len(row[at]) for row in cells)]) for at, caption in enumerate(grid.columns)]
    if cells:
        yield f"      {'  '.join(f'{one:<{room}}' for one, room in zip(grid.columns, widths, strict=True))}".rstrip()
    for (caption, boxes), texts in zip(grid.lines, cells, strict=True):
        focus = ">" if any(box is not None and box.focused for box in boxes) else " "
        yield f"{focus}  {caption:>2} {'  '.join(f'{one:<{room}}' for one, room in zip(texts, widths, strict=True))}"
        for box in boxes:
            if box is not None:
                yield from (f"      {line}" for line in mark_lines([box.mark] if box.mark else [], named=True))
                yield from (f"      {line}" for line in item_lines(box.items))


def item_lines(items: Items | None) -> Iterator[str]:
    """Yield the items of a list. Radio buttons are all on one line."""
    if items is None or items.radio:
        return
    for item in items.shown:
        yield f" {'▸' if item.here else 'x' if item.picked else ' '} {item.text}"
    if items.more:
        yield f"   … {items.more} more"


def paint(box: Box, narrow: bool) -> str:
    """Return a box as text."""
    return PAINT[box.look](box, narrow)


def paint_entry(box: Box, narrow: bool) -> str:
    room = NARROW if narrow else ENTRY
    text = box.text if len(box.text) <= room else f"{box.text[: room - 1]}…"
    arrow = "▾" if box.drops else ""
    return f"[{text:{' ' if box.enabled else '·'}<{room - len(arrow)}}{arrow}]{after(box)}"


def paint_items(box: Box, narrow: bool) -> str:
    if box.items is None or not box.items.radio:
        return ""
    off = "( )" if box.enabled else "(·)"
    return "  ".join(f"{'(•)' if item.picked else off} {item.text}" for item in box.items.shown)


def after(box: Box) -> str:
    return f" {box.unit}" if box.unit else ""


PAINT: Final[Mapping[str, Callable[[Box, bool], str]]] = {
    "button": lambda box, narrow: f"[ {box.caption} ]" if box.enabled else f"({box.caption})",
    "tick": lambda box, narrow: f"[{'·' if not box.enabled else 'x' if box.ticked else ' '}] {box.caption}",
    "text": lambda box, narrow: f"{box.text}{after(box)}",
    "rows": lambda box, narrow: box.text,
    "entry": paint_entry,
    "items": paint_items,
}
"""How each look is drawn."""


def table_lines(rows: Rows) -> Iterator[str]:
    yield f"   {' | '.join(rows.columns)}"
    for cells, picked in rows.shown:
        yield f" {'▸' if picked else ' '} {' | '.join(cells)}"
    if rows.in_all > len(rows.shown):
        yield f"   … {rows.in_all} rows in total"


def prompt_lines(prompt: PromptView) -> Iterator[str]:
    yield f"╔{f' {prompt.title} ':═<{WIDTH}}╗"
    for line in prompt.text.splitlines():
        yield f"║ {line}"
    wide = [max(map(len, cells)) for cells in zip(*prompt.table, strict=True)]
    for row in prompt.table:
        yield f"║   {'  '.join(f'{cell:<{room}}' for cell, room in zip(row, wide, strict=True))}".rstrip()
    buttons = "  ".join(f"[ {button} ]{'*' if button == prompt.default else ''}" for button in prompt.buttons)
    yield f"║ {buttons}"
    yield f"╚{'═' * WIDTH}╝"
