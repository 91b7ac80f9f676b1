"""The view of one control."""

from __future__ import annotations

from datetime import date, time
from decimal import Decimal
from math import isfinite

from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.declarations import Memo
from fuselatch.core.forms.live_state import (
    ControlState,
    FormState,
    is_masked,
    is_seen,
    seems_usable,
    seen,
)
from fuselatch.core.model.findings import NO_MARKER, Marker
from fuselatch.core.model.keys import IN_LINES
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.values import MASK, Value
from fuselatch.core.model.view import ControlView, Part


def marker_of(control: ControlState) -> Marker:
    """Return the finding that the user sees."""
    findings = control._preview if control._preview is not None else control._findings
    if findings and is_seen(control, "visible"):
        for finding in findings:
            if control._marked or finding.while_typing:
                return Marker(finding.text, finding.level)
    return NO_MARKER


class Look:
    """The focus, selection and pointer, as a view shows them."""

    __slots__ = ("focus", "hovered", "in_front", "select")

    def __init__(self, session: SessionState, state: FormState) -> None:
        self.in_front = session.stack.front is state.form
        focus = state.focus
        has_focus = self.in_front and focus is not None and focus._plan.stops and seems_usable(focus)
        self.focus: ControlState | None = focus if has_focus else None
        self.select = state.select
        self.hovered = session.hovered

    def differing(self, before: Look, form: OpenForm) -> dict[ControlState, None]:
        """Return the controls of a form that look different."""
        controls: list[ControlState | None] = []
        if self.focus is not before.focus or self.select != before.select:
            controls += [self.focus, before.focus]
        if self.hovered is not before.hovered:
            controls += [self.hovered, before.hovered]
        return {each: None for each in controls if each is not None and each.form is form}


def disabled_by(control: ControlState) -> tuple[str, ...]:
    """Return the captions of what the rule reads that disables a control or a group around it."""
    off: ControlState | None = control
    while off is not None and seen(off, "enabled"):
        off = off._outer
    cell = off._cells.get("enabled") if off is not None and off._cells is not None else None
    read = [node for node, _ in cell.inputs] if cell is not None else []
    captions = [str(seen(node, "caption")) for node in read if isinstance(node, ControlState)]
    return tuple(dict.fromkeys(captions))


def control_view(control: ControlState, memo: Memo, look: Look, formats: Formats) -> ControlView:
    """Return a control as the user sees it."""
    plan, decl = control._plan, control._decl
    marker = marker_of(control) if plan.is_checked else NO_MARKER
    text: str = ""
    value: Value = None
    required = read_only = masked = False
    if plan.holds_value:
        text = control._draft if control._draft is not None else decl.text_of(control, formats)
        masked = is_masked(control)
        if masked:
            text = MASK * len(text)
        else:
            value = plain_value(control._value, text)
        if plan.is_input:
            required = bool(seen(control, "required"))
            read_only = control._rule or bool(seen(control, "read_only"))
    enabled = is_seen(control, "enabled")
    focused = look.focus is control
    return filled(
        id=memo.id,
        name=control.name,
        kind=decl.kind,
        shape=decl.shape,
        group=memo.group,
        caption=seen(control, "caption"),
        text=text,
        unit=decl.unit,
        value=value,
        help=seen(control, "help"),
        tone=seen(control, "tone"),
        enabled=enabled,
        disabled_by=() if enabled else disabled_by(control),
        required=required,
        read_only=read_only,
        masked=masked,
        focused=focused,
        selected=focused and look.select,
        hovered=look.hovered is control,
        marker=marker.text,
        marker_level=marker.level,
        hears=plan.hears,
        keys=decl.constants["keys"],
        takes=taken_keys(control, read_only),
        takes_focus=plan.stops,
        width=plan.width,
        part=decl.part(control, memo, formats),
    )


def taken_keys(control: ControlState, read_only: bool) -> tuple[str, ...]:
    """Return the keys that a front end leaves to a control."""
    keys: tuple[str, ...] = () if read_only else control._decl.taken_keys(control)
    return keys if control._plan.line is None else (*keys, IN_LINES)


def filled(
    *,
    id: str,
    name: str,
    kind: str,
    shape: str,
    group: str,
    caption: str,
    text: str,
    unit: str,
    value: str | float | bool | None,
    help: str,
    tone: str,
    enabled: bool,
    disabled_by: tuple[str, ...],
    required: bool,
    read_only: bool,
    masked: bool,
    focused: bool,
    selected: bool,
    hovered: bool,
    marker: str,
    marker_level: str,
    hears: tuple[str, ...],
    keys: str,
    takes: tuple[str, ...],
    takes_focus: bool,
    width: int,
    part: Part,
) -> ControlView:
    """Return a view filled by name. Compiled, names cost nothing here; calling the class by them costs 3 µs."""
    return ControlView._make(
        (
            id, name, kind, shape, group, caption, text, unit, value, help, tone, enabled, disabled_by, required, read_only,
            masked, focused, selected, hovered, marker, marker_level, hears, keys, takes, takes_focus, width, part,
        )
    )  # fmt: skip


def plain_value(value: object, text: str) -> str | float | bool | None:
    """Return a value for JSON: amounts, dates and items are text."""
    if isinstance(value, float) and not isfinite(value):
        # Strict JSON has no infinity and no NaN (RFC 8259, section 6).
        return str(value)
    if value is None or isinstance(value, str | float | bool) or type(value) is int:
        return value
    if isinstance(value, Decimal):
        return f"{value:f}"
    return str(value.isoformat()) if isinstance(value, date | time) else text
