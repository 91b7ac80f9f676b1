"""The view: an immutable picture of what the user sees, for front ends to draw.

Parts that haven't changed are the same objects as in the view before, so a front end finds out by identity what to draw
again. Each part has a lasting id; its name may change, as that of a line does when it moves.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final, NamedTuple, TypeAlias

from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.parts import Parts

VERSION: Final = 3
"""The version of the view's shape."""


class ItemView(NamedTuple):
    """An item of a list: its id, its text, and True if it is chosen.

    The id is made from the value, so that it stays when the list changes. An item whose value can't be written as a short
    text has its position as id.
    """

    id: str
    text: str
    picked: bool


class ColumnView(NamedTuple):
    """A column of a table or of lines: its name, its caption, the kind of control that would show it, and what it `holds`.

    `holds`: text, number, date, time or datetime.
    """

    name: str
    caption: str
    kind: str
    holds: str


# ---- the part of a control's view that only its shape has


class FieldPart(NamedTuple):
    """A field for text.

    `holds`: text, number, date, time or datetime. `secret`: what is typed must not be seen. Limits: `minimum` and `maximum`
    as text, `max_length` in characters, `longest` in bytes of UTF-8, `decimals`, `pattern`. `autocomplete`, `inputmode`,
    `spellcheck`: as HTML has them; "" is the usual. `earliest`, `latest`: the limits of a date or time (ISO 8601), or "".
    """

    holds: str
    placeholder: str
    minimum: str
    maximum: str
    multi_line: bool
    secret: bool
    max_length: int | None
    longest: int
    decimals: int | None
    pattern: str
    autocomplete: str
    inputmode: str
    spellcheck: bool
    earliest: str
    latest: str


class ChoicePart(NamedTuple):
    """A choice of items.

    `look`: drop-down, list or radio. `always_open`: its items are always shown, and it has no text to type into.
    `list_open`: its list is open now. `choices`: the nearest items, from position `choices_from` on; while the user types,
    the best matches, and `match_count` says how many there are (up to 1,000 are counted). `choice_count`: the items in all.
    `at_item`: the id of the item that Enter or Tab would take from an open list. `picked`: the chosen items' texts. `other`:
    a text that isn't in the list is accepted. `multiple`: several items can be picked. `longest`: as of a field.
    `takes_open`: the keys that it takes once its list is open, for who is faster than the next view.
    """

    look: str
    placeholder: str
    always_open: bool
    list_open: bool
    choices: tuple[ItemView, ...]
    choices_from: int
    choice_count: int
    match_count: int
    at_item: str
    picked: tuple[str, ...]
    other: bool
    multiple: bool
    longest: int
    takes_open: tuple[str, ...]


class TablePart(NamedTuple):
    """A table: its `columns`, and a row of `cells` for each item of `choices`, which are as those of a choice."""

    choices: tuple[ItemView, ...]
    choices_from: int
    choice_count: int
    picked: tuple[str, ...]
    columns: tuple[ColumnView, ...]
    cells: tuple[tuple[str, ...], ...]
    sorted_by: str
    descending: bool


class TickPart(NamedTuple):
    """A tick box."""

    ticked: bool


class ButtonPart(NamedTuple):
    """A button. `closes`: the verdict with which it closes the form, or "". `submits`: it submits the form."""

    closes: str
    submits: bool


class LabelPart(NamedTuple):
    """A label. `picture`: the id of its picture, or "". `alt`: what the picture says."""

    picture: str
    alt: str


class LinesPart(NamedTuple):
    """A list of lines: the `columns` of a line, and the ids of the lines.

    `longest`: the longest text of rows that may be pasted, in bytes of UTF-8.
    """

    columns: tuple[ColumnView, ...]
    lines: tuple[str, ...]
    can_add: bool
    can_remove: bool
    can_move: bool
    longest: int


Part: TypeAlias = FieldPart | ChoicePart | TablePart | TickPart | ButtonPart | LabelPart | LinesPart
SHAPES: Final[Mapping[str, type[Part]]] = {
    "field": FieldPart,
    "choice": ChoicePart,
    "table": TablePart,
    "tick": TickPart,
    "button": ButtonPart,
    "label": LabelPart,
    "lines": LinesPart,
}
"""The ways in which controls are drawn, and the part of the view that each has."""


class ControlView(NamedTuple):
    """A control as the user sees it: what all controls have, and the `part` of its shape.

    `shape`: how it is drawn: field, choice, tick, button, label, table or lines. `group`: the id of its group, line or list
    of lines. `text` is in the field, without its `unit`; if it is `masked`, it is dots, and a front end must not write it
    back. `value`: number, boolean or text. `hears`: which of hovered, unhovered, clicked and double_clicked have a handler.
    `keys`: its shortcut. `takes`: the keys that it takes now, besides those of every control ("character" is any single
    character); the others are for whoever edits its text. `takes_focus`: the user can go to it while it is enabled. `width`:
    in characters. `disabled_by`: if it is disabled, the captions of what its rule reads.

    In plain data (`to_dict`) the fields of `part` are beside the others.
    """

    id: str
    name: str
    kind: str
    shape: str
    group: str
    caption: str
    text: str
    unit: str
    value: str | float | bool | None
    help: str
    tone: str
    enabled: bool
    disabled_by: tuple[str, ...]
    required: bool
    read_only: bool
    masked: bool
    focused: bool
    selected: bool
    hovered: bool
    marker: str
    marker_level: str
    hears: tuple[str, ...]
    keys: str
    takes: tuple[str, ...]
    takes_focus: bool
    width: int
    part: Part


class GroupView(NamedTuple):
    """A titled section or a line: its caption, the id of what is around it, and if it can be used."""

    id: str
    name: str
    caption: str
    group: str
    enabled: bool


class RowView(NamedTuple):
    """Controls side by side: the ids of the visible ones."""

    caption: str
    controls: tuple[str, ...]


class RecordView(NamedTuple):
    """The current record: its place in words ("12 of 250"), its position, how many there are in all.

    The position is 0 for a new record and for one that a filter leaves out. `changed`: the user entered
    something in it that isn't saved. `can_remove`: it is saved.
    """

    text: str
    position: int
    total: int
    changed: bool
    can_remove: bool


class FormView(NamedTuple):
    """An open form: its visible groups, rows, and controls in tab order.

    `covered`: the user can't use it now. `opener`: the id of the form that opened it, which waits for it if it is `modal`,
    and which it doesn't overlap if `place` is "beside". `default`: the id of the button that Enter presses.
    `tabs`: its titled groups and its lines are tab pages.
    `changed`: the user entered something that isn't submitted or saved. `hears`: which of clicked and double_clicked have a
    handler.
    """

    id: str
    name: str
    title: str
    covered: bool
    opener: str
    modal: bool
    place: str
    message: str
    message_tone: str
    default: str
    changed: bool
    record: RecordView | None
    hears: tuple[str, ...]
    tabs: bool
    groups: tuple[GroupView, ...]
    rows: tuple[RowView, ...]
    controls: Parts[ControlView]


class PromptView(NamedTuple):
    """The open prompt. `form`: the id of the form that asks. `table`: rows of cells below the text, the headings first."""

    id: str
    form: str
    title: str
    text: str
    buttons: tuple[str, ...]
    default: str
    cancel: str
    tone: str
    table: tuple[tuple[str, ...], ...]


class OfferView(NamedTuple):
    """A form that can be opened by name: its title, purpose and shortcut ("" without one)."""

    name: str
    title: str
    purpose: str
    keys: str


class LocaleView(NamedTuple):
    """How the session writes: language (BCP 47), direction (ltr or rtl), decimal sign, first day of the week (1: Monday)."""

    language: str
    direction: str
    decimal_sign: str
    first_weekday: int


class ValueView(NamedTuple):
    """A value of an outcome: its control's name, and its text. A password is masked."""

    name: str
    text: str


class OutcomeView(NamedTuple):
    """The first form's outcome: the verdict, the form's own words for that (`done_text`) or "", and its values."""

    verdict: str
    text: str
    values: tuple[ValueView, ...]


class FailureView(NamedTuple):
    """Something of the developer's that failed: the last gesture, which is undone, or a rule, whose old value is shown.

    `text`: for the user. The rest is for developers: what failed (`what`), its file and line, the error, and the loop of
    events and handlers, if it is one.
    """

    text: str
    what: str
    file: str
    line: int
    error: str
    loop: tuple[str, ...]


class SlowCallView(NamedTuple):
    """A slow call that a handler waits for: of which form, its text, and how far it is.

    `locks`: the controls that refuse gestures until it ends, by id; `locks_form`: all of the form do. `done`, `of`: its
    progress, 0 of 0 if it tells none; `reported`: what it said last.
    """

    id: str
    form: str
    text: str
    can_cancel: bool
    locks_form: bool
    locks: tuple[str, ...]
    done: float
    of: float
    reported: str


class View(NamedTuple):
    """Everything that the user sees: visible forms from back to front, then the prompt on top.

    `serial` counts gestures. `notice`: why the last gesture was blocked or cut short. `help`: help and marker of the control
    under the pointer, or of the focused one. `failure`: what failed in the last gesture, or couldn't be worked out.
    `waits_for`: what handlers wait for, in words, the innermost last. `paused_before`: the event of a pause. `offers`: the
    forms that can be opened by name. `outcome`: what the first form ended with, once it is closed. `takes_back`: the user's
    last change can be taken back (`take_back`, Ctrl+Z). `slow_calls`: what handlers wait for that runs elsewhere.
    """

    version: int
    serial: int
    forms: tuple[FormView, ...]
    prompt: PromptView | None
    notice: str
    help: str
    failure: FailureView | None
    waits_for: tuple[str, ...]
    paused_before: str
    offers: tuple[OfferView, ...]
    locale: LocaleView
    outcome: OutcomeView | None
    takes_back: bool
    slow_calls: tuple[SlowCallView, ...]

    def to_dict(self) -> Plain:
        """Return the view as plain dicts, lists and text, for JSON."""
        data: Plain = plain(self)
        return data


def plain(part: object) -> Any:
    """Return a part of a view as plain dicts, lists and text."""
    if isinstance(part, ControlView):
        return {**fields_of(part), **fields_of(part.part)}
    if hasattr(part, "_fields"):
        return fields_of(part)
    if isinstance(part, tuple | Parts):
        return [plain(each) for each in part]
    return part


def fields_of(part: Any) -> Plain:
    """Return the fields of one part as plain data, without the part of a control's shape."""
    return {name: plain(value) for name, value in zip(part._fields, part, strict=True) if name != "part"}
