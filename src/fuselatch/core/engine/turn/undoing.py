"""Undo a gesture that failed.

Theory of operation
-------------------
A handler may set many things before it fails. Afterwards, everything must be as if the gesture had never been made.

Every change goes through the turn: `set`, `set_item`, `set_plain`, or one of the typed ones. Each appends an entry with the
object, the attribute and its old value to `Turn.undo`, and assigns. Undoing assigns the old values, newest first. An object
says what has to follow in `_restored(name)`: a control marks the rules that read its value, a form's state looks for the
front form, `Opening` closes the form that was opened. Derived values and findings aren't recorded: they are worked out
again, without events, since for handlers the gesture never happened.

Cells are fine: an item of a mapping is a cell of its own, so that of two captions, messages or listeners one can be undone
and the other stay. That matters when the turn waited: what another gesture has settled since is taken out of the log.

What isn't undone: data that the store has written, a latch in the store that another session has read, a typed key and the
focus that it came with, and the outcome of a form that closes whatever fails.

An example: `size.value = 60`, then `self.say("Too long")`, then an error.

    undo log     (size, "_value", 12), (session, ("messages", form), ABSENT)
    undo         the message is removed from the mapping; size is 12 again, and what reads it is marked
    quietly      rules that read size run; findings of size are worked out again
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Final

from fuselatch.core.engine.rules.scheduler import update_quietly
from fuselatch.core.engine.rules.validation import validate_quietly
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import ABSENT, Turn, Undo, touch
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.model.cells import Cell, Undoable

MOST_ROUNDS: Final = 20
"""How often rules are run again because of findings that have followed."""


class KeepEditing(BaseException):
    """The store refused and the user keeps editing: undo the gesture and raise nothing.

    `then`: what to do afterwards. A `BaseException`, so that no handler's `except Exception` catches it.
    """

    def __init__(self, then: Callable[[Turn], object] | None = None) -> None:
        self.then = then


def put_back(turn: Turn, why: str, *, answers_stay: bool = False) -> None:
    """Undo what a turn changed, newest first. `why` is for the trace.

    `answers_stay`: what the user has answered counts when the gesture is made again, since no code failed.
    """
    turn.note_undone(why)
    if answers_stay:
        turn.undo = [entry for entry in turn.undo if not getattr(entry[0], "by_answer", False)]
    # First the queue: its events are about values that are about to be restored.
    turn.drop_queue()
    restore(turn, turn.undo)
    turn.undo.clear()
    for state, override in turn.confirmed if answers_stay else ():
        if override not in state.overrides:
            state.overrides = (*state.overrides, override)  # not undone: it is written or undone as a whole
    turn.confirmed = []
    if turn.typed is not None and turn.typed._draft is not None:
        turn.typed._state.focus = turn.typed  # not undone: it belongs to the typed key
    stack = turn.session.stack
    if stack.front is not None and stack.front._state.was_shown:
        # The gesture that ended a wait may have announced another front form, which was in front only for a while.
        stack.brought_to_front = stack.front  # not undone: it is written or undone as a whole
    staged = turn.writes is not None
    turn.after = turn.writes = turn.outward = turn.lines = None
    if staged:
        turn.session.rows.differs()
        turn.session.catalogs.differs()
    follow_quietly(turn.session)


def restore(turn: Turn, undo: Sequence[Undo]) -> None:
    """Assign the old values of an undo log, newest first."""
    for target, name, old in reversed(undo):
        if isinstance(name, tuple):
            name, key = name
            items = {**getattr(target, name), key: old}
            if old is ABSENT:
                del items[key]
            setattr(target, name, items)
            target._restored(name)
            touch(target)
        elif isinstance(target, Undoable):
            setattr(target, name, old)
            target._restored(name)
            if isinstance(target, Cell):
                # It may have differed because of the time, which isn't undone.
                turn.session.dirty.cells[target] = None
            else:
                touch(target)
                if isinstance(target, ControlState) and name == "_value" and target._rule:
                    turn.session.dirty.cells[(target._cells or {})["value"]] = None
        elif old is ABSENT:
            target.__dict__.pop(name, None)
        else:
            target.__dict__[name] = old


def follow_quietly(session: SessionState) -> None:
    """Work out again what depends on restored values, without events."""
    for _ in range(MOST_ROUNDS):
        update_quietly(session)
        validate_quietly(session)
        if not session.dirty.cells:
            break
