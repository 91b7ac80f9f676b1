"""Find forms and controls by name: one way for gestures, expectations, `why` and whoever asks a session."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import AnyControl, ControlState
from fuselatch.core.forms.placing import placed_at
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest


def form_named(forms: Iterable[OpenForm], name: str) -> OpenForm | None:
    """Return the form with a name in the trace ("Side", "Side#2"), or else the first of a class, front to back."""
    forms = tuple(forms)
    match = next((form for form in forms if form._state.name == name), None)
    return match or next((form for form in forms if type(form).__name__ == name), None)


def form_and_rest(forms: Iterable[OpenForm], name: str) -> tuple[OpenForm | None, str]:
    """Return the form that a name starts with, and the rest: `Side.word`. Without a form, it is about the first one."""
    forms = tuple(forms)
    first, _, rest = name.partition(".")
    form = form_named(forms, first) if rest else None
    return (form, rest) if form is not None else (forms[0] if forms else None, name)


def front_first(session: SessionState) -> tuple[OpenForm, ...]:
    """Return the open forms: the front form, and then the others from front to back, also hidden ones."""
    forms, front = session.stack.forms[::-1], session.stack.front
    return forms if front is None else (front, *[form for form in forms if form is not front])


def open_form_named(session: SessionState, name: str) -> OpenForm:
    """Return an open form by name; raise `UnknownName`."""
    forms = front_first(session)
    opened = form_named(forms, name)
    if opened is None:
        names = [form._state.name for form in session.stack.forms]
        raise UnknownName(f"'{name}' isn't open; {suggest(name, names)}")
    return opened


def place_of_control(session: SessionState, control: AnyControl) -> tuple[OpenForm | None, str]:
    """Return the form and the path that a name, or a declared control, means. Raises `UnknownName`."""
    forms = front_first(session)
    if isinstance(control, str):
        return form_and_rest(forms, control)
    for form in forms:
        planned = form._state.plan.controls.get(control.name)
        if planned is not None and planned.decl is control:
            return form, control.name
    if not forms:
        return None, control.name
    plan = forms[0]._state.plan
    raise UnknownName(f"{plan.name} has no control '{control.name}'; {suggest(control.name, plan.controls)}")


def named_at(control: ControlState, number: int) -> str:
    """Return a control's name at an entry of the trace: a line's is that of its position then."""
    place: tuple[Any, Any] | None = control._plan.line
    if place is None:
        return control.name
    lines, line = place
    rows = next((rows for until, rows in lines._positions if number <= until), lines._rows)
    inside = control._plan.path[len(line.__dict__["_live"]._plan.path) :]
    return f"{lines.name}[{rows.index(line)}]{inside}" if line in rows else ""


def last_entry(session: SessionState, kind: str, control: ControlState, name: str) -> int | None:
    """Return the number of the last entry of a kind about a control that wasn't undone, or None."""
    trace, form = session.trace, control.form._state.name
    if control._plan.line is None:
        number: int | None = trace.last(kind, form, control.name, name)
        return number
    rows = trace.rows
    for at in range(len(rows), 0, -1):
        _, is_kind, of_form, place, what, _, _ = rows[at - 1]
        if is_kind == kind and what == name and of_form == form and place and place == named_at(control, at):
            if trace.undone_by(at) is None:
                return at
    return None


def control_named(form: OpenForm, path: str) -> ControlState:
    """Return the live control, group or line at a path: "price", "home.street", "extras[2].price". Raises `UnknownName`."""
    live = placed_at(form, path)
    if live is None:
        hint = suggest(path, [control.name for control in form._state.order])
        raise UnknownName(f"{form._state.name} has no control '{path}'; {hint}")
    return live


def last_row(session: SessionState, kind: str, form: str, control: str, name: str) -> int | None:
    """Return the number of the last entry of a kind that wasn't undone, or None."""
    return session.trace.last(kind, form, control, name)


def trace_rows(session: SessionState, kind: str) -> Iterator[tuple[int, Any]]:
    """Yield the entries of a kind with their numbers, newest first."""
    kept = session.trace.rows
    return ((at + 1, kept[at]) for at in range(len(kept) - 1, -1, -1) if kept[at][1] == kind)
