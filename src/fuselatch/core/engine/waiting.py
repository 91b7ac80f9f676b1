"""Waiting for a person: prompts, and dialogs that are modal.

A wait parks its turn with all that the turn has still to do. Waits end last in, first out; the
turn that ends one settles completely before the waiting handler goes on.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from fuselatch.core.engine.opening import open_form
from fuselatch.core.engine.workers import park
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.prompts import Prompt, Shown
from fuselatch.core.model.errors import NotAllowedHere, RuleError
from fuselatch.core.model.outcome import Outcome

if TYPE_CHECKING:
    from fuselatch.core.engine.session import Session
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form


class Wait:
    """One thing that a turn waits for; it is `over` once `result` holds what the handler will be given."""

    __slots__ = ("over", "result", "turn")

    def __init__(self, turn: Turn) -> None:
        self.turn = turn
        self.result: Any = None
        self.over = False


class PromptWait(Wait):
    """The wait for an answer; `number` is the trace entry of the prompt."""

    __slots__ = ("form", "number", "prompt", "text", "title")

    def __init__(self, turn: Turn, form: Form, prompt: Prompt, text: str, number: int) -> None:
        super().__init__(turn)
        self.form = form
        self.prompt = prompt
        self.text = text
        self.title = prompt.title or form.title
        self.number = number

    def __str__(self) -> str:
        return f"the answer to '{self.title}'"


class DialogWait(Wait):
    """The wait for the outcome of a dialog."""

    __slots__ = ("child",)

    def __init__(self, turn: Turn, child: Form) -> None:
        super().__init__(turn)
        self.child = child

    def __str__(self) -> str:
        return f"the outcome of {self.child._state.name}"


def ask(session: Session, form: Form, prompt: Prompt, facts: Mapping[str, Any]) -> str:
    """Put a prompt and wait for its answer."""
    turn = may_wait(session, f"ask {prompt.text!r}")
    known = {**shown_controls(form), **facts}
    text = prompt.filled(known)
    turn.session.updates.announce(turn)
    wait = PromptWait(turn, form, prompt, text, turn.note_form("prompt", form, prompt.title or form.title, None, text))
    answer: str = wait_for(session, turn, wait)
    return answer


def open_dialog(session: Session, form: Form, child: type[Form], params: Mapping[str, Any]) -> Outcome:
    """Open a modal dialog in front of a form and wait until it closes."""
    turn = may_wait(session, f"open {child.__name__}")
    # What is queued waits; the dialog opens with a queue of its own.
    queue, turn.queue = turn.queue, type(turn.queue)()
    try:
        opened = open_form(turn, child, params, form)
    finally:
        turn.queue.extend(queue)
    session.updates.announce(turn)
    outcome: Outcome = wait_for(session, turn, DialogWait(turn, opened))
    return outcome


def may_wait(session: Session, what: str) -> Turn:
    """The turn that is running; an error where nothing may wait."""
    if session.tracker is not None:
        raise RuleError(f"a rule, check or default can't wait: {what}; do it in a handler")
    if session.closing:
        raise NotAllowedHere(f"the session is closing: nothing can wait any more ({what})")
    if session.turn is None or session.turn.handler is None:
        raise NotAllowedHere(f"only a running handler can wait for a person ({what})")
    return session.turn


def wait_for(session: Session, turn: Turn, wait: Wait) -> Any:
    """Park the turn until its wait is over; gives the result."""
    session.waits.append(wait)
    pending = [event for event in turn.queue if event.control is not None and event.control._pending is event]
    for event in pending:
        event.control._pending = None
    park()
    for event in pending:
        if event.control._pending is None and not event._dead:
            event.control._pending = event
    return wait.result


def shown_controls(form: Form) -> dict[str, Shown]:
    """Each control that holds a value, as a prompt's text shows it."""
    return {
        path: Shown(control.text, control._current("value"))
        for path, control in form._state.controls.items()
        if isinstance(control, LiveValue)
    }
