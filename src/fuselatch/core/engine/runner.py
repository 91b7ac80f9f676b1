"""Run turns: start them, carry them out, undo them if they fail, and resume those that waited."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from typing import Any, Final

from fuselatch.core.engine.acting.closing import close_without_handlers, let_go
from fuselatch.core.engine.acting.taking_back import forget_lines, note_change
from fuselatch.core.engine.records.effects import let_out, offer_rest, settle_for_good
from fuselatch.core.engine.records.storing import commit, is_tried_again
from fuselatch.core.engine.rules.rows import rows_of
from fuselatch.core.engine.state.failure import chain, clock_failed, failure_of, place_outside, place_text, tell
from fuselatch.core.engine.state.session_state import SessionState, gesture_control
from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.state.waiting import CallWait, PauseWait, Wait
from fuselatch.core.engine.turn import focus, pointing
from fuselatch.core.engine.turn.loop import blow, drain, happen
from fuselatch.core.engine.turn.undoing import KeepEditing, put_back
from fuselatch.core.engine.turn.waits import note_waited, ready_to_view
from fuselatch.core.forms.live_state import seen_title
from fuselatch.core.model.errors import (
    Abandoned,
    CallCancelled,
    EngineFailed,
    FuseLatchError,
    HandlerFailed,
    NotAllowedHere,
    RecordError,
    Refused,
    TimedOut,
    describe,
)
from fuselatch.core.model.events import By
from fuselatch.core.model.trace import safe_text
from fuselatch.core.model.trace_rows import add_row
from fuselatch.core.model.view import FailureView

MOST_ROUNDS: Final = 10
"""How often a gesture may write because of what it has written. Most of what follows comes before the first write."""


ENDED: Final[Mapping[type[Exception], str]] = {CallCancelled: "notice.cancelled", TimedOut: "notice.timed_out"}
"""The notice of a slow call whose end no handler catches. Of other failures the form says it."""


class Run(Turn):
    """A turn that can be carried out, on a worker if it may wait."""

    __slots__ = ()

    def carry_out(self) -> None:
        """Carry out the gesture, and tell observers of its end."""
        carry_out(self)
        if self.session.observers:
            tell_end(self)


def start(session: SessionState, label: object, step: Callable[[Turn], object], by: By, quiet: bool = False) -> None:
    """Run a new turn, and the turns that wait for it; raise what went wrong.

    A `quiet` turn runs no code of the developer. Nothing can wait in it, so it needs no worker.
    """
    if (session.broken or session.unfinished is not None) and session.is_broken:
        raise NotAllowedHere(session.broken)
    turn = session.unfinished = Run(session, label, step, by)
    session.serial += 1
    session.notice = ""
    session.failure = None
    session.now = None
    if session.clock is not None:
        look_at_the_clock(turn)
        if session.quiet_since is not None and by == "user":
            note_use(session)
        # What follows the time may have handlers.
        quiet = quiet and not session.dirty.pending
    if session.recording:
        record(turn)
    session.turn = turn
    try:
        if session.observers:
            tell(session, "began", turn.description, by)
        if quiet:
            session.workers.must_be_at_home()
            turn.carry_out()
        else:
            session.workers.start(turn)
    except Exception:
        session.unfinished = None
        raise
    finally:
        session.turn = None
    ready_to_view(session)
    if session.waits or session.calls or turn.error is not None or session.leaving:
        let_go_on(session, finished(turn))
        return
    session.unfinished = None
    if session.waited and session.waited[-1][1]:
        note_waited(session)
    if turn.undo or turn.runs or turn.saved:
        note_change(turn)
    if session.retired:
        forget_lines(session)


def look_at_the_clock(turn: Turn) -> None:
    """Mark what reads the time, or a latch that has expired since.

    If the clock fails, the gesture is made as if no time had passed, and `feed` raises the failure at the end: the user must
    be able to close the form. Code that reads the clock itself fails.
    """
    session = turn.session
    time: Any = session.time
    latches: Any = session.latches
    try:
        if time._watchers:
            time.look()
        if latches.ends:
            latches.look()
        if session.recording:
            session.stamp()
    except Exception as error:
        turn.late = clock_failed(error)


def note_use(session: SessionState) -> None:
    """Note the time of a gesture of the user, since a form wants to know when there are no more."""
    with suppress(Exception):  # the clock fails: told by what reads it
        session.quiet_since = session.read_clock()
    session.told_idle = False


def record(turn: Turn) -> None:
    """Add the gesture to the trace."""
    session = turn.session
    front = session.stack.front
    rows = session.trace.rows
    form = front._state.name if front is not None else ""
    rows.append((0, "gesture", form, gesture_control(turn.label), turn.description, None, turn.by))
    turn.cause = len(rows)


def let_go_on(session: SessionState, first: BaseException | None) -> None:
    """Resume the turns that waited for a finished one; raise the first error."""
    while (wait := next_over(session)) is not None:
        turn = wait.turn
        abandoned = isinstance(wait, CallWait) and wait.result.how == "abandoned"
        resume(turn, Abandoned("its form was closed") if abandoned else None)
        first = first or finished(turn)
    if session.closed_anyway is not None:
        later = catch_up(session)
        first = first or later
    ready_to_view(session)
    note_waited(session)
    session.unfinished = None
    if first is not None:
        raise first


def next_over(session: SessionState) -> Wait | None:
    """Take out the next wait that is over; return None if there is none.

    Slow calls whose form has closed come first, since the handler that opened it is resumed after them. Waits for the user
    end last in, first out. A slow call's result waits while something covers its form.
    """
    for call in session.calls:
        if call.over and call.result.how == "abandoned":
            session.calls.remove(call)
            return call
    if session.waits and session.waits[-1].over:
        return session.waits.pop()
    for call in session.calls:
        if call.over and not (session.waits and call.form is not None and session.stack.covered(call.form)):
            session.calls.remove(call)
            return call
    return None


def catch_up(session: SessionState) -> BaseException | None:
    """Let follow what depends on a form that closed although something failed; return what fails now."""
    failed, session.closed_anyway = session.closed_anyway, None
    assert failed is not None, "asked for only if one has closed so"
    turn = session.turn = Run(session, failed.label, lambda turn: drain(turn), "program")
    turn.cause = failed.cause
    try:
        if session.observers:
            tell(session, "began", turn.description, turn.by)
        session.workers.start(turn)
    finally:
        session.turn = None
    return finished(turn)


def resume(turn: Turn, thrown: BaseException | None = None) -> None:
    """Resume a turn that waited, or raise something in it."""
    session = turn.session
    session.turn = turn
    try:
        session.workers.go_on(turn, thrown)
    finally:
        session.turn = None


def finished(turn: Turn) -> BaseException | None:
    """Drop the undo log of a finished turn; return its error."""
    if turn.worker is None:
        note_change(turn)
    if turn.worker is None and turn.undo:
        settle_for_good(turn)
    if turn.worker is None and turn.session.leaving:
        let_go(turn.session, turn)
    return turn.error


def close(session: SessionState) -> None:
    """Raise `Abandoned` in waiting handlers, innermost first; raise their first error."""
    session.closing = True
    first: BaseException | None = None
    while session.parked:
        turn = (session.calls or session.waits).pop().turn
        if turn.worker is None or turn.worker.dead:  # Ctrl-C met it before it could park
            continue
        resume(turn, Abandoned())
        first = first or turn.error
    session.closed = True
    if first is not None:
        raise first


def drop(session: SessionState) -> None:
    """Close a session that no one holds. On another thread handlers can't run: their greenlets end on their own."""
    try:
        session.workers.must_be_at_home()
    except NotAllowedHere:
        for wait in session.parked:
            wait.turn.worker = None
        session.waits.clear()
        session.calls.clear()
        session.closed = True
        return
    close(session)


def go_on(session: SessionState) -> None:
    """Continue after a pause."""
    top = session.waits[-1] if session.waits else None
    if not isinstance(top, PauseWait):
        raise NotAllowedHere("the session isn't paused")
    session.serial += 1
    turn = session.unfinished = session.waits.pop().turn
    resume(turn)
    let_go_on(session, finished(turn))


# ---- one turn


def carry_out(turn: Turn) -> None:
    """Run the gesture's steps. An error is stored in `error`, and everything is undone."""
    session = turn.session
    try:
        step = turn.step
        step(turn)
        if turn.queue or session.dirty.pending or turn.after is not None:
            drain(turn)
        while session.stack.unsettled or ((session.waits or session.stack.front is None) and is_led_out(turn)):
            # A handler of these steps may unsettle them again; the fuse bounds how often.
            last_steps(turn)
        # A handler further out may have caught the error. The gesture fails all the same.
        if turn.failure is not None:
            raise turn.failure
        rounds = 0
        while turn.writes is not None:
            rounds += 1
            if rounds > MOST_ROUNDS and turn.writer is not None:
                event, handler = turn.writer
                blow(turn, handler, event, f"what followed the writes wrote again more than {MOST_ROUNDS} times")
            commit(turn)
            # What is written has keys now. Rules that read them may write again.
            drain(turn)
        if turn.outward is not None:
            let_out(turn)
        if turn.late is not None:
            note_error(turn, turn.late)
            turn.error = turn.late
    except Abandoned as abandoned:
        put_back(turn, str(abandoned) or "the session was closed")
    except Refused as refused:
        if turn.rows is not None:
            add_row(turn.rows, turn.cause, "refused", "", "", refused.gesture, None, refused.reason)
        put_back(turn, refused.reason)
        turn.error = refused
    except KeepEditing as refused:
        put_back(turn, "the store refused", answers_stay=True)
        if turn.owed:
            offer_rest(turn, session.notice)
        if refused.then is not None:
            turn.step = refused.then
            carry_out(turn)
    except BaseException as error:
        fail(turn, error)


def is_led_out(turn: Turn) -> bool:
    """Return True if a hidden form is shown again because the user had no other."""
    stack = turn.session.stack
    return bool(stack.forms) and stack.lead_out(turn)


def fail(turn: Turn, error: BaseException) -> None:
    """Undo a turn that failed. If the store refused, the user may try again."""
    note_error(turn, error)
    if isinstance(error, HandlerFailed):
        note_failure(turn, error)
    elif isinstance(error, RecordError) and turn.by == "user":
        note_unfit(turn, error)
    if turn.session.observers:
        tell_failure(turn, error)
    store_refused = isinstance(error.error if isinstance(error, HandlerFailed) else error, StoreRefused)
    try:
        put_back(turn, "the store refused" if store_refused else reason_of(error), answers_stay=store_refused)
    except Exception as second:
        if isinstance(error, Exception):
            error = EngineFailed(turn.description, second)
    if not isinstance(error, Exception) and place_outside(error) is None:
        # Ctrl-C met the library's own work, of which half may be done.
        turn.session.broken = turn.interrupted
    error = blamed(turn, error)
    met = error.error if isinstance(error, HandlerFailed) else error
    if isinstance(met, StoreRefused):
        # The user is told by a prompt, which a gesture that has written doesn't get.
        saved, reason = turn.saved_text, met.args[0]
        turn.session.failure = None
        turn.session.notice = turn.session.text("notice.refused", saved=saved, reason=reason) if saved else ""
    # Written data can't be undone, so a gesture that has written is never repeated.
    asks = turn.by == "user" and not (turn.pointing or turn.way_out or turn.saved)
    if isinstance(met, StoreRefused) and asks:
        ask_again(turn, met)
        return
    refused = isinstance(error, StoreRefused)
    failure = failure_of(turn.session, error, rows_of, "the store") if refused else error  # type: ignore[arg-type]
    if turn.way_out is not None:
        # A user must always be able to cancel, even if a handler fails at that moment.
        close_without_handlers(turn, *turn.way_out)
    if is_led_out(turn):
        turn.undo.clear()
    if turn.owed and isinstance(error, HandlerFailed):
        offer_rest(turn, describe(met))
    # Only now: `feed` raises it once the user has answered.
    turn.error = failure


def note_unfit(turn: Turn, error: RecordError) -> None:
    """Tell the user that a record has a value that its control can't show."""
    turn.session.notice = turn.session.text("notice.unfit", key=error.key, value=error.value, caption=error.caption)


def note_failure(turn: Turn, error: HandlerFailed) -> None:
    """Put a failure on the view: what the user reads of it, and where it is."""
    session = turn.session
    form = session.stack.front or session.stack.first
    saved = turn.saved_text
    ended = next((text for kind, text in ENDED.items() if isinstance(error.error, kind)), "")
    text = session.text("notice.rest", saved=saved) if saved else session.text(ended or "notice.failed")
    if turn.way_out is not None:
        text = session.text("notice.closed", title=seen_title(turn.way_out[0]._state))
    elif form is not None and not (saved or ended):
        text = session.said(form._state.plan.failure_text or form.failure_text)
    file, line = error.where
    loop: tuple[str, ...] = getattr(error, "loop", ())
    session.failure = FailureView(text, error.chain[0], file, line, safe_text(describe(error.error)), loop)
    if turn.by == "user":
        session.notice = text


def tell_end(turn: Turn) -> None:
    """Tell observers that a gesture is finished. It is too late to undo it."""
    try:
        tell(turn.session, "ended", turn.description, turn.error)
    except HandlerFailed as error:
        turn.error = turn.error or error


def tell_failure(turn: Turn, error: BaseException) -> None:
    """Tell observers of a failure. One that fails here must not hide it."""
    with suppress(HandlerFailed):
        tell(turn.session, "failed", error)


def blamed(turn: Turn, error: BaseException) -> BaseException:
    """Return an error that says whose it is. One that the library raised without a reason breaks the session."""
    # An argument of a wrong type or value, from a program, is raised as it is.
    explained = (FuseLatchError, TypeError, ValueError) if turn.by == "program" else FuseLatchError
    if isinstance(error, Exception) and not isinstance(error, explained):
        place = place_outside(error)
        if place is not None:
            file, line, function = place
            failure = HandlerFailed((file, line), error, chain(turn.event, function, turn.description), turn.description)
            failure.__cause__ = error
            return failure
        error = EngineFailed(turn.description, error)
    if isinstance(error, EngineFailed):
        turn.session.broken = str(error)
    return error


def ask_again(turn: Turn, refused: StoreRefused) -> None:
    """Ask the user to try again after a store refused during the gesture."""
    turn.failure, turn.failed_at, step = None, None, turn.step
    try:
        if is_tried_again(turn, refused):
            turn.step = step
            carry_out(turn)
    except Abandoned:
        put_back(turn, "the session was closed")


def reason_of(error: BaseException) -> str:
    """Return why something is undone: what failed."""
    if isinstance(error, HandlerFailed):
        return f"{error.chain[0]} failed"
    return f"it raised {type(error).__name__}"


def note_error(turn: Turn, error: BaseException) -> None:
    """Add an error to the trace."""
    if turn.rows is None:
        return
    if isinstance(error, HandlerFailed):
        kind = "fuse" if hasattr(error, "loop") else "error"
        cause, form, control = turn.failed_at if error is turn.failure and turn.failed_at is not None else turn.place
        add_row(turn.rows, cause, kind, form, control, place_text(error.where), None, safe_text(describe(error.error)))
    else:
        add_row(turn.rows, turn.cause, "error", "", "", type(error).__name__, None, safe_text(describe(error)))


def last_steps(turn: Turn) -> None:
    """End a turn: move pointer and focus off what can't have them, and announce a new front form."""
    stack = turn.session.stack
    stack.unsettled = False
    pointing.release(turn, None)
    focus.keep(turn)
    front = stack.front
    if front is not None and front is not stack.brought_to_front:
        turn.set(stack, "brought_to_front", front)
        if front._state.was_shown:
            happen(turn, "brought_to_front", front, None)
        front._state.was_shown = True
    drain(turn)
