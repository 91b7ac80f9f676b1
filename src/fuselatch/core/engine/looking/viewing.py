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
from typing import Any

from fuselatch.core.engine.looking.control_views import marker_of
from fuselatch.core.engine.looking.form_views import form_view
from fuselatch.core.engine.state.session_state import SessionState, is_closed_for_good
from fuselatch.core.engine.state.waiting import CallWait, id_of_wait
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.live_state import (
    id_of,
    is_seen,
    seen,
)
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.pictures import Picture
from fuselatch.core.model.view import (
    VERSION,
    FailureView,
    LocaleView,
    OfferView,
    OutcomeView,
    PromptView,
    SlowCallView,
    ValueView,
    View,
)


def picture_shown(session: SessionState, id: str) -> Picture | None:
    """Return a picture that an open form shows, or None."""
    for form in session.stack.forms:
        for control in form._state.order:
            given = seen(control, "picture") if is_seen(control, "visible") else None
            if given and given.id == id:
                picture: Picture = given
                return picture
    return None


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
        takes_back=session.takes_back,
        slow_calls=tuple([slow_call_view(wait) for wait in session.calls if not wait.over]) if session.calls else (),
    )
    session.last_view = made
    return made


def slow_call_view(wait: CallWait) -> SlowCallView:
    """Return a slow call as the user sees it."""
    done, of, reported = wait.reported
    form = wait.form
    return SlowCallView(
        id=wait.call.id,
        form=f"{form._state.serial}" if form is not None and form.is_open else "",
        text=wait.call.text,
        can_cancel=wait.call.can_cancel,
        locks_form=wait.locked is None,
        locks=tuple([id_of(control) for control in wait.locked or ()]),
        done=done,
        of=of,
        reported=reported,
    )


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
    text = form._state.plan.done_text.get(outcome.verdict, "")
    return OutcomeView(verdict=outcome.verdict, text=text, values=values)


def plain_text(value: object) -> str:
    """Return a value of an outcome as text."""
    try:
        return "" if value is None else value.isoformat() if isinstance(value, date | time) else str(value)
    except Exception:
        return type(value).__name__


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
