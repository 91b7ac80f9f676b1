"""A view as boxes and marks, once for all who draw it: terminal, flipbook and picture only paint them.

A form is rows of boxes from top to bottom; its lines are a grid. A box says how it looks, and a painter knows nothing else
of a control.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final, Literal, NamedTuple, TypeAlias

from fuselatch.core.model.view import ChoicePart, ControlView, FormView, PromptView, TablePart, View
from fuselatch.report.layout import Strip, strips

MOST_ROWS: Final = 6
"""How many rows of a table, or items of a list, are drawn."""

Look: TypeAlias = Literal["button", "tick", "text", "entry", "items", "rows"]
"""How a box looks. `text` can't be entered; `items` are those of a list that is always open; `rows` a table's."""


class Mark(NamedTuple):
    """A marker of an entry: the entry's caption, the finding, and True if it refuses."""

    caption: str
    text: str
    refuses: bool


class Item(NamedTuple):
    """An item of a list. `here`: Enter would take it."""

    text: str
    picked: bool
    here: bool


class Items(NamedTuple):
    """The items of a list that are drawn, and how many there are besides. `radio`: as radio buttons."""

    shown: tuple[Item, ...]
    more: int
    radio: bool


class Rows(NamedTuple):
    """A table's rows that are drawn: the captions of columns, each row's cells and if it is chosen, the rows in all."""

    columns: tuple[str, ...]
    shown: tuple[tuple[tuple[str, ...], bool], ...]
    in_all: int


class Box(NamedTuple):
    """A control as it is drawn.

    `text`: what is in it; if it `is_blank`, that is only a hint. `unit`: after it. `ticked`: of a tick box. `drops`: a list
    opens below it. `is_default`: Enter presses it. `items`: of a list that is shown, in the box or below it. `offered`: how
    many choices it has, or "".
    """

    name: str
    look: Look
    caption: str
    text: str
    is_blank: bool
    unit: str
    ticked: bool
    drops: bool
    enabled: bool
    focused: bool
    required: bool
    is_default: bool
    items: Items | None
    rows: Rows | None
    mark: Mark | None
    offered: str

    @property
    def state(self) -> str:
        """Its state in words."""
        words = [
            "required" if self.required else "",
            "disabled" if not self.enabled else "",
            "has the focus" if self.focused else "",
            self.offered,
            self.mark.text if self.mark is not None else "",
        ]
        return ", ".join(word for word in words if word)


class Row(NamedTuple):
    """A row of a form: its caption, indent and boxes. A `heading` has none, and perhaps marks of the lines below it."""

    caption: str
    depth: int
    boxes: tuple[Box, ...]
    is_heading: bool
    marks: tuple[Mark, ...]

    @property
    def is_narrow(self) -> bool:
        """True if several boxes share it."""
        return len(self.boxes) > 1

    @property
    def is_required(self) -> bool:
        """True if its entry must be filled in."""
        return any(box.required for box in self.boxes)


class Grid(NamedTuple):
    """Lines: the row that heads them, the columns' captions, and for each line its caption and boxes.

    A box is None if its control is hidden in that line.
    """

    heading: Row
    columns: tuple[str, ...]
    lines: tuple[tuple[str, tuple[Box | None, ...]], ...]


class FormSketch(NamedTuple):
    """A form: its name and title, and its rows; of one in the background nothing else is drawn."""

    name: str
    title: str
    is_behind: bool
    is_beside: bool
    rows: tuple[Row | Grid, ...]
    message: str

    def boxes(self) -> Iterator[Box]:
        """Yield its boxes, top to bottom."""
        for row in self.rows:
            if isinstance(row, Row):
                yield from row.boxes
            else:
                yield from (box for _, boxes in row.lines for box in boxes if box is not None)


class Sketch(NamedTuple):
    """Everything that is drawn of a view: its forms from back to front, the prompt, and the lines below them."""

    forms: tuple[FormSketch, ...]
    prompt: PromptView | None
    help: str
    notice: str
    direction: str


def sketch(view: View) -> Sketch:
    """Return a view as boxes and marks."""
    return Sketch(
        forms=tuple([form_sketch(form, is_behind(view, form)) for form in view.forms]),
        prompt=view.prompt,
        help="" if view.prompt is not None else view.help,
        notice=view.notice,
        direction=view.locale.direction,
    )


def is_behind(view: View, form: FormView) -> bool:
    """Return True if another form covers this form. A prompt doesn't count."""
    return form.covered and (view.prompt is None or form is not view.forms[-1])


def form_sketch(form: FormView, behind: bool = False) -> FormSketch:
    """Return one form as rows of boxes."""
    return FormSketch(
        name=form.name,
        title=form.title + (f" · {form.record.text}" if form.record and not behind else ""),
        is_behind=behind,
        is_beside=form.place == "beside",
        rows=() if behind else tuple(rows_of(form)),
        message=form.message,
    )


def rows_of(form: FormView) -> Iterator[Row | Grid]:
    """Yield the rows of a form, with the lines of each list as one grid."""
    heading: Strip | None = None
    held: list[Strip] = []
    for strip in strips(form):
        if heading is not None and strip.line:
            held.append(strip)
            continue
        if heading is not None:
            yield grid_of(heading, held, form.default)
            heading, held = None, []
        if strip.heading and strip.columns:
            heading = strip
        else:
            yield row_of(strip, form.default)
    if heading is not None:
        yield grid_of(heading, held, form.default)


def row_of(strip: Strip, default: str) -> Row:
    """Return a strip of a form as a row of boxes."""
    boxes = () if strip.heading else tuple([box_of(control, default) for control in strip.controls])
    marks = tuple([mark for control in strip.controls if (mark := mark_of(control)) is not None])
    return Row(strip.caption, strip.depth, boxes, strip.heading, marks)


def grid_of(heading: Strip, held: list[Strip], default: str) -> Grid:
    """Return some lines as a grid."""
    lines: dict[str, tuple[str, dict[str, Box]]] = {}
    for strip in held:
        cells = lines.setdefault(strip.line, (strip.caption, {}))[1]
        for control in strip.controls:
            cells[control.name.partition("].")[2]] = box_of(control, default, in_grid=True)
    rows = [(caption, tuple([cells.get(column.name) for column in heading.columns])) for caption, cells in lines.values()]
    return Grid(row_of(heading, default), tuple([column.caption for column in heading.columns]), tuple(rows))


def mark_of(control: ControlView) -> Mark | None:
    """Return what was found in an entry, or None."""
    return Mark(control.caption, control.marker, control.marker_level == "refuse") if control.marker else None


LOOKS: Final[dict[str, Look]] = {"button": "button", "tick": "tick", "label": "text", "table": "rows", "lines": "text"}
"""The look of each shape. Of any other it depends on what can be entered."""


def box_of(control: ControlView, default: str, in_grid: bool = False) -> Box:
    """Return a control as a box. In a grid, a list that is always open is drawn as one that opens."""
    part = control.part
    choice = part if isinstance(part, ChoicePart) else None
    items = items_of(choice) if choice is not None and (choice.list_open or not (in_grid or drops(choice))) else None
    look: Look = "text" if control.read_only else "entry"
    look = LOOKS.get(control.shape, "items" if choice is not None and not (drops(choice) or in_grid) else look)
    text = ", ".join(choice.picked) if choice is not None and len(choice.picked) > 1 else control.text
    hint = getattr(part, "placeholder", "")
    return Box(
        name=control.name,
        look=look,
        caption=control.caption,
        text=text or hint,
        is_blank=not text,
        unit=control.unit,
        ticked=control.value is True,
        drops=choice is not None,
        enabled=control.enabled,
        focused=control.focused,
        required=control.required,
        is_default=control.id == default,
        items=items,
        rows=table_rows(part) if isinstance(part, TablePart) else None,
        mark=mark_of(control),
        offered=f"{choice.choice_count} choice{'' if choice.choice_count == 1 else 's'}" if choice is not None else "",
    )


def drops(choice: ChoicePart) -> bool:
    """Return True if a list opens below its entry."""
    return choice.look == "drop-down"


def items_of(choice: ChoicePart) -> Items:
    """Return the items of a choice that are drawn: those around the one that is taken or chosen."""
    shown = choice.choices[:MOST_ROWS]
    if not any(item.id == choice.at_item for item in shown):
        at = next((place for place, item in enumerate(choice.choices) if item.id == choice.at_item or item.picked), 0)
        shown = choice.choices[max(0, at - MOST_ROWS + 1) :][:MOST_ROWS] if at >= MOST_ROWS else shown
    count = choice.match_count if choice.list_open and choice.match_count else choice.choice_count
    items = [Item(item.text, item.picked, choice.list_open and item.id == choice.at_item) for item in shown]
    return Items(tuple(items), max(0, count - len(items)), choice.look == "radio")


def table_rows(table: TablePart) -> Rows:
    """Return the rows of a table that are drawn."""
    shown = [(cells, item.picked) for item, cells in zip(table.choices, table.cells, strict=False)][:MOST_ROWS]
    return Rows(tuple([column.caption for column in table.columns]), tuple(shown), table.choice_count)
