"""The view: an immutable picture of what the user sees, for front ends to draw.

Parts that haven't changed are the same objects as in the view before, so a front end finds out by identity what to draw
again. Each part has a lasting id; its name may change, as that of a line does when it moves.
"""

from __future__ import annotations

from typing import Any, Final, NamedTuple

from fuselatch.core.model.parts import Parts

VERSION: Final = 2
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
    """A column of a table or of lines: its name, its caption, and the kind of control that would show it."""

    name: str
    caption: str
    kind: str


class ControlView(NamedTuple):
    """A control as the user sees it.

    `shape`: how its kind is drawn: field, choice, tick, button, label, table or lines. `group`: the id of its group, line or
    list of lines. `text` is in the field; if it is `masked`, it is dots, and a front end must not write it back.
    `value`: number, boolean or text. `hears`: which of hovered, unhovered, clicked and double_clicked have a handler.

    `choices`: the nearest items, from position `choices_from` on; while the user types, the best matches, and `match_count`
    says how many there are (at most 1,000 are counted). `choice_count`: the items in all. `at_item`: the id of the item that
    Enter or Tab would take from an open list. `picked`: the chosen items' texts.
    A table has `columns`, and a row of `cells` for each item, and is sorted by `sorted_by`. `lines`: the ids of lines.

    Limits: `minimum` and `maximum` as text, `max_length`, `decimals`, `pattern`; `other`: a text that isn't in the list is
    accepted. `closes`: the verdict of a button that closes the form. `width`: how many characters wide it should be.
    `takes_focus`: the user can go to it while it is enabled.
    `picture`: the id of a label's picture, `alt`: what it says. `disabled_by`: if it is disabled, the captions of what its
    rule reads.
    """

    name: str
    caption: str
    text: str
    value: str | float | bool | None
    placeholder: str
    help: str
    tone: str
    enabled: bool
    required: bool
    focused: bool
    selected: bool
    hovered: bool
    list_open: bool
    marker: str
    marker_level: str
    choices: tuple[ItemView, ...]
    choices_from: int
    choice_count: int
    match_count: int
    at_item: str
    picked: tuple[str, ...]
    columns: tuple[ColumnView, ...]
    cells: tuple[tuple[str, ...], ...]
    sorted_by: str
    descending: bool
    lines: tuple[str, ...]
    can_add: bool
    can_remove: bool
    can_move: bool
    minimum: str
    maximum: str
    read_only: bool
    masked: bool
    picture: str
    alt: str
    disabled_by: tuple[str, ...]
    # From here on nothing changes while the form is open.
    id: str
    kind: str
    shape: str
    group: str
    unit: str
    look: str
    keys: str
    max_length: int | None
    decimals: int | None
    pattern: str
    other: bool
    multiple: bool
    closes: str
    submits: bool
    hears: tuple[str, ...]
    takes_focus: bool
    width: int


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
    """The first form's outcome: the verdict and its values."""

    verdict: str
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


class View(NamedTuple):
    """Everything that the user sees: visible forms from back to front, then the prompt on top.

    `serial` counts gestures. `notice`: why the last gesture was blocked or cut short. `help`: help and marker of the control
    under the pointer, or of the focused one. `failure`: what failed in the last gesture, or couldn't be worked out.
    `waits_for`: what handlers wait for, in words, the innermost last. `paused_before`: the event of a pause. `offers`: the
    forms that can be opened by name. `outcome`: what the first form ended with, once it is closed.
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

    def to_dict(self) -> dict[str, Any]:
        """Return the view as plain dicts, lists and text, for JSON."""
        found: dict[str, Any] = plain(self)
        return found


def plain(part: Any) -> Any:
    """Return a part of a view as plain dicts, lists and text."""
    names = getattr(part, "_fields", None)
    if names is not None:
        return {name: plain(value) for name, value in zip(names, part, strict=True)}
    if isinstance(part, tuple | Parts):
        return [plain(each) for each in part]
    return part
