"""Waiting: how a handler waits for the user without blocking the session.

Theory of operation
-------------------
Each turn runs on a *worker*, a greenlet of its own (`workers`). A handler that asks a prompt, opens a modal dialog or
reaches a pause appends a `Wait` to the session's `waits` and parks its worker: `feed` returns to its caller, while the
handler's frames stay where they are. The turn keeps its queue, its undo log and its notes.

The user's next gestures are turns of their own, with their own queues and undo logs. One of them ends the wait (it
answers the prompt, or closes the dialog): it sets `over` and the result, and is finished first. Then the runner resumes
the parked turns whose waits are over, the innermost first, because a handler further out may wait for one further in.

Two consequences:

- A queued `changed` that waits with its turn must not absorb a change of a gesture made during the wait: the event is taken
  off its control while it waits, and counts again afterwards if the value still differs.
- A turn that fails after it waited undoes only what no gesture has settled since: when a turn is finished, the cells that
  it set are taken out of the undo logs of those that still wait (`Turn.keep`).

A handler that waits when its session closes gets `Abandoned`, which no `except Exception` catches.

A slow call (`calling`) parks its turn too, but in `calls`: it covers nothing, and ends in any order. Its result waits while
a prompt or dialog covers its form, so that what a handler does next can't come under the user's hands.
"""

from __future__ import annotations

from bisect import bisect_right
from typing import Any, Final

from greenlet import getcurrent

from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn, waiting_changes
from fuselatch.core.engine.state.waiting import DialogWait, PauseWait, Wait, id_of_wait
from fuselatch.core.engine.state.workers import park
from fuselatch.core.kinds.listing import candidates
from fuselatch.core.model.errors import NotAllowedHere, RuleError
from fuselatch.core.model.events import Event
from fuselatch.core.model.values import same


def may_wait(session: SessionState, verb: str, target: str | type, whom: str = "the user") -> Turn:
    """Return the running turn; raise if waiting isn't allowed here. `whom`: who is waited for."""
    turn = session.turn
    tracker = session.port.tracker
    waits_here = turn is not None and turn.handler is not None and not turn.pointing
    if tracker is None and not session.closing and turn is not None and waits_here and turn.worker is getcurrent():
        must_not_have_failed(turn)
        return turn
    what = f"{verb} {target!r}" if isinstance(target, str) else f"{verb} {target.__name__}"
    if tracker is not None:
        instead = "ask" if whom == "the user" else "call it"
        raise RuleError(f"a rule, check or default can't wait for {whom} ({what}); {instead} in a handler")
    if session.closing:
        raise NotAllowedHere(f"the session is closing: can't wait for {whom} ({what})")
    if turn is None or turn.handler is None:
        raise NotAllowedHere(f"only a handler can wait for {whom} ({what})")
    if not turn.pointing:
        raise NotAllowedHere(f"only the handler itself can wait for {whom} ({what}), not a greenlet that it started")
    instead = "use self.say(…)" if whom == "the user" else "use another event"
    raise NotAllowedHere(f"a pointer handler can't wait for {whom} ({what}); {instead}")


def must_not_have_failed(turn: Turn) -> None:
    """Raise a failure that a handler has caught: the gesture fails all the same, so the user isn't asked in vain."""
    if turn.failure is not None:
        raise turn.failure


def wait_for(turn: Turn, wait: Wait) -> Any:
    """Park the turn until its wait is over; return the result."""
    must_not_have_failed(turn)
    session = turn.session
    session.waits.append(wait)
    if isinstance(wait, DialogWait):
        session.stack.lead_out(turn)
    note_waited(session)
    stand_by(turn)
    return wait.result


def stand_by(turn: Turn) -> None:
    """Park a turn until the runner resumes it. Meanwhile its queued `changed` don't count."""
    ready_to_view(turn.session)
    pending = waiting_changes(turn.queue)
    for event in pending:
        event.control._pending = None
    park()
    for event in pending:
        if event.control._pending is None and not same(event.control._value, event.old):
            event.control._pending = event


def waited_for(session: SessionState) -> str:
    """Return the id of what the user has to end first, or ""."""
    return id_of_wait(session.waits[-1]) if session.waits else ""


def note_waited(session: SessionState) -> None:
    """Note what the user has to end first, if that differs."""
    now, log = waited_for(session), session.waited
    if now != (log[-1][1] if log else ""):
        log.append((session.serial, now))
        if len(log) > MOST_WAITED:
            del log[: MOST_WAITED // 2]


MOST_WAITED: Final = 200
"""How many prompts and dialogs a gesture may be late. One that is later is refused."""


def is_stale(session: SessionState, serial: int) -> bool:
    """Return True if the user made a gesture before what has to be ended first could be seen.

    `serial`: that of the view that the user saw.
    """
    log = session.waited
    at = bisect_right(log, serial, key=lambda noted: noted[0])
    return at < len(log) and (log[at - 1][1] if at else "") != log[-1][1]


def ready_to_view(session: SessionState) -> None:
    """Do what a view would have to wait for: note places among records, find what is typed in a list."""
    if session.store is not None:
        for form in session.stack.forms:
            if form._state.records is not None:
                form._state.records.note_place()
    front = session.stack.front
    focus = front._state.focus if front is not None else None
    if focus is not None and focus._listing and focus._draft:
        candidates(focus)


def pause(turn: Turn, event: Event) -> None:
    """Pause before an event."""
    wait_for(turn, PauseWait(turn, event))
