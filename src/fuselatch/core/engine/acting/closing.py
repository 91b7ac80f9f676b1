"""Submit and close forms."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress

from fuselatch.core.engine.looking.edited import is_changed
from fuselatch.core.engine.looking.outcomes import outcome_of
from fuselatch.core.engine.records.submitting import may_submit, veto
from fuselatch.core.engine.rules import latching
from fuselatch.core.engine.rules.default_values import note_last
from fuselatch.core.engine.state.failure import tell
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.state.waiting import DialogWait, PromptWait
from fuselatch.core.engine.turn import calling, focus, pointing
from fuselatch.core.engine.turn.loop import happen
from fuselatch.core.engine.turn.prompting import ask_itself
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import current
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.cells import UNSEEN, unwatch
from fuselatch.core.model.errors import HandlerFailed
from fuselatch.core.model.outcome import ACCEPTED, CANCELLED, Outcome
from fuselatch.core.model.slow_calls import CallEnd
from fuselatch.core.model.values import same


def submit(turn: Turn, form: OpenForm) -> bool:
    """Settle, check, confirm warnings, raise `accepting` and close.

    Returns False if a finding, a handler or the user stopped it.
    """
    before, turn.cause = turn.cause, turn.note_form("step", form, "submit")
    try:
        focus.settle_all(turn, form)
        with keeping_choices(turn, form):
            return may_submit(turn, form) and close(turn, form, ACCEPTED)
    finally:
        turn.cause = before


@contextmanager
def keeping_choices(turn: Turn, form: OpenForm) -> Iterator[None]:
    """Let the form's choices keep their values within the block, though a row that is staged takes their items away.

    If the form stays open, a choice whose item isn't offered any more is cleared afterwards, as at any other time.
    """
    choices = [each for each in form._state.order if each._plan.offers and not each._rule and each._kept is UNSEEN]
    for control in choices:
        turn.set(control, "_kept", control._value)
    yield
    for control in choices if form._state.phase == "open" else ():
        turn.set(control, "_kept", UNSEEN)
        reads = current(control, "value")
        if not same(control._value, reads):
            turn.session.dirty.invalidate(control, "value", turn.cause)
            turn.put_value(control, reads, turn.cause)


def submit_and_go_on(turn: Turn, form: OpenForm, then: str) -> bool:
    """Submit without closing: check, save a bound record and raise `submitted`.

    Returns False if it was stopped.
    """
    before, turn.cause = turn.cause, turn.note_form("step", form, "submit")
    try:
        focus.settle_all(turn, form)
        with keeping_choices(turn, form):
            if not may_submit(turn, form):
                return False
            if form._state.records is not None:
                form._state.records.stage(turn)
            turn.set(form._state, "outcome", outcome_of(form, ACCEPTED))
            note_last(turn, form)
            happen(turn, "submitted", form, None)
            return True
    finally:
        turn.cause = before


def close(turn: Turn, form: OpenForm, verdict: str) -> bool:
    """Raise `closing`, collect the outcome, raise `submitted` and `closed`.

    Returns False if it was blocked.
    """
    session, state = turn.session, form._state
    if state.phase != "open":
        return False
    # A handler of this form waits for that dialog's outcome. It needs its form open to continue.
    if not close_waiting(turn, form):
        turn.note_form("block", form, "closing", None, "a dialog it opened won't close")
        return False
    turn.set(state, "phase", state.after("closing"))
    before, turn.cause = turn.cause, turn.note_form("step", form, "close", None, verdict)
    try:
        reason = happen(turn, "closing", form, None, None, verdict)
        if reason is None and verdict != ACCEPTED:
            reason = discard_reason(turn, form)
        if reason is not None:
            turn.set(state, "phase", state.after("open"))
            return veto(turn, form, "closing", reason)
        # The pointer leaves while the form can still hear it.
        if session.hovered is not None and session.hovered.form is form:
            pointing.unpoint(turn)
        turn.set(state, "outcome", outcome_of(form, verdict))
        # Staged before `submitted`, so that the record is written before rows that its handlers stage.
        if verdict == ACCEPTED:
            if state.records is not None and (state.records.is_changed or state.records.key is None):
                state.records.stage(turn)
            note_last(turn, form)
            happen(turn, "submitted", form, None)
        turn.set(state, "phase", state.after("closed"))
        session.stack.take_away(turn, form)
        session.leaving.append((form, turn))
        turn.note_form("close", form, verdict)
        if session.observers:
            tell(session, "closed", form, verdict)
        # A form that closes ends its latches before `closed`, so that handlers there see them as reset.
        latching.forget(turn, form)
        happen(turn, "closed", form, None, None, verdict)
    finally:
        turn.cause = before
    hand_over(turn, form)
    return True


def discard_reason(turn: Turn, form: OpenForm) -> str | None:
    """Ask before changes are discarded; return why the form stays open, or None."""
    text = form._state.plan.discard
    if not text or not is_changed(form):
        return None
    discard = turn.session.text("discard")
    prompt = Prompt(text, buttons=(discard, turn.session.text("keep_editing")), tone="warning")
    answer = ask_itself(turn, form, prompt, {})
    return None if answer == discard else turn.session.text("notice.discard")


def close_waiting(turn: Turn, form: OpenForm) -> bool:
    """Close the dialogs that this form's handlers wait for; return False if one is blocked."""
    for wait in reversed(turn.session.waits):
        if wait.over or wait.form is not form or wait.turn is turn:
            continue
        if isinstance(wait, DialogWait):
            if not close(turn, wait.child, CANCELLED):
                return False
        elif isinstance(wait, PromptWait):
            turn.note_form("answer", form, wait.title, None, wait.prompt.cancel)
            wait.end(turn, wait.prompt.cancel)
    return True


def dismiss(turn: Turn, form: OpenForm, verdict: str) -> bool:
    """Close without settling or checking. If a handler fails, close anyway."""
    turn.way_out = (form, verdict)
    with keeping_choices(turn, form):
        closed = close(turn, form, verdict)
    if closed:
        return True
    turn.way_out = None
    return False


def close_without_handlers(turn: Turn, form: OpenForm, verdict: str) -> None:
    """Close a form whose handler failed while it was closing."""
    state = form._state
    if state.phase == "closed":
        return
    if state.phase != "closing":
        turn.set(state, "phase", state.after("closing"))
    try:
        state.outcome = outcome_of(form, verdict)  # not undone: the form closes whatever fails
    except HandlerFailed:  # a rule
        verdict = CANCELLED
        state.outcome = Outcome(verdict, {})  # not undone: the form closes whatever fails
    turn.set(state, "phase", state.after("closed"))
    session = turn.session
    if session.hovered is not None and session.hovered.form is form:
        turn.set(session, "hovered", None)
    session.stack.take_away(turn, form)
    session.leaving.append((form, turn))
    turn.note_form("close", form, verdict)
    with suppress(HandlerFailed):  # the key of a latch may fail, or an observer
        latching.forget(turn, form)
    hand_over(turn, form)
    turn.undo.clear()
    session.closed_anyway = turn


def let_go(session: SessionState, turn: Turn) -> None:
    """Let go of the forms that a turn has closed for good: their rules run no more. Whoever holds one can still read it."""
    leaving = [form for form, closed_by in session.leaving if closed_by is turn]
    session.leaving = [left for left in session.leaving if left[1] is not turn]
    for form in leaving:
        state = form._state
        if state.phase != "closed":
            continue
        for cell in state.rules():
            # What it has read is kept, to explain it.
            unwatch(cell, forget=False)
            session.dirty.cells.pop(cell, None)
            session.failed.pop(cell, None)
            # What it last was is what is read from now on.
            cell.fresh = cell.value is not UNSEEN
        for control in state.controls.values():
            session.dirty.to_validate.pop(control, None)
        session.messages.pop(form, None)
        state.listeners = {}  # not undone: no gesture runs
        state.shown = None


def hand_over(turn: Turn, form: OpenForm) -> None:
    """Pass a closed form's outcome to the handler that waits for it. What waits in it for a slow call is abandoned."""
    for wait in turn.session.waits:
        if isinstance(wait, DialogWait) and wait.child is form:
            wait.end(turn, form._state.outcome)
    for call in turn.session.calls:
        if call.form is form and not call.is_effect and call.turn is not turn:
            calling.end(turn, call, CallEnd("abandoned"))
