"""What each gesture does, as steps: pressing B while A has the focus is settle A, leave A, enter B, click B.

After each step the queue is emptied; before the next one the engine looks again, and drops the
rest where the target can't be used any more or `leaving` was held. Nothing is raised then.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any, Final

from fuselatch.core.engine.closing import leave, mark, submit
from fuselatch.core.forms.controls import Live, LiveEntry
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.outcome import ACCEPTED, CANCELLED
from fuselatch.core.model.values import Unparsable

if TYPE_CHECKING:
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form


def settle(turn: Turn, control: Any) -> None:
    """Make an entry's draft its value: trimmed, parsed; one that can't be parsed stays, with a finding."""
    draft = control._draft if isinstance(control, LiveEntry) else None
    if draft is None or control._trouble is not None:
        return
    before, turn.cause = turn.cause, turn.note("step", control, "settle", None, draft)
    text = draft.strip()
    try:
        value = control._decl.parse(text, control, turn.session.formats) if text else control._plan.blank
    except Unparsable as error:
        turn.undo.append((control, "_trouble", None))
        control._trouble = Finding(str(error), rule="parse")
        turn.put_value(control, control._plan.blank, turn.cause)
        turn.session.updates.unjudged[control] = None
    else:
        turn.undo.append((control, "_draft", draft))
        control._draft = None
        turn.put_value(control, value, turn.cause)
    turn.drain()
    turn.cause = before


def drop_draft(turn: Turn, control: Any) -> None:
    """Take away a draft and the finding that it could not be parsed."""
    if control._draft is not None:
        turn.undo.append((control, "_draft", control._draft))
        control._draft = None
    if control._trouble is not None:
        turn.undo.append((control, "_trouble", control._trouble))
        control._trouble = None
        turn.session.updates.unjudged[control] = None


def step(turn: Turn, name: str, control: Live, event: str) -> None:
    """One step at a control, with the event it raises, if its kind raises it."""
    before, turn.cause = turn.cause, turn.note("step", control, name)
    if event in control._plan.raises:
        turn.happen(event, control.form, control)
    turn.cause = before


def leave_control(turn: Turn, here: Any, target: Live) -> bool:
    """The step of leaving a control for another: `leaving`, which can be held, and `left`."""
    before, turn.cause = turn.cause, turn.note("step", here, "leave")
    try:
        if "leaving" in here._plan.raises:
            event = turn.happen("leaving", here.form, here)
            if event is not None and event._reason is not None:
                turn.note("hold", here, "leaving", None, event._reason)
                turn.session.notice = event._reason
                return drop(turn, target, f"{here.caption} can't be left: {event._reason}")
            if not still_there(turn, target):
                return False
        put_focus(turn, here.form, None)
        if isinstance(here, LiveEntry):
            mark(turn, here)
            turn.session.updates.unjudged[here] = None
        turn.happen("left", here.form, here)
        return still_there(turn, target)
    finally:
        turn.cause = before


def move_focus(turn: Turn, target: Live) -> bool:
    """Bring the focus to a control, by settling and leaving the one that has it; False where it can't come."""
    here = target.form._state.focus
    if here is target:
        return True
    if here is not None:
        settle(turn, here)
        if not (still_there(turn, target) and leave_control(turn, here, target)):
            return False
    put_focus(turn, target.form, target)
    step(turn, "enter", target, "entered")
    return still_there(turn, target)


def put_focus(turn: Turn, form: Form, control: Live | None) -> None:
    """Set where the focus of a form is, without events."""
    state = form._state
    if state.focus is not control:
        turn.undo.append((state, "focus", state.focus))
        state.focus = control


def still_there(turn: Turn, target: Live) -> bool:
    """Look again: whether a target can still be used; notes what is dropped where it can't."""
    why = turn.session.obstacle_at(target)
    return True if why is None else drop(turn, target, why)


def drop(turn: Turn, target: Live, why: str) -> bool:
    """Note that the rest of a gesture is dropped, and say so on the view."""
    turn.note("drop", target, "rest of the gesture", None, why)
    if turn.session.notice == "":
        turn.session.notice = f"{target.caption}: {why}"
    return False


def type_text(turn: Turn, gesture: Gesture, control: Any) -> None:
    """One key of typing: the draft is now this text."""
    if not move_focus(turn, control):
        return
    before = control.text
    # Not in the undo log: where a `typed` handler fails, the key itself stays in the draft.
    control._draft = gesture.text
    if control._trouble is not None:
        control._trouble = None
        turn.session.updates.unjudged[control] = None
    turn.happen("typed", control.form, control, before, gesture.text)


def press(turn: Turn, gesture: Gesture, control: Any) -> None:
    """Press a button; what it closes is a step after its `clicked`."""
    form, verdict = control.form, control._decl.closes
    if verdict is not None and verdict != ACCEPTED:
        turn.way_out = (form, verdict)
        step(turn, "click", control, "clicked")
        if form.is_open:
            leave(turn, form, verdict)
        return
    if not move_focus(turn, control):
        return
    step(turn, "click", control, "clicked")
    if verdict is not None and form.is_open:
        submit(turn, form)


def pick(turn: Turn, gesture: Gesture, control: Any) -> None:
    """Pick a choice; it settles at once."""
    if move_focus(turn, control):
        found = control.choices.find(gesture.text)
        if not found:
            drop(turn, control, f"'{gesture.text}' is no longer offered")
            return
        put_entry(turn, control, "pick", found[0])


def tick(turn: Turn, gesture: Gesture, control: Any) -> None:
    """Put a tick or take it away; it settles at once."""
    if move_focus(turn, control):
        put_entry(turn, control, gesture.verb, gesture.verb == "tick")


def put_entry(turn: Turn, control: Any, name: str, value: object) -> None:
    """The step in which a person enters a value at once."""
    before, turn.cause = turn.cause, turn.note("step", control, name)
    drop_draft(turn, control)
    turn.put_value(control, value, turn.cause)
    turn.drain()
    turn.cause = before


def tab(turn: Turn, gesture: Gesture, control: Any) -> None:
    """Go on to the next control that can take the focus, round and round."""
    session = turn.session
    form = session.front
    here = form._state.focus
    settle(turn, here)
    target = session.next_focus(form, here)
    if target is None:
        return
    if target is here:
        return
    move_focus(turn, target)


def answer(turn: Turn, gesture: Gesture, control: Any) -> None:
    """Answer the prompt on top; the handler that waits for it goes on once this is settled."""
    wait = turn.session.prompt_wait
    assert wait is not None, "refused where no prompt is up"
    turn.note_form("answer", wait.form, wait.title, None, gesture.text)
    end_wait(turn, wait, gesture.text)


def end_wait(turn: Turn, wait: Any, result: object) -> None:
    """Say what a wait has come to."""
    turn.undo.append((wait, "over", wait.over))
    wait.over = True
    wait.result = result


def close_front(turn: Turn, gesture: Gesture, control: Any) -> None:
    """Press the close button of what is in front: the cancel answer of a prompt, the way out of a form."""
    wait = turn.session.prompt_wait
    if wait is not None:
        answer(turn, Gesture(verb="answer", text=wait.prompt.cancel), control)
    else:
        leave(turn, turn.session.front, CANCELLED)


def focus(turn: Turn, gesture: Gesture, control: Any) -> None:
    """Go to a control, as by clicking into it."""
    move_focus(turn, control)


STEPS: Final[Mapping[str, Callable[[Any, Gesture, Any], None]]] = {
    "focus": focus,
    "type": type_text,
    "tab": tab,
    "press": press,
    "pick": pick,
    "tick": tick,
    "untick": tick,
    "answer": answer,
    "close": close_front,
}
"""What carries out each verb of a gesture."""
