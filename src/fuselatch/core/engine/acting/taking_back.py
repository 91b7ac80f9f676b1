"""Take back the user's last change.

Theory of operation
-------------------
A gesture that is finished leaves its undo log (see `undoing`). That of the user's last one that changed a value, a line or a
pick is kept, so that the user can take the change back: old values are assigned, without events, and rules follow. Only what
was changed is kept of it. Where the user is (focus, open lists, forms that opened or closed) stays as it is.

Moving the focus, pointing, and typing a draft leave the log alone, but what their handlers set stays set. The log ends with
the next such gesture, with a time event that ran a handler, and with what can't be undone as if it had never been: a write,
an outward effect, a latch, a submit, another record, and a change by program.

    type nights 3, Tab    undo log     (nights, "_value", 1), (form, "focus", nights)
                          kept         (nights, "_value", 1)
    Tab                   kept         the same
    take_back             nights is 1, price follows; the focus stays
"""

from __future__ import annotations

from typing import Final

from fuselatch.core.engine.acting.opening import Opening
from fuselatch.core.engine.records.line_order import Appending, Reordering
from fuselatch.core.engine.records.shown_records import ShownRecords
from fuselatch.core.engine.rules.drafts import drop_draft
from fuselatch.core.engine.rules.latching import LatchUndo
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import LastChange, Turn
from fuselatch.core.engine.turn.undoing import follow_quietly, restore
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.live_state import ControlState, FormState, seen
from fuselatch.core.forms.placing import forget_gone
from fuselatch.core.model.cells import Undoable
from fuselatch.core.model.gestures import Gesture

CHANGES: Final = frozenset({"_value", "_initial", "_sort", "_marked", "title", "value"})
"""The attributes that are taken back, besides items of mappings and the plain attributes of forms."""
ELSEWHERE: Final = frozenset({"announced", "focus", "select", "_findings", "_draft", "_initial", "_marked", "_listing"})
"""The attributes that change in most gestures, and are no change by themselves."""
ENDS: Final = frozenset({"outcome", "record"})
"""The attributes of a form that end it: it was submitted, or it shows another record."""


def note_change(turn: Turn) -> None:
    """Keep what a finished gesture changed, or let go of what an earlier one did."""
    session = turn.session
    if turn.by == "program" and session.last_change is None:
        # As when a form opens, with many values.
        return
    is_final = turn.saved is not None
    form: OpenForm | None = None
    opened: set[FormState] | None = None
    for target, name, _ in turn.undo:
        if name == "_value":
            control: ControlState = target
            if form is None and control._plan.is_input and not control._rule:
                if opened is None or control._state not in opened:
                    form = control.form
        elif name in ELSEWHERE:
            continue
        elif isinstance(target, Appending | Reordering):
            form = form or target.lines.form
        elif isinstance(target, LatchUndo | ShownRecords) or name in ENDS:
            is_final = True
        elif isinstance(target, Opening):
            opened = opened or set()
            opened.add(target.form._state)
    # One that failed was undone.
    is_by_program = turn.by == "program" and turn.error is None and (turn.runs > 0 or form is not None)
    if is_final or is_by_program:
        session.last_change = None
    elif form is not None:
        # As it is: what of it is taken back is found out only if it is.
        session.last_change = LastChange(form, turn.undo, turn.label)
    elif session.last_change is not None and turn.undo:
        later = {(id(target), name) for target, name, _ in turn.undo}
        kept: LastChange = session.last_change
        kept.undo = [entry for entry in kept.undo if (id(entry[0]), entry[1]) not in later]


def is_change(target: object, name: object) -> bool:
    """Return True if an entry of an undo log is a change, rather than where the user is."""
    if not isinstance(target, Undoable) or isinstance(name, tuple):
        return True
    return name in CHANGES or isinstance(target, Appending | Reordering)


def state_of(target: object) -> FormState | None:
    """Return the state of the form that was changed, or that has what was changed; None for what is no form's."""
    if isinstance(target, FormState):
        return target
    if isinstance(target, Appending | Reordering):
        state: FormState = target.lines.form._state
        return state
    owned: FormState | None = target._state if isinstance(target, ControlState | Container) else None
    return owned


def forget_lines(session: SessionState) -> None:
    """Drop the removed lines that no gesture can restore: not the next `take_back` either."""
    change = session.last_change
    held = [entry[0].lines for entry in change.undo if isinstance(entry[0], Appending | Reordering)] if change else []
    for lines in [*session.retired]:
        if not any(lines is each for each in held):
            forget_gone(lines)
            del session.retired[lines]


def take_back(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Take back the last change, and tell the user what that was."""
    session = turn.session
    change = session.last_change
    assert change is not None, "with nothing to take back it was refused before"
    session.last_change = None
    front = session.stack.front
    words = session.label_text(change.label)
    before, turn.cause = turn.cause, turn.note_form("undo", front, words, None, "the user took it back")
    opened = {target.form._state for target, _, _ in change.undo if isinstance(target, Opening)}
    changed = [entry for entry in change.undo if is_change(entry[0], entry[1])]
    there = [entry for entry in changed if is_there(state_of(entry[0])) and state_of(entry[0]) not in opened]
    names: dict[str, None] = {}
    for target, name, _ in there:
        lines = target.lines if isinstance(target, Appending | Reordering) else None
        if lines is not None:
            names[str(seen(lines, "caption"))] = None
        elif name == "_value" and target._plan.is_input and not target._rule:
            drop_draft(turn, target)
            names[str(seen(target, "caption"))] = None
    restore(turn, there)
    follow_quietly(session)
    turn.cause = before
    session.stack.unsettled = True
    session.notice = session.text("notice.taken_back", captions=", ".join(names))


def is_there(state: FormState | None) -> bool:
    """Return True if a form is still open; of None, which is no form's, too."""
    return state is None or state.phase != "closed"
