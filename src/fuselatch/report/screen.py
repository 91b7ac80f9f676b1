"""A view as lines of text: the forms from back to front, then the prompt."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from fuselatch.core.model.view import ControlView, FormView, PromptView, View
from fuselatch.core.model.visible import visible
from fuselatch.report.layout import MOST_ROWS, Grid, Strip, blocks, entry_text, is_behind, listed, strips

WIDTH: Final = 64
ENTRY: Final = 22
NARROW: Final = 10


def screen(view: View) -> Iterator[str]:
    """Yield the lines of a view. `>`: focus. `*`: required. `·`: disabled. `↵`: the button that Enter presses."""
    yield from map(visible, lines_of(view))


def lines_of(view: View) -> Iterator[str]:
    for form in view.forms:
        yield from form_lines(form, is_behind(view, form))
    if view.prompt is not None:
        yield from prompt_lines(view.prompt)
    if view.help and view.prompt is None:
        yield f"  {view.help}"
    if view.notice:
        yield f"({view.notice})"


def form_lines(form: FormView, behind: bool) -> Iterator[str]:
    if behind:
        yield f"({form.title}, in the background)"
        return
    title = f" {form.title} " + (f"· {form.record.text} " if form.record else "")
    yield f"┌{title:─<{WIDTH}}┐"
    captions = [strip.caption for strip in strips(form) if not strip.heading]
    wide = min(max((len(caption) for caption in captions), default=0) + 1, 20)
    for strip in blocks(form):
        if isinstance(strip, Grid):
            yield from grid_lines(strip, wide)
            continue
        yield inside(strip_text(strip, wide, form.default))
        yield from (inside(f"{'':<{wide + 2}}{line}") for one in strip.controls for line in list_lines(one))
        markers = [control for control in strip.controls if control.marker]
        yield from (
            inside(f"{'':<{wide + 3}}{'!' if one.marker_level == 'refuse' else '?'} {one.marker}") for one in markers
        )
        if strip.controls and strip.controls[0].shape == "table":
            yield from table_lines(strip.controls[0])
    if form.message:
        yield inside(f" {form.message}")
    yield f"└{'─' * WIDTH}┘"


def inside(text: str) -> str:
    """Return a line within the frame. A longer one goes over its edge, so that nothing is cut."""
    return f"│{text:<{WIDTH}}│"


def grid_lines(grid: Grid, wide: int) -> Iterator[str]:
    """Yield lines as a grid with column headings."""
    heading = grid.heading
    marker = f"  ! {heading.controls[0].marker}" if heading.controls[0].marker else ""
    yield inside(f" {'  ' * heading.depth}{heading.caption}:{marker}")
    cells = [[box(cell, True) if cell is not None else "" for cell in row] for _, row in grid.lines]
    widths = [max([len(caption), *(len(row[at]) for row in cells)]) for at, caption in enumerate(grid.columns)]
    if cells:
        yield inside(f"      {'  '.join(f'{one:<{room}}' for one, room in zip(grid.columns, widths, strict=True))}".rstrip())
    for (caption, row), texts in zip(grid.lines, cells, strict=True):
        focus = ">" if any(cell is not None and cell.focused for cell in row) else " "
        yield inside(f"{focus}  {caption:>2} {'  '.join(f'{one:<{room}}' for one, room in zip(texts, widths, strict=True))}")
        for cell in row:
            if cell is not None:
                if cell.marker:
                    yield inside(f"      {'!' if cell.marker_level == 'refuse' else '?'} {cell.caption}: {cell.marker}")
                yield from (inside(f"      {line}") for line in list_lines(cell))


def list_lines(control: ControlView) -> Iterator[str]:
    """Yield the items of an open list, or of a list that always shows them."""
    found = listed(control)
    if found is None or control.look == "radio":
        return
    for text, picked, here in found.items:
        mark = "▸" if here else "x" if picked else " "
        yield f" {mark} {text}"
    if found.more:
        yield f"   … {found.more} more"


def strip_text(strip: Strip, wide: int, default: str = "") -> str:
    indent = "  " * strip.depth
    if strip.heading:
        return f" {indent}{strip.caption}:"
    focus = ">" if any(control.focused for control in strip.controls) else " "
    needed = "*" if any(control.required for control in strip.controls) else ""
    boxes = "  ".join(
        box(control, len(strip.controls) > 1) + ("↵" if control.id == default else "") for control in strip.controls
    )
    caption = f"{indent}{strip.caption}{needed}"
    return f"{focus}{caption:<{wide + 1}} {boxes}" if strip.caption else f"{focus}{indent} {boxes}"


def box(control: ControlView, narrow: bool) -> str:
    shape = control.shape
    dead = not control.enabled
    if shape == "button":
        return f"({control.caption})" if dead else f"[ {control.caption} ]"
    if shape == "tick":
        mark = "·" if dead else "x" if control.value else " "
        return f"[{mark}] {control.caption}"
    if shape == "table":
        return entry_text(control)
    if shape == "choice" and control.look == "radio" and not narrow:
        marks = "(·)" if dead else "( )"
        found = listed(control)
        return "  ".join(f"{'(•)' if picked else marks} {text}" for text, picked, _ in found.items) if found else ""
    if shape == "choice" and control.look == "list" and not narrow:
        return ""
    text = entry_text(control)
    unit = f" {control.unit}" if control.unit else ""
    if shape == "label" or control.read_only:
        return f"{text}{unit}"
    room = NARROW if narrow else ENTRY
    text = text if len(text) <= room else f"{text[: room - 1]}…"
    arrow = "▾" if shape == "choice" else ""
    return f"[{text:{'·' if dead else ' '}<{room - len(arrow)}}{arrow}]{unit}"


def table_lines(table: ControlView) -> Iterator[str]:
    columns = [column.caption for column in table.columns]
    yield inside(f"   {' | '.join(columns)}")
    for item, cells in list(zip(table.choices, table.cells, strict=False))[:MOST_ROWS]:
        yield inside(f" {'▸' if item.picked else ' '} {' | '.join(cells)}")
    if table.choice_count > MOST_ROWS:
        yield inside(f"   … {table.choice_count} rows in total")


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
