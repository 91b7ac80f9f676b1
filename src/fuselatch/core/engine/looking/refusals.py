"""Reasons why a gesture is refused."""

from __future__ import annotations

from typing import Final

from fuselatch.core.engine.looking.naming import last_entry, open_form_named
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.waiting import CallWait
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import ControlState, is_read_only, is_usable, seems_usable, seen_title
from fuselatch.core.model.errors import HandlerFailed
from fuselatch.core.model.gestures import VERBS, Gesture
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import ACCEPTED
from fuselatch.core.model.record_changes import MOVES
from fuselatch.core.model.values import short_text

Reason = tuple[str, int | None]


def obstacle(session: SessionState, gesture: Gesture, control: ControlState | None) -> Reason | None:
    """Return why a gesture is refused, with the trace entry that caused it, or None."""
    # Fast path: a usable control on the front form.
    if session.calls:
        lock = lock_at(session, gesture.verb, control, gesture.text)
        if lock is not None:
            return locked_by(lock, control)
    if control is not None and control.form is session.stack.front and not session.waits and VERBS[gesture.verb].plain:
        if looks_usable(session, control) and not session.closed and not session.is_broken:
            return unfit(gesture, control)
    if session.closed or session.is_broken:
        return session.broken or "the session is closed", None
    if session.waits and (session.paused is not None or session.prompt_wait is not None):
        return at_wait(session, gesture)
    verb = gesture.verb
    if verb == "answer":
        return "no prompt is open", None
    if verb == "to_front":
        return covering(session, open_form_named(session, gesture.text))
    front = session.stack.front
    opens = verb == "open" or (verb == "key" and gesture.text in session.offers.shortcuts)
    if opens:
        if verb == "key" or front is None or not session.waits:
            return None
        return f"{seen_title(front._state)} is in front", None
    if verb == "record" and front is not None:
        return at_records(session, front, gesture.text)
    if front is None:
        return "all open forms are hidden" if session.stack.forms else "all forms are closed", None
    if verb == "take_back":
        return at_last_change(session, front)
    if verb == "cancel_call":
        return at_call(session, gesture.text)
    if control is None:
        return covering(session, front) if session.waits else None
    if VERBS[verb].looks:
        return covering(session, control.form) or (
            (f"'{control.name}' is hidden", None) if not control._has("visible") else None
        )
    return at_control(session, control) or unfit(gesture, control)


UNLOCKED: Final = frozenset(
    ("focus", "tab", "back_tab", "hover", "unhover", "answer", "close", "open", "to_front", "cancel_call")
)
"""Verbs that a slow call doesn't lock: to look, to go elsewhere, and to leave."""
UNLOCKED_KEYS: Final = frozenset(("Escape", "Tab", "Shift+Tab"))


def lock_at(session: SessionState, verb: str, control: ControlState | None, text: str = "") -> CallWait | None:
    """Return the slow call that locks what a gesture is about, or None."""
    front = session.stack.front
    if verb in UNLOCKED or (verb == "key" and (text in UNLOCKED_KEYS or text in session.offers.shortcuts)):
        return None
    at = front._state.focus if verb == "key" and control is None and front is not None else control
    if verb == "press" and at is not None and (at._decl.closes or ACCEPTED) != ACCEPTED:
        return None
    for wait in session.calls:
        if at is None and wait.form is front and wait.locked is None:
            return wait
        # A second press doesn't start it twice, whatever it locks.
        if at is not None and (wait.locks(at) or (at is wait.control and verb in ("press", "double"))):
            return wait
    return None


def locked_by(wait: CallWait, control: ControlState | None) -> Reason:
    """Return a lock in words."""
    what = f"'{control.name}'" if control is not None else seen_title(wait.form._state) if wait.form is not None else "it"
    return f"{what} is locked: {wait.call.name} waits for {wait}", wait.number or None


def at_call(session: SessionState, name: str) -> Reason | None:
    """Return why the user can't cancel a slow call."""
    wait, names = session.call_named(name), [wait.call.name for wait in session.calls if not wait.over]
    if wait is None:
        return (f"no slow call '{name}' waits; {suggest(name, names)}" if names and name else "no slow call waits"), None
    if wait.call.can_cancel:
        return None
    return f"{wait.call.name} can't be cancelled; close the form to leave it", wait.number or None


def at_last_change(session: SessionState, front: OpenForm) -> Reason | None:
    """Return why the user can't take back the last change."""
    if session.takes_back:
        return None
    here = front._state.focus
    if here is not None and here._draft is not None:
        return f"'{here.name}' has text that isn't entered yet; enter it or press Escape first", None
    return f"nothing was changed in {seen_title(front._state)} that can be taken back", None


def at_records(session: SessionState, form: OpenForm, text: str) -> Reason | None:
    """Return why the user can't go to a record, or remove this one."""
    records = form._state.records
    if records is None:
        return f"{seen_title(form._state)} isn't bound to records", None
    cover = covering(session, form) if session.waits else None
    if cover is None and text == "remove" and records.key is None:
        return "this record is new and not saved, so there is nothing to remove", None
    if cover is None and text not in MOVES:
        records.must_have(records.key_of(text))
    return cover


def at_wait(session: SessionState, gesture: Gesture) -> Reason | None:
    """Return why a gesture is refused while a prompt is open or the session is paused."""
    wait = session.prompt_wait
    if wait is None:
        event = session.paused
        return f"the session is paused before {event.path if event else '?'}; call go_on() first", None
    if gesture.verb == "answer" and wait.button(gesture.text) is None:
        return f"no button '{gesture.text}' in the prompt; {suggest(gesture.text, wait.prompt.buttons)}", wait.number
    if not VERBS[gesture.verb].anywhere:
        return (
            f'a prompt is open: "{short_text(wait.text, 60)}"; answer {" or ".join(wait.prompt.buttons)}',
            wait.number,
        )
    return None


def covering(session: SessionState, form: OpenForm) -> Reason | None:
    """Return what covers a form, or None."""
    if not form.is_open:
        return f"{seen_title(form._state)} is closed", None
    stack = session.stack
    if session.waits and stack.covered(form):
        wait = session.prompt_wait
        if wait is not None:
            return f'a prompt is open: "{short_text(wait.text, 60)}"', wait.number
        front = seen_title(stack.front._state) if stack.front is not None else "a hidden form"
        return f"{front} is open in front of it", None
    return (f"{seen_title(form._state)} is hidden", None) if form is not stack.front and stack.hidden(form) else None


def at_control(session: SessionState, control: ControlState) -> Reason | None:
    """Return why the user can't use a control, or None."""
    if session.waits or control.form is not session.stack.front:
        cover = covering(session, control.form)
        if cover is not None:
            return cover
    if looks_usable(session, control):
        return None
    prop, word = ("enabled", "disabled") if control._has("visible") else ("visible", "hidden")
    culprit: ControlState = control
    while culprit._outer is not None and culprit._current(prop):
        culprit = culprit._outer
    group = "" if culprit is control else f"group '{culprit.name}'; "
    line = last_entry(session, "change", culprit, prop)
    return f"'{control.name}' is {word} ({group}{because(culprit, prop)})", line


def looks_usable(session: SessionState, control: ControlState) -> bool:
    """Return True if a control is enabled and visible. Of a rule that fails, the user sees the last value."""
    try:
        return is_usable(control)
    except HandlerFailed:
        if session.turn is not None:
            raise
        return seems_usable(control)


def because(control: ControlState, prop: str) -> str:
    """Return what made a property as it is."""
    if prop in control._decl.rules:
        return f"rule for '{prop}'"
    if control._set is not None and prop in control._set:
        return "set by a handler"
    return f"declared {prop}={control._decl.constants.get(prop)}"


def unfit(gesture: Gesture, control: ControlState) -> Reason | None:
    """Return why a verb doesn't fit a usable control, or None."""
    verb, decl = gesture.verb, control._decl
    known = VERBS[verb]
    if known.unfit and verb not in decl.accepts:
        return f"{decl.named} {known.unfit}", None
    if known.enters and control._plan.is_input and control._rule:
        return f"'{control.name}' is read-only (its value has a rule)", None
    if known.enters and verb != "focus" and is_read_only(control):
        return f"'{control.name}' is read-only ({because(control, 'read_only')})", None
    if verb == "paste_rows":
        is_in_lines = decl.has_lines or (control._plan.line is not None and control._plan.is_input)
        return None if is_in_lines else (f"'{control.name}' isn't in a list of lines", None)
    if not known.by_kind or (verb == "type" and control._plan.typable):
        return None
    reason: str = decl.unfit(control, gesture)
    return (reason, None) if reason else None


def unknown_verb(verb: str) -> str:
    return f"unknown gesture '{verb}'; {suggest(verb, VERBS)}"
