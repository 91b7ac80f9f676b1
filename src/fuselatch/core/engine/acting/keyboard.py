"""The keys that mean the same on every form. A form's shortcuts come first, except Enter."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Final

from fuselatch.core.engine.acting.closing import dismiss
from fuselatch.core.engine.acting.steps import add_line, answer, carry_out, go, open_named, press, put_draft
from fuselatch.core.engine.acting.taking_back import take_back
from fuselatch.core.engine.looking.refusals import at_control, lock_at, locked_by
from fuselatch.core.engine.rules.drafts import drop_draft
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn import focus
from fuselatch.core.engine.turn.calling import end
from fuselatch.core.engine.turn.focus import arrive, drop, put_focus, settle, takes_keys
from fuselatch.core.engine.turn.loop import drain
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.deeds import CHARACTER
from fuselatch.core.forms.live_state import AnyControl, ControlState, is_read_only, seen_title
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.keys import IN_LINES
from fuselatch.core.model.outcome import CANCELLED
from fuselatch.core.model.slow_calls import CallEnd


def key(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Press a key: a shortcut, a key of `KEYS`, or one more character."""
    session, keys = turn.session, gesture.text
    if session.prompt_wait is not None:
        key_at_prompt(turn, keys, gesture.repeat)
        return
    if keys in session.offers.shortcuts:
        front = session.stack.front
        if session.waits:
            title = seen_title(front._state) if front else ""
            session.notice = session.text("notice.in_front", keys=keys, title=title)
            turn.note_form("skip", front, "shortcut", None, session.notice)
        else:
            open_named(turn, Gesture(verb="open", text=session.offers.shortcuts[keys]), None)
        return
    assert session.stack.front is not None, "a gesture without a front form was refused before"
    form = session.stack.front
    here = form._state.focus
    # Enter first settles the field, and only then presses the button that has it as a shortcut.
    shortcut = form._state.plan.shortcuts.get(keys) if keys != "Enter" else None
    if shortcut is not None:
        use_shortcut(turn, form, shortcut, gesture.repeat)
    elif here is None or not (is_taken(turn, here, keys, gesture.repeat) or is_written(turn, form, here, keys)):
        rest = KEYS.get(keys)
        if rest is not None:
            rest(turn, form, here, gesture.repeat)


def is_taken(turn: Turn, here: ControlState, keys: str, repeat: bool) -> bool:
    """Let the control that has the focus do what its kind does with a key; return False if it does nothing."""
    if here._plan.is_input and is_read_only(here):
        return False
    taken = here._decl.keys(here)
    at_key = taken.get(keys) or (taken.get(CHARACTER) if len(keys) == 1 else None)
    return at_key is not None and carry_out(turn, here, at_key(here, keys), repeat)


def is_written(turn: Turn, form: OpenForm, here: ControlState, keys: str) -> bool:
    """Add what a key writes to the text in the field, or replace it if it is selected; return False if it writes nothing."""
    text: str = here._decl.written_by(keys)
    if not text or not takes_keys(here):
        return False
    put_draft(turn, here, text if form._state.select else text_in(here) + text)
    return True


def text_in(here: ControlState) -> str:
    """Return the text in a field."""
    live: AnyControl = here
    text: str = live.text
    return text


def key_at_prompt(turn: Turn, keys: str, repeat: bool) -> None:
    """Press a prompt's default (Enter) or cancel button (Escape), unless it repeats."""
    wait = turn.session.prompt_wait
    if wait is not None and not repeat and keys in ("Enter", "Escape"):
        button = wait.prompt.default if keys == "Enter" else wait.prompt.cancel
        answer(turn, Gesture(verb="answer", text=button), None)


def use_shortcut(turn: Turn, form: OpenForm, path: str, repeat: bool) -> None:
    """Press a shortcut's button or go to its control, if usable."""
    target = form._state.controls[path]
    obstacle = at_control(turn.session, target)
    if obstacle is not None:
        drop(turn, target, obstacle[0])
    elif target._decl.pressed:
        lock = lock_at(turn.session, "press", target)
        if lock is not None:
            drop(turn, target, locked_by(lock, target)[0])
        elif not repeat:
            press(turn, Gesture(verb="press", control=path), target)
    else:
        arrive(turn, target)


def enter_key(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Handle Enter, by what has the focus.

    An entry settles. If it has no refusing finding, the form's default button is pressed or the focus moves on. A held key
    presses nothing.
    """
    if here is not None and here._decl.pressed:
        return
    if here is not None and here._plan.is_input:
        settle(turn, here)
        focus.show_findings(turn, here)
        drain(turn)
        live: AnyControl = here
        if any(finding.level == "refuse" for finding in live.findings):
            return
    default = form._state.plan.shortcuts.get("Enter")
    if repeat or not form.is_open:
        return
    if default is not None:
        use_shortcut(turn, form, default, repeat)
    else:
        go(turn, 1)


def escape(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Handle Escape: close an open list, then revert a draft, then cancel a slow call, then close the form."""
    if here is not None and here._listing:
        turn.set(here, "_listing", False)
    elif here is not None and here._draft is not None:
        before, turn.cause = turn.cause, turn.note("step", here, "revert")
        drop_draft(turn, here)
        drain(turn)
        turn.cause = before
    elif not repeat:
        own = [wait for wait in turn.session.calls if wait.form is form and not wait.over and wait.call.can_cancel]
        if own:
            end(turn, own[-1], CallEnd("cancelled"))
        else:
            dismiss(turn, form, CANCELLED)


def backspace(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Delete the last character of the draft, or all if it is selected."""
    text = text_in(here) if here is not None and takes_keys(here) else ""
    if here is not None and text:
        put_draft(turn, here, "" if form._state.select else text[:-1])


def delete(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Delete the text in the field if it is selected; otherwise nothing comes after the cursor."""
    if here is not None and form._state.select and takes_keys(here) and text_in(here):
        put_draft(turn, here, "")


def select_all(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Select the text in the field, so that the next character replaces it."""
    if here is not None and takes_keys(here):
        put_focus(turn, form, here, True)


def release(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Move the cursor in a text: nothing stays selected."""
    if here is not None and form._state.select:
        put_focus(turn, form, here)


def add_line_at_key(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Add a line to the list that the focus is in."""
    lines = here._plan.line[0] if here is not None and here._plan.line is not None else None
    if lines is None or repeat:
        return
    obstacle = at_control(turn.session, lines)
    if obstacle is not None:
        drop(turn, lines, obstacle[0])
    else:
        add_line(turn, Gesture(verb="add_line", control=lines.name), lines)


def take_back_at_key(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Take back the last change, unless the field has a text of its own to take back."""
    if turn.session.takes_back:
        take_back(turn, Gesture(verb="take_back"), None)


KEYS: Final[Mapping[str, Callable[[Any, OpenForm, Any, bool], None]]] = {
    "Enter": enter_key,
    "Escape": escape,
    "Tab": lambda turn, form, here, repeat: go(turn, 1),
    "Shift+Tab": lambda turn, form, here, repeat: go(turn, -1),
    "Backspace": backspace,
    "Delete": delete,
    "Ctrl+A": select_all,
    "Ctrl+Z": take_back_at_key,
    IN_LINES: add_line_at_key,
    **dict.fromkeys(("Left", "Right", "Up", "Down", "Home", "End", "PageUp", "PageDown"), release),
}
"""The keys that mean the same on every form, unless the control that has the focus takes them."""
