"""The steps of each gesture.

Pressing B while A has the focus is: settle A, leave A, enter B, click B. After each step the queue is emptied.
Before the next step the engine looks again. If the target can't be used any more, or `leaving` was blocked, the
remaining steps are skipped. Nothing is raised then.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from fuselatch.core.engine.acting.closing import dismiss, submit, submit_and_go_on
from fuselatch.core.engine.acting.opening import open_form
from fuselatch.core.engine.looking.naming import open_form_named
from fuselatch.core.engine.records import line_changes as lines
from fuselatch.core.engine.records.current_record import reset
from fuselatch.core.engine.rules.drafts import drop_draft
from fuselatch.core.engine.rules.validation import preview
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn, told, touch
from fuselatch.core.engine.turn import focus, pointing
from fuselatch.core.engine.turn.changing import put_hidden
from fuselatch.core.engine.turn.focus import arrive, drop, move_focus, next_focusable, put_focus, settle, step
from fuselatch.core.engine.turn.loop import drain, happen
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.deeds import Deed, DoubleClick, Enter, Press, Put, Raise, Settle, Write
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.live_state import AnyControl, ControlState, current, is_masked, is_read_only
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.outcome import ACCEPTED, CANCELLED
from fuselatch.core.model.properties import AT_REST
from fuselatch.core.model.record_changes import MOVES
from fuselatch.core.model.values import same


def come_to_front(turn: Turn, form: OpenForm) -> None:
    """Bring a form to the front for the user."""
    stack = turn.session.stack
    if stack.front is form:
        return
    before, turn.cause = turn.cause, turn.note_form("step", form, "to_front")
    stack.bring_to_front(turn, form)
    turn.set(stack, "brought_to_front", form)
    happen(turn, "brought_to_front", form, None)
    turn.cause = before


def front_of(turn: Turn) -> OpenForm:
    """Return the front form."""
    front = turn.session.stack.front
    assert front is not None, "a gesture without a front form was refused before"
    return front


def type_text(turn: Turn, gesture: Gesture, control: ControlState) -> None:
    """Type a text in place of the draft: one keystroke."""
    if control._state.focus is control or move_focus(turn, control):
        if control._plan.typable:
            put_draft(turn, control, gesture.text)
        else:
            carry_out(turn, control, control._decl.typed_in(control, gesture.text))


def carry_out(turn: Turn, control: ControlState, deeds: Iterable[Deed], repeat: bool = False) -> bool:
    """Carry out what a control does at a key, one deed after the other; return False if it does nothing.

    `repeat`: the key is held down, so that it presses nothing.
    """
    done = False
    for deed in deeds:
        done = True
        if isinstance(deed, Enter):
            put_entry(turn, control, deed.how, deed.value)
        elif isinstance(deed, Put):
            turn.set(control, deed.name, deed.value)
        elif isinstance(deed, Write):
            put_draft(turn, control, deed.text)
        elif isinstance(deed, Settle):
            settle(turn, control)
        elif isinstance(deed, Raise):
            happen(turn, deed.event, control.form, control, None, deed.new)
        elif isinstance(deed, Press) and not repeat:
            press(turn, Gesture(verb="press", control=control.name), control)
        elif isinstance(deed, DoubleClick) and not repeat:
            double_click(turn, control)
    return done


def types_quietly(session: SessionState, control: ControlState | None) -> bool:
    """Return True if a keystroke runs none of the developer's code."""
    if control is None:
        return False
    plan = control._plan
    return (
        control._state.focus is control
        and not control._marked
        and not control._decl.constants["while_typing"]
        and not (plan.checked_by and any(check.while_typing for check in plan.checked_by))
        and "typed" not in plan.heard
        and not control._listing
        and control._trouble is None
        and not plan.lists
        and not session.sees_events
        and not control._state.judged
        and (control._watchers is None or control._watchers.keys() <= AT_REST)
    )


def put_draft(turn: Turn, control: ControlState, text: str) -> None:
    """Set a draft, validate it and raise `typed`."""
    there = control._draft or ""
    # Only what is new is looked at, so that a key costs the same in a long text.
    text = there + control._decl.taken(text[len(there) :]) if text.startswith(there) else control._decl.taken(text)
    heard = turn.rows is not None or turn.is_heard("typed", control.form, control)
    live: AnyControl = control
    before = live.text if heard else ""
    # Not in the undo log: if a `typed` handler fails, the typed key stays, and the focus that it came with.
    turn.typed = control
    control._state.select = False  # not undone: the typed key stays
    touch(control)
    control._draft = text  # not undone: the typed key stays
    if control._plan.offers:
        control._listing = True  # not undone: the typed key stays
        control._at = UNSEEN
    if control._trouble is not None:
        control._trouble = None  # not undone: the typed key stays
        turn.session.dirty.invalidate(control, "trouble", turn.cause)
        turn.session.dirty.revalidate(control)
    preview(turn, control)
    if not heard:
        return
    hidden = is_masked(control)
    happen(turn, "typed", control.form, control, "•" if hidden else before, "•" if hidden else text)


def press(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Press a button, or click a label or the form. Closing is a step after `clicked`."""
    if control is None:
        happen(turn, "clicked", front_of(turn), None)
        return
    form, verdict = control.form, control._decl.closes
    if verdict is not None and verdict != ACCEPTED:
        # From here on the form closes even if a handler fails.
        turn.way_out = (form, verdict)
        step(turn, "click", control, "clicked")
        # A `clicked` handler may have closed the form itself.
        if form._state.phase != "closed":
            dismiss(turn, form, verdict)
        return
    if control._decl.takes_focus and not move_focus(turn, control):
        return
    step(turn, "click", control, "clicked")
    if form._state.phase == "closed":
        return
    if verdict is not None:
        submit(turn, form)
    elif control._decl.submits:
        if submit_and_go_on(turn, form, control._decl.after_submit):
            go_on(turn, form, control._decl.after_submit)


def go_on(turn: Turn, form: OpenForm, then: str) -> None:
    """Go on after a submit: to the next, a new or the same record."""
    if form._state.records is None:
        restart(turn, form)
    elif then == "same":
        return
    else:
        form._state.records.go_on(turn, then)
    focus.enter(turn, form, next_focusable(form, None, 1))


def restart(turn: Turn, form: OpenForm) -> None:
    """Start a form without records again, and raise `restarted`. The trace has what differs; nothing is `changed`."""
    before, turn.cause = turn.cause, turn.note_form("step", form, "restart")
    held = [(entry, entry._value) for entry in form._state.order if entry._plan.is_input and not entry._rule]
    reset(turn, form)
    for entry, old in held:
        new = entry._value
        if turn.rows is not None and not same(old, new):
            turn.note("change", entry, "value", *told(entry, old, new))
    happen(turn, "restarted", form, None)
    turn.cause = before


def record(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    records = front_of(turn)._state.records
    assert records is not None, "a form without records was refused before"
    records.move(gesture.text) if gesture.text in MOVES else records.at(records.key_of(gesture.text))


def add_line(turn: Turn, gesture: Gesture, control: LineList) -> None:
    """Add a line and go to its first entry."""
    settle(turn, control._state.focus)
    line = lines.add(turn, control, {})
    if line is not None:
        for entry in control._members[line][1]:
            if focus.takes_focus(entry):
                move_focus(turn, entry)
                return


def remove_line(turn: Turn, gesture: Gesture, control: ControlState) -> None:
    settle(turn, control._state.focus)
    whole, line = list_of(control), line_of(control)
    if line in whole._rows:
        lines.remove(turn, whole, line)
    else:
        drop(turn, whole, turn.session.text("notice.line_gone"))


def move_line(turn: Turn, gesture: Gesture, control: ControlState) -> None:
    try:
        place = int(gesture.text)
    except ValueError:
        raise UnknownName(f"'{gesture.text}' isn't a position; use a number, starting at 0") from None
    whole = list_of(control)
    if not 0 <= place < len(whole._rows):
        drop(turn, control, turn.session.text("notice.no_position", position=place, last=len(whole._rows) - 1))
        return
    lines.reorder(turn, whole, line_of(control), place)


def line_of(control: ControlState) -> Container:
    line: Container = control._state.containers[control._plan.path]
    return line


def list_of(control: ControlState) -> LineList:
    """Return the list that a line is in."""
    whole: Any = control._outer
    return whole  # type: ignore[no-any-return]


def double(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Double-click a control, one of its items (`text`), or the form."""
    if control is None:
        happen(turn, "double_clicked", front_of(turn), None)
    elif not control._plan.stops or move_focus(turn, control):
        if (gesture.text or gesture.item) and not is_read_only(control):
            meant = control._decl.items_meant(control, gesture)
            held = current(control, "value") if control._decl.multiple else ()
            # A double click comes after a click, which has picked the item: it mustn't be taken away again.
            if meant and meant[0] not in held:
                put_entry(turn, control, "pick", control._decl.with_picked(control, meant[0]))
        double_click(turn, control)


def double_click(turn: Turn, control: ControlState) -> None:
    """Raise `double_clicked`; a table passes the chosen row."""
    before, turn.cause = turn.cause, turn.note("step", control, "double click")
    if "double_clicked" in control._plan.raises:
        happen(turn, "double_clicked", control.form, control, None, control._decl.double_clicked_on(control))
    turn.cause = before


def pick(turn: Turn, gesture: Gesture, control: ControlState) -> None:
    """Pick a choice, which settles at once."""
    if move_focus(turn, control):
        # Only now: leaving the other control may have changed this list.
        meant = control._decl.items_meant(control, gesture)
        if meant:
            put_entry(turn, control, "pick", control._decl.with_picked(control, meant[0]))
        else:
            drop(turn, control, turn.session.text("notice.no_choice", text=gesture.text))


def sort(turn: Turn, gesture: Gesture, control: AnyControl) -> None:
    """Sort a table by a column, or reverse it."""
    column, descending = control._sort
    control.sort_by(gesture.text, descending=column == gesture.text and not descending)


def tick(turn: Turn, gesture: Gesture, control: ControlState) -> None:
    """Tick or untick a box, which settles at once."""
    if control._state.focus is control or move_focus(turn, control):
        put_entry(turn, control, gesture.verb, gesture.verb == "tick")


def put_entry(turn: Turn, control: ControlState, name: str, value: object) -> None:
    """Set a value that the user entered in one step."""
    before = turn.cause
    if turn.rows is not None:
        turn.cause = turn.note("step", control, name)
    # A pick replaces what was typed, so the draft must not settle later.
    if control._draft is not None:
        drop_draft(turn, control)
    if control._listing:
        turn.set(control, "_listing", False)
    turn.put_value(control, value, turn.cause)
    drain(turn)
    turn.cause = before


def tab(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    go(turn, 1)


def back_tab(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    go(turn, -1)


def go(turn: Turn, way: int) -> None:
    """Settle the focused control, then move the focus."""
    form = front_of(turn)
    here = form._state.focus
    if here is not None and not carry_out(turn, here, here._decl.before_tab(here)):
        settle(turn, here)
    target = next_focusable(form, here, way)
    if target is not None and target is not here:
        arrive(turn, target)


def answer(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Answer the open prompt. The waiting handler resumes when this gesture is finished."""
    wait = turn.session.prompt_wait
    assert wait is not None, "an answer without a prompt was refused before"
    pressed = wait.button(gesture.text)
    turn.note_form("answer", wait.form, wait.title, None, pressed)
    wait.end(turn, pressed)


def answers_quietly(session: SessionState, control: ControlState | None) -> bool:
    """Return True if an answer only ends its prompt, and nothing else is pending."""
    return not (session.stack.unsettled or session.dirty.pending or session.sees_events)


def close_front(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Press the close button: answer a prompt with its cancel button, or close a form."""
    wait = turn.session.prompt_wait
    if wait is not None:
        wait.by_close_button = True
        answer(turn, Gesture(verb="answer", text=wait.prompt.cancel), control)
    else:
        dismiss(turn, front_of(turn), CANCELLED)


def open_named(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Open an offered form, or bring it to the front."""
    stack = turn.session.stack
    offer = turn.session.offers.by_name[gesture.text]
    # One of each: a shortcut that is pressed again finds the open form.
    opened = next((form for form in reversed(stack.forms) if type(form) is offer.form), None)
    if opened is None:
        open_form(turn, offer.form, offer.params, None)
        return
    if opened._state.hidden:
        put_hidden(turn, opened, False)
    come_to_front(turn, opened)


def to_front(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    come_to_front(turn, open_form_named(turn.session, gesture.text))


def to_control(turn: Turn, gesture: Gesture, control: ControlState) -> None:
    """Move the focus to a control. Where it is already, nothing stays selected: the user has clicked into the text."""
    if control.form._state.focus is control:
        put_focus(turn, control.form, control)
    else:
        move_focus(turn, control)


def point(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    pointing.point(turn, control)


def unhover(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    pointing.point(turn, None)
