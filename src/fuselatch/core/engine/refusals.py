"""What a person could not even start, and why."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from fuselatch.core.forms.controls import Live, LiveEntry
from fuselatch.core.model.gestures import VERBS, Gesture
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import short_text

if TYPE_CHECKING:
    from fuselatch.core.engine.session import Session

BY_KIND: dict[str, tuple[tuple[str, ...], str]] = {
    "type": (("text", "number", "whole", "money", "choice"), "can't be typed into"),
    "tick": (("tick",), "can't be ticked"),
    "untick": (("tick",), "can't be ticked"),
    "press": (("button",), "can't be pressed"),
    "pick": (("choice",), "has no choices to pick from"),
}
"""For verbs that fit some kinds of control only: which, and what to say of others."""


def obstacle(session: Session, gesture: Gesture, control: Live | None) -> tuple[str, int | None] | None:
    """What stands in the way of a gesture (with the trace line that put it there), or None."""
    if session.closed:
        return "the session is closed", None
    wait = session.prompt_wait
    if wait is not None:
        if gesture.verb == "answer" and gesture.text not in wait.prompt.buttons:
            return f"the prompt has no button '{gesture.text}'; {suggest(gesture.text, wait.prompt.buttons)}", wait.number
        if gesture.verb not in ("answer", "close"):
            return (
                f'a prompt is up: "{short_text(wait.text, 60)}"; answer it with {" or ".join(wait.prompt.buttons)}',
                wait.number,
            )
        return None
    if gesture.verb == "answer":
        return "no prompt is up", None
    if not session.forms:
        return "no form is open any more", None
    if control is None:
        return None
    return at_control(session, control) or unfit(gesture, control)


def at_control(session: Session, control: Live) -> tuple[str, int | None] | None:
    """What keeps a person from using a control, whatever for."""
    if not control.form.is_open:
        return f"{control.form.title} is closed", None
    if session.front is not control.form:
        return f"{session.front.title} is in front", None
    for prop, word in (("visible", "hidden"), ("enabled", "disabled")):
        if not getattr(control, prop):
            return f"it is {word}{because(control, prop)}", session.trace.last_change(
                control.form._state.name, control.name, prop
            )
    return None


def because(control: Live, prop: str) -> str:
    """What made a property as it is, in words."""
    if prop in control._decl.rules:
        return f" by its rule for '{prop}'"
    if control._set is not None and prop in control._set:
        return " by a handler"
    return " as declared"


def unfit(gesture: Gesture, control: Any) -> tuple[str, int | None] | None:
    """What makes a verb unfit for a control that can be used."""
    kinds, why = BY_KIND.get(gesture.verb, ((), ""))
    if kinds and control._decl.kind not in kinds:
        return f"a {control._decl.kind} {why}", None
    if gesture.verb == "focus" and not control._decl.takes_focus:
        return f"a {control._decl.kind} can't take the focus", None
    if isinstance(control, LiveEntry) and "value" in control._decl.rules:
        return "it is read-only: its value follows a rule", None
    if gesture.verb == "pick" and not control.choices.find(gesture.text):
        shown = control.choices.shown()
        return f"'{gesture.text}' is none of its choices; {suggest(gesture.text, shown, 'there are')}", None
    return None


def unknown_verb(verb: str) -> str:
    """What to say of a verb that no gesture has."""
    return f"there is no gesture '{verb}'; {suggest(verb, VERBS)}"
