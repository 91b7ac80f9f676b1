"""The keys that mean the same on every form. A form's shortcuts come first, except Enter."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from fuselatch.core.engine import focus
from fuselatch.core.engine.closing import dismiss
from fuselatch.core.engine.drafts import drop_draft
from fuselatch.core.engine.focus import arrive, drop, put_focus, settle, takes_keys
from fuselatch.core.engine.listing import candidates, drops_down, is_always_open, would_take
from fuselatch.core.engine.loop import drain
from fuselatch.core.engine.refusals import at_control
from fuselatch.core.engine.state import Turn
from fuselatch.core.engine.steps import (
    answer,
    double_click,
    find_item,
    go,
    open_named,
    picked,
    press,
    put_draft,
    put_entry,
    take_match,
)
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import LiveInput
from fuselatch.core.forms.live_lists import LiveChoice, LiveTable
from fuselatch.core.forms.live_state import ControlState, is_read_only, seen_title
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.outcome import CANCELLED

PAGE: Final = 10
"""How many items PageUp and PageDown move."""


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
    elif keys in MOVES:
        move(turn, form, here, keys)
    elif keys in KEYS:
        KEYS[keys](turn, form, here, gesture.repeat)
    elif len(keys) == 1:
        write(turn, form, here, keys)


def write(turn: Turn, form: OpenForm, here: ControlState | None, text: str) -> None:
    """Add to the text in the field, or replace it if it is selected. In a list that is always open, find an item."""
    if is_always_open(here):
        find_item(turn, here, text)
    elif takes_keys(here):
        put_draft(turn, here, text if form._state.select else here.text + text)


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
        arrive(turn, target)


def enter_key(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Handle Enter, by what has the focus.

    An open list gives its item, a multi-line text gets a new line, a button is pressed. Any other entry settles; if it
    has no refusing finding, the form's default button is pressed or the focus moves on. A held key presses nothing.
    """
    if here is not None and here._decl.space == "press":
        if not repeat:
            press(turn, Gesture(verb="press", control=here.name), here)
        return
    if isinstance(here, LiveInput):
        if here._decl.constants["look"] == "multi-line" and takes_keys(here):
            write(turn, form, here, "\n")
            return
        if isinstance(here, LiveChoice) and here._listing:
            if toggles(here):
                toggle_item(turn, here)
                return
            if here._draft or would_take(here) is not UNSEEN:
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


def delete(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Delete the text in the field if it is selected; otherwise nothing comes after the cursor."""
    if isinstance(here, LiveInput) and takes_keys(here) and here.text and form._state.select:
        put_draft(turn, here, "")


def select_all(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Select the text in the field, so that the next character replaces it."""
    if isinstance(here, LiveInput) and takes_keys(here):
        put_focus(turn, form, here, True)


def space(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Press a button, toggle a tick box or an item of a multiple choice, or type a space."""
    does = here._decl.space if here is not None else ""
    if isinstance(here, LiveInput) and does == "toggle" and not is_read_only(here):
        put_entry(turn, here, "toggle", not here.value)
    elif here is not None and does == "press" and not repeat:
        press(turn, Gesture(verb="press", control=here.name), here)
    elif isinstance(here, LiveChoice) and toggles(here):
        toggle_item(turn, here)
    else:
        write(turn, form, here, " ")


# ---- moving


MOVES: Final[Mapping[str, int]] = {"Down": 1, "Up": -1, "PageDown": PAGE, "PageUp": -PAGE, "Home": 0, "End": 0}
"""Keys that move in a list, and by how many items. Home and End go to its ends."""


def move(turn: Turn, form: OpenForm, here: ControlState | None, keys: str) -> None:
    """Move in a list. A drop-down list opens first; elsewhere, what is picked moves with it.

    In a text, these keys move the cursor, and nothing stays selected.
    """
    if not isinstance(here, LiveChoice) or is_read_only(here):
        release(turn, form, here, False)
    elif not drops_down(here):
        settle(turn, here)
        at = moved(here.choices, range(len(here.choices)), current_item(here), keys)
        if at is not None:
            put_entry(turn, here, "pick", here.choices[at])
    elif here._listing:
        found = candidates(here)
        at = moved(here.choices, found, would_take(here), keys)
        if at is not None:
            turn.set(here, "_at", here.choices[at])
    elif keys in ("Down", "Up"):
        open_list(turn, form, here, False)
    else:
        release(turn, form, here, False)


def moved(choices: Any, places: Sequence[int], item: object, keys: str) -> int | None:
    """Return the position that a key leads to, among these, or None if there is none."""
    if not places:
        return None
    held = None if item is UNSEEN else choices.position(item)
    here = places.index(held) if held is not None and held in places else None
    last = len(places) - 1
    if keys in ("Home", "End"):
        return places[0 if keys == "Home" else last]
    if here is None:
        return places[0 if MOVES[keys] > 0 else last]
    return places[max(0, min(last, here + MOVES[keys]))]


def current_item(here: LiveChoice[Any, Any, Any]) -> object:
    """Return the chosen item, or `UNSEEN`."""
    value = here.value
    return UNSEEN if value is None else value


def toggles(here: LiveChoice[Any, Any, Any]) -> bool:
    """Return True if an open list's items are picked and taken away again, one by one."""
    return bool(here._decl.multiple) and here._listing and not is_read_only(here)


def toggle_item(turn: Turn, here: LiveChoice[Any, Any, Any]) -> None:
    """Pick the item that an open list of a multiple choice is at, or take it away; the list stays open."""
    item = would_take(here)
    if item is not UNSEEN:
        put_entry(turn, here, "pick", picked(here, item))
        if here.form.is_open and here._state.focus is here:
            turn.set(here, "_listing", True)


def open_list(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Open a list at the chosen item, or at the first one."""
    if not isinstance(here, LiveChoice) or is_read_only(here) or here._listing or not drops_down(here):
        return
    held = here.value if here._decl.multiple else () if here.value is None else (here.value,)
    at = here.choices.position(held[0]) if held else 0
    turn.set(here, "_listing", True)
    turn.set(here, "_at", here.choices[at] if at is not None and at < len(here.choices) else UNSEEN)


def close_list(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Close an open list; what was typed stays."""
    if isinstance(here, LiveChoice) and here._listing:
        turn.set(here, "_listing", False)


def release(turn: Turn, form: OpenForm, here: ControlState | None, repeat: bool) -> None:
    """Move the cursor in a text: nothing stays selected."""
    if here is not None and form._state.select:
        put_focus(turn, form, here)


KEYS: Final[Mapping[str, Callable[[Any, OpenForm, Any, bool], None]]] = {
    "Enter": enter_key,
    "Escape": escape,
    "Tab": lambda turn, form, here, repeat: go(turn, 1),
    "Shift+Tab": lambda turn, form, here, repeat: go(turn, -1),
    "Backspace": backspace,
    "Delete": delete,
    "Ctrl+A": select_all,
    "Space": space,
    "Left": release,
    "Right": release,
    "Alt+Down": open_list,
    "Alt+Up": close_list,
}
"""The other keys with a meaning of their own."""
