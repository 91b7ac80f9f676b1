"""Build the view: an immutable picture of what the user sees.

Theory of operation
-------------------
A view is made from what the last gesture left: values as they were settled, derived properties as they were last announced,
findings as they were last found. So reading it runs none of the developer's code and can't fail.

It shares what hasn't changed. Whatever changes a control puts it among its form's `touched` controls: the turn does so for
all that it records, undoing for all that it restores, and the few places that change something unrecorded do it themselves.
For the next view only these are built again. Focus, selection, pointer and covering are compared with those of the view
before. Only if a control appeared, disappeared or moved are a form's controls put together again, from the same parts.

A form's own line (title, message, record) is cheap and made each time; if it is equal to the one before, that is used.
"""

from __future__ import annotations

from datetime import date, time
from decimal import Decimal
from math import isfinite
from typing import Any, Final

from fuselatch.core.engine.edited import differs, lines_changed
from fuselatch.core.engine.focus import may_have_focus
from fuselatch.core.engine.state import NO_MESSAGE, SessionState, is_closed_for_good
from fuselatch.core.engine.waits import id_of_wait
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.declarations import Memo
from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.live_state import (
    ControlState,
    FormState,
    id_of,
    is_masked,
    is_seen,
    seems_usable,
    seen,
    seen_title,
)
from fuselatch.core.forms.prompts import Tone
from fuselatch.core.model.findings import NO_MARKER, Marker
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.parts import Parts
from fuselatch.core.model.pictures import Picture
from fuselatch.core.model.values import MASK
from fuselatch.core.model.view import (
    VERSION,
    ControlView,
    FailureView,
    FormView,
    GroupView,
    LocaleView,
    OfferView,
    OutcomeView,
    PromptView,
    RecordView,
    RowView,
    ValueView,
    View,
)

HEARD: Final = ("hovered", "unhovered", "clicked", "double_clicked")


# ---- what a view shows of a control


def marker_of(control: ControlState) -> Marker:
    """Return the finding that the user sees."""
    found = control._preview if control._preview is not None else control._findings
    if found and is_seen(control, "visible"):
        for finding in found:
            if control._marked or finding.while_typing:
                return Marker(finding.text, finding.level)
    return NO_MARKER


# ---- a control


class Kept:
    """The parts of a control's view that don't change while its form is open, and what its kind keeps."""

    __slots__ = ("group", "hears", "id", "memo", "takes_focus", "width")

    def __init__(self, control: ControlState) -> None:
        heard = control._plan.heard
        self.id = id_of(control)
        self.group = id_of(control._outer) if control._outer is not None else ""
        self.hears: tuple[str, ...] = tuple([name for name in HEARD if name in heard])
        self.takes_focus = may_have_focus(control)
        self.width: int = control._decl.width()
        self.memo = Memo()


class Look:
    """The focus, selection and pointer, as a view shows them."""

    __slots__ = ("focus", "hovered", "in_front", "select")

    def __init__(self, session: SessionState, state: FormState) -> None:
        self.in_front = session.stack.front is state.form
        focus = state.focus
        has_focus = self.in_front and focus is not None and may_have_focus(focus) and seems_usable(focus)
        self.focus: ControlState | None = focus if has_focus else None
        self.select = state.select
        self.hovered = session.hovered

    def differing(self, before: Look, form: OpenForm) -> dict[ControlState, None]:
        """Return the controls of a form that look different."""
        found: list[ControlState | None] = []
        if self.focus is not before.focus or self.select != before.select:
            found += [self.focus, before.focus]
        if self.hovered is not before.hovered:
            found += [self.hovered, before.hovered]
        return {each: None for each in found if each is not None and each.form is form}


def disabled_by(control: ControlState) -> tuple[str, ...]:
    """Return the captions of what the rule reads that disables a control or a group around it."""
    off: ControlState | None = control
    while off is not None and seen(off, "enabled"):
        off = off._outer
    cell = off._cells.get("enabled") if off is not None and off._cells is not None else None
    read = [node for node, _ in cell.inputs] if cell is not None else []
    captions = [str(seen(node, "caption")) for node in read if isinstance(node, ControlState)]
    return tuple(dict.fromkeys(captions))


def control_view(control: ControlState, kept: Kept, look: Look, formats: Formats) -> ControlView:
    """Return a control as the user sees it."""
    plan, decl = control._plan, control._decl
    marker = marker_of(control) if plan.is_checked else NO_MARKER
    text: str = ""
    value: Any = None
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
    return ControlView(
        id=kept.id,
        name=control.name,
        kind=decl.kind,
        shape=decl.shape,
        group=kept.group,
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
        hears=kept.hears,
        keys=decl.constants["keys"],
        takes=() if read_only else decl.taken_keys(control),
        takes_focus=kept.takes_focus,
        width=kept.width,
        part=decl.part(control, kept.memo, formats),
    )


def plain_value(value: Any, text: str) -> str | float | bool | None:
    """Return a value for JSON: amounts, dates and items are text."""
    if isinstance(value, float) and not isfinite(value):
        # Strict JSON has no infinity and no NaN (RFC 8259, section 6).
        return str(value)
    if value is None or isinstance(value, str | float | bool) or type(value) is int:
        return value
    if isinstance(value, Decimal):
        return f"{value:f}"
    return str(value.isoformat()) if isinstance(value, date | time) else text


def picture_shown(session: SessionState, id: str) -> Picture | None:
    """Return a picture that an open form shows, or None."""
    for form in session.stack.forms:
        for control in form._state.order:
            found = seen(control, "picture") if is_seen(control, "visible") else None
            if found and found.id == id:
                picture: Picture = found
                return picture
    return None


# ---- a form


class Shown:
    """The last view of an open form, and what it was made from."""

    __slots__ = ("controls", "differing", "fixed", "groups", "look", "order", "own", "places", "rows", "view")

    def __init__(self) -> None:
        self.view: FormView | None = None
        self.own: tuple[Any, ...] = ()
        self.look: Look | None = None
        self.fixed: dict[ControlState, Kept] = {}
        # The visible controls, the place of each, and their views.
        self.order: list[ControlState] = []
        self.places: dict[ControlState, int] = {}
        self.controls: Parts[ControlView] = Parts()
        # The entries that the user has changed.
        self.differing: set[ControlState] = set()
        self.groups: tuple[GroupView, ...] = ()
        self.rows: tuple[RowView, ...] = ()


def form_view(session: SessionState, form: OpenForm) -> FormView:
    """Return a form as the user sees it: the same object as before, if nothing differs."""
    state = form._state
    shown: Shown | None = state.shown
    if shown is None:
        shown = state.shown = Shown()
        state.rearranged = True
        state.touched = dict.fromkeys(state.order)
    look = Look(session, state)
    touched = state.touched
    if touched:
        state.touched = {}
    note_differing(state, shown, touched)
    if state.rearranged:
        arrange(session, state, shown, look, touched)
        state.rearranged = False
    else:
        wanted = widened(state, touched)
        if shown.look is not None:
            wanted.update(look.differing(shown.look, state.form))
        if wanted and not renew(session, shown, look, wanted):
            arrange(session, state, shown, look, wanted)
    shown.look = look
    own = own_view(session, form, shown)
    before = shown.view
    if (
        before is not None
        and before.controls is shown.controls
        and before.groups is shown.groups
        and before.rows is shown.rows
        and own == shown.own
    ):
        return before
    shown.own = own
    title, covered, message, tone, changed, record = own
    plan = state.plan
    opener = state.opener
    default = plan.shortcuts.get("Enter", "")
    made = FormView(
        id=f"{state.serial}",
        name=state.name,
        title=title,
        covered=covered,
        opener=f"{opener._state.serial}" if opener is not None else "",
        modal=state.manner.modal,
        place=state.manner.place,
        message=message,
        message_tone=tone,
        default=f"{state.serial}.{default}" if default else "",
        changed=changed,
        record=record,
        hears=tuple([name for name in HEARD if name in plan.heard]),
        tabs=plan.tabs,
        groups=shown.groups,
        rows=shown.rows,
        controls=shown.controls,
    )
    shown.view = made
    return made


def note_differing(state: FormState, shown: Shown, touched: dict[ControlState, None]) -> None:
    """Note which of some entries the user has changed. In a form of records, only what is bound to them counts."""
    for control in touched:
        if not control._plan.is_input or control._rule or control._plan.line is not None:
            continue
        if differs(control) and (state.records is None or state.records.binds(control)):
            shown.differing.add(control)
        else:
            shown.differing.discard(control)


def own_view(session: SessionState, form: OpenForm, shown: Shown) -> tuple[Any, ...]:
    """Return what a form's own line shows."""
    state = form._state
    message, tone = message_of(session, form)
    changed = bool(shown.differing) or lines_changed(form)
    record = record_view(form, changed)
    return seen_title(state), session.stack.covered(form), message, tone, changed, record


def record_view(form: OpenForm, changed: bool) -> RecordView | None:
    """Return the current record, as it was when the last gesture ended."""
    records = form._state.records
    if records is None:
        return None
    text, position, total = records.place
    return RecordView(text=text, position=position, total=total, changed=changed, can_remove=records.is_saved)


def widened(state: FormState, touched: dict[ControlState, None]) -> dict[ControlState, None]:
    """Return touched controls, with all that is inside a touched group."""
    groups = [control for control in touched if control._plan.is_group]
    if groups:
        for control in state.order:
            outer = control._outer
            while outer is not None:
                if outer in groups:
                    touched[control] = None
                outer = outer._outer
    return touched


def renew(session: SessionState, shown: Shown, look: Look, wanted: dict[ControlState, None]) -> bool:
    """Make the views of some controls again; return False if one appeared or disappeared."""
    places, formats = shown.places, session.formats
    changed: dict[int, ControlView] = {}
    for control in wanted:
        at = places.get(control)
        if (at is not None) != is_seen(control, "visible") or control._plan.is_group:
            return False
        if at is not None:
            made = control_view(control, shown.fixed[control], look, formats)
            if made != shown.controls[at]:
                changed[at] = made
    if changed:
        shown.controls = shown.controls.replaced(changed)
    return True


def arrange(session: SessionState, state: FormState, shown: Shown, look: Look, wanted: dict[ControlState, None]) -> None:
    """Put a form's controls, groups and rows together, from the parts that haven't changed."""
    widened(state, wanted)
    if shown.look is not None:
        wanted.update(look.differing(shown.look, state.form))
    order = [control for control in state.order if is_seen(control, "visible")]
    before, places = shown.controls, shown.places
    views = []
    for control in order:
        at = places.get(control)
        if at is None or control in wanted:
            fixed = shown.fixed.get(control)
            if fixed is None:
                fixed = shown.fixed[control] = Kept(control)
            made = control_view(control, fixed, look, session.formats)
            views.append(before[at] if at is not None and made == before[at] else made)
        else:
            views.append(before[at])
    shown.order, shown.places = order, {control: at for at, control in enumerate(order)}
    if len(shown.fixed) > 2 * len(state.order):
        # Lines that have gone.
        shown.fixed = {control: shown.fixed[control] for control in state.order if control in shown.fixed}
    if [*map(id, views)] != [*map(id, before)]:
        shown.controls = Parts(views)
    groups = tuple(
        [
            GroupView(
                id=id_of(node),
                name=node.name,
                caption=seen(node, "caption") or "",
                group=id_of(node._outer) if node._outer is not None else "",
                enabled=is_seen(node, "enabled"),
            )
            for node in state.nodes.values()
            if is_seen(node, "visible")
        ]
    )
    known = {control._plan.path: id_of(control) for control in order}
    made_rows = [(row.caption, [known[path] for path in row.controls if path in known]) for row in state.plan.rows.values()]
    rows = tuple([RowView(caption=caption, controls=tuple(ids)) for caption, ids in made_rows if ids])
    if groups != shown.groups:
        shown.groups = groups
    if rows != shown.rows:
        shown.rows = rows


# ---- the session


def view_of(session: SessionState) -> View:
    """Return the view; parts that haven't changed are those of the view before."""
    forms = tuple([form_view(session, form) for form in session.stack.forms if not session.stack.hidden(form)])
    before: View | None = session.last_view
    if before is not None and len(before.forms) == len(forms):
        if all(old is new for old, new in zip(before.forms, forms, strict=True)):
            forms = before.forms
    wait = session.prompt_wait
    prompt = before.prompt if before is not None else None
    if wait is None:
        prompt = None
    elif prompt is None or prompt.id != id_of_wait(wait):
        prompt = prompt_view(session)
    first = session.stack.first
    outcome = before.outcome if before is not None else None
    if first is None or not is_closed_for_good(session, first):
        outcome = None
    elif outcome is None:
        outcome = outcome_view(first)
    made = View(
        version=VERSION,
        serial=session.serial,
        forms=forms,
        prompt=prompt,
        notice=session.notice,
        help=help_line(session),
        failure=session.failure or (failure_view(session) if session.failed else None),
        waits_for=tuple([str(waiting) for waiting in session.waits]),
        paused_before=session.paused.path if session.paused is not None else "",
        offers=before.offers if before is not None else offer_views(session),
        locale=before.locale if before is not None else locale_view(session.formats),
        outcome=outcome,
    )
    session.last_view = made
    return made


def failure_view(session: SessionState) -> FailureView | None:
    """Return the first failure of an open form."""
    for cell, failure in session.failed.items():
        node: Any = cell.node
        if node.form.is_open:
            return failure
    return None


def prompt_view(session: SessionState) -> PromptView | None:
    """Return the open prompt."""
    wait = session.prompt_wait
    if wait is None:
        return None
    asked = wait.prompt
    return PromptView(
        id=id_of_wait(wait),
        form=f"{wait.form._state.serial}" if wait.form is not None else "",
        title=wait.title,
        text=wait.text,
        buttons=asked.buttons,
        default=asked.default,
        cancel=asked.cancel,
        tone=asked.tone,
        table=wait.table,
    )


def outcome_view(form: OpenForm) -> OutcomeView | None:
    outcome = form._state.outcome
    if outcome is None:
        return None
    values = tuple([ValueView(name=name, text=plain_text(value)) for name, value in outcome.shown.items()])
    return OutcomeView(verdict=outcome.verdict, values=values)


def plain_text(value: Any) -> str:
    """Return a value of an outcome as text."""
    try:
        return "" if value is None else value.isoformat() if isinstance(value, date | time) else str(value)
    except Exception:
        return type(value).__name__


def message_of(session: SessionState, form: OpenForm) -> tuple[str, Tone]:
    """Return a form's message and its tone."""
    return session.messages.get(form, NO_MESSAGE)[:2]


def offer_views(session: SessionState) -> tuple[OfferView, ...]:
    return tuple([offer_view(name, offer.form) for name, offer in session.offers.by_name.items()])


def offer_view(name: str, form: type[Form]) -> OfferView:
    plan = plan_of(form)
    title = plan.title if isinstance(plan.title, str) else name
    return OfferView(name=name, title=title, purpose=plan.doc, keys=plan.keys)


def locale_view(formats: Formats) -> LocaleView:
    """Return how a session writes. Formats that don't say are English."""
    half = formats.show_number(0.5, 1)
    return LocaleView(
        language=str(getattr(formats, "language", "en")),
        direction=str(getattr(formats, "direction", "ltr")),
        decimal_sign=next((sign for sign in half if not sign.isalnum()), "."),
        first_weekday=int(getattr(formats, "first_weekday", 1)),
    )


def help_line(session: SessionState) -> str:
    """Return the help and marker of the control under the pointer, or of the focused one."""
    target = session.hovered
    if target is None and session.stack.front is not None:
        target = session.stack.front._state.focus
    if target is None:
        return ""
    marker = marker_of(target).text if target._plan.is_checked else ""
    return "; ".join([line for line in (marker, seen(target, "help")) if line])
