"""A view as lines of text: the forms from back to front, then the prompt."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from fuselatch.core.model.view import ControlView, FormView, PromptView, View
from fuselatch.core.model.visible import visible
from fuselatch.report.layout import MOST_ROWS, Strip, entry_text, is_behind, strips

WIDTH: Final = 64
ENTRY: Final = 22
NARROW: Final = 10


def screen(view: View) -> Iterator[str]:
    """Yield the lines of a view. `>`: focus. `*`: required. `·`: disabled."""
    yield from map(visible, lines_of(view))


def lines_of(view: View) -> Iterator[str]:
    for form in view.forms:
        yield from form_lines(form, is_behind(view, form))
    if view.prompt is not None:
        yield from prompt_lines(view.prompt)
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
    for strip in strips(form):
        yield inside(strip_text(strip, wide))
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
    return f"│{text:<{WIDTH}}│"


def strip_text(strip: Strip, wide: int) -> str:
    indent = "  " * strip.depth
    if strip.heading:
        return f" {indent}{strip.caption}:"
    focus = ">" if any(control.focused for control in strip.controls) else " "
    needed = "*" if any(control.required for control in strip.controls) else ""
    boxes = "  ".join(box(control, len(strip.controls) > 1) for control in strip.controls)
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
