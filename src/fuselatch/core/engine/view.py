"""The view: an immutable picture of what the user sees, for front ends to draw."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import date, time
from decimal import Decimal
from typing import Any, Final

from fuselatch.core.engine.focus import takes_focus
from fuselatch.core.engine.state import SessionState
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import MASK, LiveInput, LiveValue
from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.live_lists import LiveChoice, LiveTable
from fuselatch.core.forms.prompts import Tone
from fuselatch.core.model.locale_formats import Formats

VERSION = 1
"""The version of the view's shape."""
IN_REACH = 50
"""How many choices a view has at most, around the chosen one."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnView:
    """A table's column: its name, caption, and kind (text, number, date, time or tick)."""

    name: str
    caption: str
    kind: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ControlView:
    """A control as the user sees it.

    `shape`: how its kind is drawn: field, choice, tick, button, label, table or lines. `text` is in the field. `value`:
    number, boolean or text. `choices`: the nearest choices; `choice_count`: how many there are; `picked`: those chosen.
    `group`: the path of its group, line or list of lines. A table has `columns`, a row of `cells` for each of its choices,
    and is sorted by `sorted_by`.
    """

    name: str
    kind: str
    shape: str
    caption: str
    group: str
    text: str
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
    choices: tuple[str, ...]
    choice_count: int
    picked: tuple[str, ...]
    columns: tuple[ColumnView, ...]
    cells: tuple[tuple[str, ...], ...]
    sorted_by: str
    descending: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupView:
    """A titled section: its path, caption, outer group, and if it can be used."""

    name: str
    caption: str
    group: str
    enabled: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class RowView:
    """Controls side by side: the visible ones, by path."""

    caption: str
    controls: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class FormView:
    """An open form: its visible groups, rows, and controls in tab order.

    `covered`: the user can't use it now. `opener`: the form that opened it, which waits for it if it is `modal`, and which
    it doesn't overlap if `place` is "beside". `record`: the current record's position ("12 of 250"), "" without records.
    `default`: the button that Enter presses.
    """

    name: str
    title: str
    covered: bool
    opener: str
    modal: bool
    place: str
    message: str
    message_tone: str
    default: str
    record: str
    groups: tuple[GroupView, ...]
    rows: tuple[RowView, ...]
    controls: tuple[ControlView, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class PromptView:
    """The open prompt."""

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
class View:
    """Everything that the user sees: visible forms from back to front, then the prompt on top.

    `notice`: why the last gesture was blocked or cut short. `help`: help and marker of the control under the pointer, or of
    the focused one. `waits_for`: what handlers wait for, the innermost last. `paused_before`: the event of a pause.
    `offers`: the forms that can be opened by name.
    """

    version: int
    forms: tuple[FormView, ...]
    prompt: PromptView | None
    notice: str
    help: str
    waits_for: tuple[str, ...]
    paused_before: str
    offers: tuple[OfferView, ...]

    def to_dict(self) -> dict[str, Any]:
        """Return the view as plain dicts, lists and text, for JSON."""
        return asdict(self)


def view_of(session: SessionState) -> View:
    """Build the view. This runs none of the developer's code."""
    return View(
        version=VERSION,
        forms=tuple(form_view(session, form) for form in session.stack.forms if not session.stack.hidden(form)),
        prompt=prompt_view(session),
        notice=session.notice,
        help=help_line(session),
        waits_for=tuple(str(waiting) for waiting in session.waits),
        paused_before=session.paused.path if session.paused is not None else "",
        offers=tuple(offer_view(name, offer.form) for name, offer in session.offers.by_name.items()),
    )


def prompt_view(session: SessionState) -> PromptView | None:
    wait = session.prompt_wait
    if wait is None:
        return None
    asked = wait.prompt
    return PromptView(
        title=wait.title,
        text=wait.text,
        buttons=asked.buttons,
        default=asked.default,
        cancel=asked.cancel,
        tone=asked.tone,
    )


def message_of(session: SessionState, form: OpenForm) -> tuple[str, Tone]:
    """Return a form's message and its tone."""
    return session.messages.get(form, ("", "plain"))


def offer_view(name: str, form: type[Form]) -> OfferView:
    plan = plan_of(form)
    title = plan.title if isinstance(plan.title, str) else name
    return OfferView(name=name, title=title, purpose=plan.doc, keys=plan.keys)


def help_line(session: SessionState) -> str:
    """Return the help and marker of the control under the pointer, or of the focused one."""
    target = session.hovered
    if target is None and session.stack.front is not None:
        target = session.stack.front._state.focus
    if target is None:
        return ""
    marker = target.marker.text if isinstance(target, LiveInput) else ""
    return "; ".join(line for line in (marker, target._read("help")) if line)


def form_view(session: SessionState, form: OpenForm) -> FormView:
    state = form._state
    shown = [control for control in state.order if control.visible]
    names = {control.name for control in shown}
    rows = ((row.caption, tuple(path for path in row.controls if path in names)) for row in state.plan.rows.values())
    message = message_of(session, form)
    nodes: list[Any] = list(state.nodes.values())
    return FormView(
        name=state.name,
        title=form.title,
        covered=session.stack.covered(form),
        opener=state.opener._state.name if state.opener is not None else "",
        modal=state.manner.modal,
        place=state.manner.place,
        message=message[0],
        message_tone=message[1],
        default=state.plan.shortcuts.get("Enter", ""),
        record=state.records.position_text if state.records is not None else "",
        groups=tuple(
            GroupView(name=node.name, caption=node.caption, group=around(node), enabled=node.enabled)
            for node in nodes
            if node.visible
        ),
        rows=tuple(RowView(caption=caption, controls=paths) for caption, paths in rows if paths),
        controls=tuple(control_view(session, control, session.stack.front is form) for control in shown),
    )


def control_view(session: SessionState, control: Any, in_front: bool) -> ControlView:
    decl = control._decl
    entry = isinstance(control, LiveInput)
    holds = isinstance(control, LiveValue)
    marker = control.marker if isinstance(control, LiveInput) else None
    choices, count = in_reach(control) if isinstance(control, LiveChoice) else ((), 0)
    text = control.text if holds else ""
    columns, cells = table_view(control) if isinstance(control, LiveTable) else ((), ())
    focused = in_front and control.focused and takes_focus(control)
    return ControlView(
        name=control.name,
        kind=decl.kind,
        shape=decl.shape,
        caption=control.caption,
        group=around(control),
        text=MASK * len(text) if control._plan.masked else text,
        value=plain_value(control) if holds and not control._plan.masked else None,
        unit=decl.unit,
        placeholder=control._current("placeholder") if entry else "",
        help=control.help,
        tone=control.tone,
        look=decl.constants["look"],
        keys=decl.constants["keys"],
        enabled=control.enabled,
        required=bool(control.required) if isinstance(control, LiveInput) else False,
        read_only=bool(entry and control._rule),
        focused=focused,
        selected=focused and control.form._state.select,
        hovered=session.hovered is control,
        list_open=bool(entry and control._listing),
        marker=marker.text if marker else "",
        marker_level=marker.level if marker else "",
        choices=choices,
        choice_count=count,
        picked=control.picked if isinstance(control, LiveChoice) else (),
        columns=columns,
        cells=cells,
        sorted_by=control.sorted_by if isinstance(control, LiveTable) else "",
        descending=isinstance(control, LiveTable) and control.descending,
    )


def around(control: Any) -> str:
    """Return the name of the group, line or list around a control."""
    return control._outer.name if control._outer is not None else ""


KINDS: Final = ((bool, "tick"), ((int, float, Decimal), "number"), (date, "date"), (time, "time"))
"""A column's kind, by the type of its first value. Any other is text."""


def table_view(table: LiveTable[Any]) -> tuple[tuple[ColumnView, ...], tuple[tuple[str, ...], ...]]:
    """Return a table's columns, and the cells of its nearest rows."""
    rows = [table.choices.row(at) for at in places_in_reach(table)]
    columns = []
    for name, caption in table._decl.columns.items():
        value = next((row[name] for row in rows if row.get(name) is not None), None)
        kind = next((kind for types, kind in KINDS if isinstance(value, types)), "text")
        columns.append(ColumnView(name=name, caption=caption, kind=kind))
    formats = table._engine.formats
    return tuple(columns), tuple(tuple(cell_text(row.get(name), formats) for name in table._decl.columns) for row in rows)


def cell_text(value: Any, formats: Formats) -> str:
    """Return a table cell's text in the session's locale."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float | Decimal):
        return formats.show_number(value, None)
    if isinstance(value, date):
        return formats.show_date(value)
    return formats.show_time(value) if isinstance(value, time) else str(value)


def plain_value(control: Any) -> str | float | bool | None:
    """Return a value for JSON: amounts, dates and items are text."""
    value = control._current("value")
    if isinstance(value, tuple):
        return ", ".join(control.picked)
    if value is None or isinstance(value, str | float | bool) or type(value) is int:
        return value
    return value.isoformat() if hasattr(value, "isoformat") else f"{value:f}" if isinstance(value, Decimal) else str(value)


def in_reach(control: LiveChoice[Any, Any, Any]) -> tuple[tuple[str, ...], int]:
    """Return the nearest choices and how many there are.

    While the user types, these are the matches.
    """
    choices = control.choices
    places = places_in_reach(control)
    if isinstance(places, range):
        return tuple(choices.shown(places.start, places.stop)), len(choices)
    return tuple(choices.text(choices[at]) for at in places), len(choices)


def places_in_reach(control: LiveChoice[Any, Any, Any]) -> Sequence[int]:
    """Return the positions of the nearest choices."""
    choices = control.choices
    count = len(choices)
    typed = (control._draft or "").strip()
    if control._listing and typed:
        return choices.ahead_index.find(typed, IN_REACH)
    start = 0
    if count > IN_REACH:
        at = control.position or 0
        start = max(0, min(at - IN_REACH // 2, count - IN_REACH))
    return range(start, min(count, start + IN_REACH))
