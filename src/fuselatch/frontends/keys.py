"""Keys as gestures: what a key press means at a form."""

from __future__ import annotations

from typing import Final

from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.keys import normal

BY_WEB_NAME: Final = {
    "ArrowUp": "Up", "ArrowDown": "Down", "ArrowLeft": "Left", "ArrowRight": "Right",
    " ": "Space", "Esc": "Escape", "Del": "Delete",
}  # fmt: skip
"""The keys that browsers (UI Events) call differently."""


def key_gesture(key: str, *, ctrl: bool = False, alt: bool = False, shift: bool = False, repeat: bool = False) -> Gesture:
    """Return the gesture of a key: "Tab" moves the focus, any other is pressed.

    `key`: its name in UI Events ("Enter", "ArrowUp", "r"). Raises `ValueError` if it isn't a key that forms know.
    """
    name = BY_WEB_NAME.get(key, key)
    if name == "Tab" and not (ctrl or alt):
        return Gesture(verb="back_tab" if shift else "tab")
    # Shift is part of a character, and only counts with other modifiers or with a named key.
    shifted = shift and (len(name) > 1 or ctrl or alt)
    parts = [word for word, held in (("Ctrl", ctrl), ("Alt", alt), ("Shift", shifted)) if held]
    return Gesture(verb="key", text=normal("+".join([*parts, name])), repeat=repeat)
