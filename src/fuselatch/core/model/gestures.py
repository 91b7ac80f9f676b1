"""Gestures: the user's actions, as a front end sends them."""

from __future__ import annotations

import shlex
from dataclasses import dataclass
from typing import Final

VERBS: Final = {
    "focus": "move the focus to a control",
    "type": "replace an entry's draft (one keystroke)",
    "key": "press one key or shortcut",
    "tab": "move to the next control",
    "back_tab": "move to the previous control",
    "press": "press a button or label; without a control, click the form itself",
    "double": "double-click a control; without a control, the form itself",
    "pick": "pick one of the choices, by its text",
    "sort": "sort a table by a column; sort by the same column again to reverse",
    "tick": "tick a box",
    "untick": "untick a box",
    "hover": "move the pointer to a control",
    "unhover": "move the pointer away",
    "answer": "press a button of the open prompt",
    "close": "press the close button of the prompt, dialog or form in front",
    "record": "go to a record (next, previous, first, last, new or a key), or save or remove the current one",
    "add_line": "add a line at the end",
    "remove_line": "remove a line",
    "move_line": "move a line to a position (0 is the first)",
    "open": "open an offered form by its name, or bring it to the front",
}
"""Every verb, and what the user does."""


OF_LINES: Final = frozenset({"remove_line", "move_line"})
"""Verbs for a line as a whole."""

QUOTED: Final = frozenset({"type", "pick", "answer", "key", "open", "record"})
"""Verbs whose text is shown even if it is empty."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Gesture:
    """One thing that the user does: a verb of `VERBS`, a control's path and a text.

    `form`: the form's name in the view, "" for the front form. `repeat`: the key is held down; it types again but presses
    and closes nothing.
    """

    verb: str
    control: str = ""
    text: str = ""
    form: str = ""
    repeat: bool = False

    def __str__(self) -> str:
        words = f"{self.verb} {self.control}" if self.control else self.verb
        return f"{words} {shlex.quote(self.text)}" if self.text or self.verb in QUOTED else words
