"""The steps of each gesture.

Pressing B while A has the focus is: settle A, leave A, enter B, click B. After each step the queue is emptied.
Before the next step the engine looks again. If the target can't be used any more, or `leaving` was blocked, the
remaining steps are skipped. Nothing is raised then.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Final

from fuselatch.core.engine import focus, pointing
from fuselatch.core.engine import line_changes as lines
from fuselatch.core.engine.bound_records import reset
from fuselatch.core.engine.changing import put_hidden
from fuselatch.core.engine.closing import dismiss, submit, submit_and_go_on
from fuselatch.core.engine.drafts import drop_draft
from fuselatch.core.engine.focus import drop, move_focus, next_focusable, settle, step
from fuselatch.core.engine.loop import drain, happen
from fuselatch.core.engine.naming import open_form_named
from fuselatch.core.engine.opening import open_form
from fuselatch.core.engine.refusals import at_control
from fuselatch.core.engine.state import SessionState, Turn, hidden, touch
from fuselatch.core.engine.validation import preview
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.controls import LiveInput
from fuselatch.core.forms.live_lists import LiveChoice, LiveLines, LiveTable
from fuselatch.core.forms.live_state import ControlState, current, is_masked, is_read_only, seen_title
from fuselatch.core.model.choices import position_of_id
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.outcome import ACCEPTED, CANCELLED
from fuselatch.core.model.record_changes import MOVES
from fuselatch.core.model.texts import TEXTS, user_text
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
    """Replace the draft: one keystroke."""
    if control._state.focus is control or move_focus(turn, control):
        put_draft(turn, control, gesture.text)


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
        and control._state.invalid is None
        and (control._watchers is None or control._watchers.keys() <= SETTLED)
    )


SETTLED: Final = frozenset({"value", "findings", "enabled", "visible", "required", "caption", "choices", "trouble"})
"""Properties that a rule may read and that don't differ at a key."""


def put_draft(turn: Turn, control: ControlState, text: str) -> None:
    """Set a draft, validate it and raise `typed`."""
    text = control._decl.taken(text)
    heard = turn.rows is not None or turn.is_heard("typed", control.form, control)
    live: Any = control
    before = live.text if heard else ""
    # Not in the undo log: if a `typed` handler fails, the typed key stays, and the focus that it came with.
    turn.typed = control
    control._state.select = False
    touch(control)
    control._draft = text
    control._listing = isinstance(control, LiveChoice)
    if control._trouble is not None:
        control._trouble = None
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
    held = [(entry, entry._value) for entry in form._state.order if isinstance(entry, LiveInput) and not entry._rule]
    reset(turn, form)
    for entry, old in held:
        new = entry._value
        if turn.rows is not None and not same(old, new):
            turn.note("change", entry, "value", *((hidden(old), hidden(new)) if is_masked(entry) else (old, new)))
    happen(turn, "restarted", form, None)
    turn.cause = before


def record(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    records = front_of(turn)._state.records
    assert records is not None, "a form without records was refused before"
    records.move(gesture.text) if gesture.text in MOVES else records.at(records.key_of(gesture.text))


def add_line(turn: Turn, gesture: Gesture, control: LiveLines[Any]) -> None:
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
        drop(turn, whole, TEXTS["notice.line_gone"])


def move_line(turn: Turn, gesture: Gesture, control: ControlState) -> None:
    try:
        place = int(gesture.text)
    except ValueError:
        raise UnknownName(f"'{gesture.text}' isn't a position; use a number, starting at 0") from None
    whole = list_of(control)
    if not 0 <= place < len(whole._rows):
        drop(turn, control, user_text("notice.no_position", position=place, last=len(whole._rows) - 1))
        return
    lines.reorder(turn, whole, line_of(control), place)


def line_of(control: ControlState) -> Container:
    line: Container = control._state.containers[control._plan.path]
    return line


def list_of(control: ControlState) -> LiveLines[Any]:
    assert isinstance(control._outer, LiveLines), "what isn't a line was refused before"
    return control._outer


def double(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Double-click a control, one of its items (`text`), or the form."""
    if control is None:
        happen(turn, "double_clicked", front_of(turn), None)
    elif not focus.may_have_focus(control) or move_focus(turn, control):
        if (gesture.text or gesture.item) and isinstance(control, LiveChoice) and not is_read_only(control):
            found = meant(control, gesture)
            held = current(control, "value") if control._decl.multiple else ()
            # A double click comes after a click, which has picked the item: it mustn't be taken away again.
            if found and found[0] not in held:
                put_entry(turn, control, "pick", picked(control, found[0]))
        double_click(turn, control)


def double_click(turn: Turn, control: ControlState) -> None:
    """Raise `double_clicked`; a table passes the chosen row."""
    before, turn.cause = turn.cause, turn.note("step", control, "double click")
    if "double_clicked" in control._plan.raises:
        happen(turn, "double_clicked", control.form, control, None, control.row if isinstance(control, LiveTable) else None)
    turn.cause = before


def pick(turn: Turn, gesture: Gesture, control: LiveChoice[Any, Any, Any]) -> None:
    """Pick a choice, which settles at once."""
    if move_focus(turn, control):
        # Only now: leaving the other control may have changed this list.
        found = meant(control, gesture)
        if found:
            put_entry(turn, control, "pick", picked(control, found[0]))
        else:
            drop(turn, control, user_text("notice.no_choice", text=gesture.text))


def meant(control: LiveChoice[Any, Any, Any], gesture: Gesture) -> list[Any]:
    """Return the items that a gesture means, by id or by text."""
    choices = control.choices
    if not gesture.item:
        return choices.find(gesture.text)
    at = position_of_id(choices, gesture.item)
    return [] if at is None else [choices[at]]


def sort(turn: Turn, gesture: Gesture, control: LiveTable[Any]) -> None:
    """Sort a table by a column, or reverse it."""
    column, descending = control._sort
    control.sort_by(gesture.text, descending=column == gesture.text and not descending)


def picked(control: LiveChoice[Any, Any, Any], item: object) -> object:
    """Return a choice's value after picking an item. With `multiple`, picking toggles it."""
    if not control._decl.multiple:
        return item
    held = current(control, "value")
    kept = {*held} ^ {item}
    return tuple(dict.fromkeys(item for item in control.choices if item in kept))


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
    if isinstance(here, LiveChoice) and here._listing and (here._draft or "").strip():
        take_match(turn, here)
    else:
        settle(turn, here)
    target = next_focusable(form, here, way)
    if target is not None and target is not here:
        move_focus(turn, target)


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
        answer(turn, Gesture(verb="answer", text=wait.prompt.cancel), control)
    else:
        dismiss(turn, front_of(turn), CANCELLED)


def open_named(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Open an offered form, or bring it to the front."""
    stack = turn.session.stack
    offer = turn.session.offers.by_name[gesture.text]
    # One of each: a shortcut that is pressed again finds the open form.
    found = next((form for form in reversed(stack.forms) if type(form) is offer.form), None)
    if found is None:
        open_form(turn, offer.form, offer.params, None)
        return
    if found._state.hidden:
        put_hidden(turn, found, False)
    come_to_front(turn, found)


def to_front(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    come_to_front(turn, open_form_named(turn.session, gesture.text))


def to_control(turn: Turn, gesture: Gesture, control: ControlState) -> None:
    move_focus(turn, control)


def point(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    pointing.point(turn, control)


def unhover(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    pointing.point(turn, None)


def key(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Press a key: a shortcut, Enter, Escape, Tab, or one more character."""
    session, keys = turn.session, gesture.text
    if session.prompt_wait is not None:
        key_at_prompt(turn, keys, gesture.repeat)
        return
    if keys in session.offers.shortcuts:
        front = session.stack.front
        if session.waits:
            title = seen_title(front._state) if front else ""
            session.notice = user_text("notice.in_front", keys=keys, title=title)
            turn.note_form("skip", front, "shortcut", None, session.notice)
        else:
            open_named(turn, Gesture(verb="open", text=session.offers.shortcuts[keys]), None)
        return
    form = front_of(turn)
    here = form._state.focus
    # Enter first settles the field, and only then presses the button that has it as a shortcut.
    shortcut = form._state.plan.shortcuts.get(keys) if keys != "Enter" else None
    if shortcut is not None:
        use_shortcut(turn, form, shortcut, gesture.repeat)
    elif keys in KEYS:
        KEYS[keys](turn, form, here, gesture.repeat)
    elif takes_keys(here) and len(keys) == 1:
        put_draft(turn, here, keys if form._state.select else here.text + keys)


def takes_keys(control: ControlState | None) -> bool:
    """Return True if a control can be typed into."""
    return control is not None and "typed" in control._plan.raises and not is_read_only(control)


def key_at_prompt(turn: Turn, keys: str, repeat: bool) -> None:
    """Press a prompt's default (Enter) or cancel button (Escape), unless it repeats."""
    wait = turn.session.prompt_wait
    if wait is not None and not repeat and keys in ("Enter", "Escape"):
        button = wait.prompt.default if keys == "Enter" else wait.prompt.cancel
        answer(turn, Gesture(verb="answer", text=button), None)


def use_shortcut(turn: Turn, form: OpenForm, path: str, repeat: bool) -> None:
    """Press a shortcut's button or go to its control, if usable."""
    target = form._state.controls[path]
    found = at_control(turn.session, target)
    if found is not None:
        drop(turn, target, found[0])
    elif target._decl.space == "press":
        if not repeat:
            press(turn, Gesture(verb="press", control=path), target)
    else:
        move_focus(turn, target)


def enter_key(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Handle Enter, by what has the focus.

    An open list picks its match, a multi-line text gets a new line, a button is pressed. Any other entry settles; if it
    has no refusing finding, the form's default button is pressed or the focus moves on. A held key presses nothing.
    """
    if here is not None and here._decl.space == "press":
        if not repeat:
            press(turn, Gesture(verb="press", control=here.name), here)
        return
    if isinstance(here, LiveInput):
        if here._decl.constants["look"] == "multi-line" and takes_keys(here):
            put_draft(turn, here, here.text + "\n")
            return
        if isinstance(here, LiveChoice) and here._listing and here._draft:
            take_match(turn, here)
            return
        settle(turn, here)
        if isinstance(here, LiveTable) and here.row is not None and "double_clicked" in here._plan.heard:
            if not repeat:
                double_click(turn, here)
            return
        focus.show_findings(turn, here)
        drain(turn)
        if any(finding.level == "refuse" for finding in here.findings):
            return
    default = form._state.plan.shortcuts.get("Enter")
    if repeat or not form.is_open:
        return
    if default is not None:
        use_shortcut(turn, form, default, repeat)
    else:
        go(turn, 1)


def take_match(turn: Turn, here: LiveChoice[Any, Any, Any]) -> None:
    """Pick the first match of an open list."""
    text = (here._draft or "").strip()
    # A text that is in the list means itself. Where other values are allowed, a similar item must not replace it.
    found = here.choices.find(text) or ([] if here._decl.other else here.choices.ahead(text, 1))
    if found:
        put_entry(turn, here, "pick", found[0])
    else:
        settle(turn, here)


def escape(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Handle Escape: close an open list, then revert a draft, then close the form."""
    if isinstance(here, LiveInput) and here._listing:
        turn.set(here, "_listing", False)
    elif isinstance(here, LiveInput) and here._draft is not None:
        before, turn.cause = turn.cause, turn.note("step", here, "revert")
        drop_draft(turn, here)
        drain(turn)
        turn.cause = before
    elif not repeat:
        dismiss(turn, form, CANCELLED)


def backspace(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Delete the last character of the draft, or all if it is selected."""
    if isinstance(here, LiveInput) and takes_keys(here) and here.text:
        put_draft(turn, here, "" if form._state.select else here.text[:-1])


def space(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Press a button, toggle a tick box, or type a space."""
    does = here._decl.space if here is not None else ""
    if isinstance(here, LiveInput) and does == "toggle" and not is_read_only(here):
        put_entry(turn, here, "toggle", not here.value)
    elif here is not None and does == "press" and not repeat:
        press(turn, Gesture(verb="press", control=here.name), here)
    elif isinstance(here, LiveInput) and takes_keys(here):
        put_draft(turn, here, here.text + " ")


KEYS: Final[Mapping[str, Callable[[Any, OpenForm, Any, bool], None]]] = {
    "Enter": enter_key,
    "Escape": escape,
    "Tab": lambda turn, form, here, repeat: go(turn, 1),
    "Shift+Tab": lambda turn, form, here, repeat: go(turn, -1),
    "Backspace": backspace,
    "Space": space,
}
"""Keys with the same meaning on every form. A form's shortcuts come first, except Enter."""

RUNS_NO_AUTHOR_CODE: Final[Mapping[str, Callable[[Any, Any], bool]]] = {"type": types_quietly, "answer": answers_quietly}
"""For some verbs, a test if a gesture runs none of the developer's code."""

STEPS: Final[Mapping[str, Callable[[Any, Gesture, Any], None]]] = {
    "focus": to_control,
    "type": type_text,
    "key": key,
    "tab": tab,
    "back_tab": back_tab,
    "press": press,
    "double": double,
    "pick": pick,
    "sort": sort,
    "tick": tick,
    "untick": tick,
    "hover": point,
    "unhover": unhover,
    "answer": answer,
    "close": close_front,
    "open": open_named,
    "to_front": to_front,
    "record": record,
    "add_line": add_line,
    "remove_line": remove_line,
    "move_line": move_line,
}
"""The function that carries out each verb."""
