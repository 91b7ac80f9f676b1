"""Keys and shortcuts in one spelling."""

from __future__ import annotations

from typing import Final

MODIFIERS: Final = ("Ctrl", "Alt", "Shift")
NAMED: Final = (
    "Enter", "Escape", "Tab", "Space", "Backspace", "Delete", "Insert", "Home", "End", "PageUp", "PageDown",
    "Up", "Down", "Left", "Right", *(f"F{number}" for number in range(1, 13)),
)  # fmt: skip
"""Keys that have a name. Any other key is the character that it types."""

IN_LINES: Final = "Insert"
"""The key that adds a line, in lines."""
BY_FOLDED: Final = {name.casefold(): name for name in (*MODIFIERS, *NAMED)}


def normal(keys: str) -> str:
    """Return a key or shortcut in its one spelling: `ctrl+shift+r` is "Ctrl+Shift+R".

    Raises `ValueError` if it isn't a key.
    """
    *before, last = keys.split("+") if len(keys) > 1 else [keys]
    modifiers = {BY_FOLDED.get(part.strip().casefold(), part) for part in before}
    unknown = sorted(modifiers - set(MODIFIERS))
    last = BY_FOLDED.get(last.strip().casefold(), last)
    if unknown or not last or (len(last) > 1 and last not in NAMED):
        wrong = unknown[0] if unknown else last
        raise ValueError(f"'{wrong}' in '{keys}' isn't a key; write Ctrl+Enter, F5, Escape or one character")
    if modifiers and len(last) == 1:
        last = last.upper()
    return "+".join([*(name for name in MODIFIERS if name in modifiers), last])
