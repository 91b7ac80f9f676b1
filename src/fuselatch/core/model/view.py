"""The view: an immutable picture of what the user sees, for front ends to draw.

Parts that haven't changed are the same objects as in the view before, so a front end finds out by identity what to draw
again. Each part has a lasting id; its name may change, as that of a line does when it moves.
"""

from __future__ import annotations

from dataclasses import dataclass, fields, is_dataclass
from typing import Any, Final

from fuselatch.core.model.parts import Parts

VERSION: Final = 2
"""The version of the view's shape."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ItemView:
    """An item of a list: its id, its text, and True if it is chosen.

    The id is made from the value, so that it stays when the list changes. An item whose value can't be written as a short
    text has its position as id.
    """

    id: str
    text: str
    picked: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnView:
    """A column of a table or of lines: its name, its caption, and the kind of control that would show it."""

    name: str
    caption: str
    kind: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ControlView:
    """A control as the user sees it.

    `shape`: how its kind is drawn: field, choice, tick, button, label, table or lines. `group`: the id of its group, line or
    list of lines. `text` is in the field; if it is `masked`, it is dots, and a front end must not write it back.
    `value`: number, boolean or text. `hears`: which of hovered, clicked and double_clicked have a handler.

    `choices`: the nearest items, from position `choices_from` on; while the user types, the best matches, and `match_count`
    says how many there are (at most 1,000 are counted). `choice_count`: the items in all. `picked`: the chosen items' texts.
    A table has `columns`, and a row of `cells` for each item, and is sorted by `sorted_by`. `lines`: the ids of lines.

    Limits: `minimum` and `maximum` as text, `max_length`, `decimals`, `pattern`; `other`: a text that isn't in the list is
    accepted. `closes`: the verdict of a button that closes the form. `width`: how many characters wide it should be.
    """

    id: str
    name: str
    kind: str
    shape: str
    caption: str
    group: str
    text: str
    masked: bool
    value: str | float | bool | None
    unit: str
    placeholder: str
    help: str
    tone: str
    look: str
    keys: str
    enabled: bool
    required: bool
    read_only: bool
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
    max_length: int | None
    decimals: int | None
    pattern: str
    other: bool
    multiple: bool
    closes: str
    submits: bool
    hears: tuple[str, ...]
    width: int


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupView:
    """A titled section or a line: its caption, the id of what is around it, and if it can be used."""

    id: str
    name: str
    caption: str
    group: str
    enabled: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class RowView:
    """Controls side by side: the ids of the visible ones."""

    caption: str
    controls: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordView:
    """The current record: its place in words ("12 of 250"), its position (0: new), how many there are.

    `changed`: the user entered something that isn't saved. `can_remove`: it is saved.
    """

    text: str
    position: int
    count: int
    changed: bool
    can_remove: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class FormView:
    """An open form: its visible groups, rows, and controls in tab order.

    `covered`: the user can't use it now. `opener`: the id of the form that opened it, which waits for it if it is `modal`,
    and which it doesn't overlap if `place` is "beside". `default`: the id of the button that Enter presses. `asks`: closing
    it asks if changes may be thrown away. `hears`: which of clicked and double_clicked have a handler.
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
    record: RecordView | None
    hears: tuple[str, ...]
    groups: tuple[GroupView, ...]
    rows: tuple[RowView, ...]
    controls: Parts[ControlView]


@dataclass(frozen=True, slots=True, kw_only=True)
class PromptView:
    """The open prompt. `form`: the id of the form that asks."""

    id: str
    form: str
    title: str
    text: str
    buttons: tuple[str, ...]
    default: str
    cancel: str
    tone: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OfferView:
    """A form that can be opened by name: its title, purpose and shortcut ("" without one)."""

    name: str
    title: str
    purpose: str
    keys: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LocaleView:
    """How the session writes: language (BCP 47), direction (ltr or rtl), decimal sign, first day of the week (1: Monday)."""

    language: str
    direction: str
    decimal_sign: str
    first_weekday: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ValueView:
    """A value of an outcome: its control's name, and its text. A password is masked."""

    name: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OutcomeView:
    """The first form's outcome: the verdict and its values."""

    verdict: str
    values: tuple[ValueView, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class View:
    """Everything that the user sees: visible forms from back to front, then the prompt on top.

    `serial` counts gestures. `notice`: why the last gesture was blocked or cut short. `help`: help and marker of the control
    under the pointer, or of the focused one. `failure`: what couldn't be worked out, so that an old value is shown.
    `waits_for`: what handlers wait for, in words, the innermost last. `paused_before`: the event of a pause. `offers`: the
    forms that can be opened by name. `outcome`: what the first form ended with, once it is closed.
    """

    version: int
    serial: int
    forms: tuple[FormView, ...]
    prompt: PromptView | None
    notice: str
    help: str
    failure: str
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
    if is_dataclass(part):
        return {field.name: plain(getattr(part, field.name)) for field in fields(part)}
    if isinstance(part, tuple | Parts):
        return [plain(each) for each in part]
    return part
