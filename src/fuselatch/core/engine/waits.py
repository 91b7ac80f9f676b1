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
"""

from __future__ import annotations

from typing import Any

from fuselatch.core.engine.scheduler import same
from fuselatch.core.engine.state import PauseWait, SessionState, Turn, Wait, waiting_changes
from fuselatch.core.engine.workers import park
from fuselatch.core.model.errors import NotAllowedHere, RuleError
from fuselatch.core.model.events import Event


def may_wait(session: SessionState, verb: str, target: str | type) -> Turn:
    """Return the running turn; raise if waiting isn't allowed here."""
    turn = session.turn
    tracker = session.port.tracker
    if tracker is None and not session.closing and turn is not None and turn.handler is not None and not turn.pointing:
        return turn
    what = f"{verb} {target!r}" if isinstance(target, str) else f"{verb} {target.__name__}"
    if tracker is not None:
        raise RuleError(f"a rule, check or default can't wait for the user ({what}); ask in a handler")
    if session.closing:
        raise NotAllowedHere(f"the session is closing: can't wait for the user ({what})")
    if turn is None or turn.handler is None:
        raise NotAllowedHere(f"only a handler can wait for the user ({what})")
    raise NotAllowedHere(f"a pointer handler can't wait for the user ({what}); use self.say(…)")


def wait_for(turn: Turn, wait: Wait) -> Any:
    """Park the turn until its wait is over; return the result."""
    turn.session.waits.append(wait)
    pending = waiting_changes(turn.queue)
    for event in pending:
        event.control._pending = None
    park()
    for event in pending:
        if event.control._pending is None and not same(event.control._value, event.old):
            event.control._pending = event
    return wait.result


def pause(turn: Turn, event: Event) -> None:
    """Pause before an event."""
    wait_for(turn, PauseWait(turn, event))
