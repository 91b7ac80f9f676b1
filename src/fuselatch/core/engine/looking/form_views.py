"""The view of one form: the same object as before, if nothing differs."""

from __future__ import annotations

from typing import Any

from fuselatch.core.engine.looking.control_views import Look, control_view
from fuselatch.core.engine.looking.edited import differs, lines_changed
from fuselatch.core.engine.state.session_state import NO_MESSAGE, SessionState
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.declarations import Memo
from fuselatch.core.forms.live_state import (
    ControlState,
    FormState,
    id_of,
    is_seen,
    seen,
    seen_title,
)
from fuselatch.core.forms.prompts import Tone
from fuselatch.core.model.events import POINTED
from fuselatch.core.model.parts import Parts
from fuselatch.core.model.view import (
    ControlView,
    FormView,
    GroupView,
    RecordView,
    RowView,
)


class Shown:
    """The last view of an open form, and what it was made from."""

    __slots__ = ("controls", "differing", "fixed", "groups", "look", "order", "own", "places", "rows", "view")

    def __init__(self) -> None:
        self.view: FormView | None = None
        self.own: tuple[object, ...] = ()
        self.look: Look | None = None
        self.fixed: dict[ControlState, Memo] = {}
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
        hears=tuple([name for name in POINTED if name in plan.heard]),
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
                fixed = shown.fixed[control] = Memo(
                    id_of(control), id_of(control._outer) if control._outer is not None else ""
                )
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


def message_of(session: SessionState, form: OpenForm) -> tuple[str, Tone]:
    """Return a form's message and its tone."""
    return session.messages.get(form, NO_MESSAGE)[:2]
