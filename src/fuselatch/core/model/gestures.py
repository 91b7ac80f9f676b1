"""Gestures: what a face tells the session that a person did."""

from __future__ import annotations

import shlex
from dataclasses import dataclass
from typing import Final

VERBS: Final = {
    "focus": "go to a control, as by clicking into it",
    "type": "change an entry's draft to a text (one key of typing)",
    "key": "press one key or shortcut, where the focus is",
    "tab": "go on to the next control",
    "back_tab": "go back to the control before",
    "press": "press a button, or click a label; without a control, the form's surface",
    "double": "click something twice; without a control, the form's surface",
    "pick": "pick one of the choices, by its text",
    "sort": "sort a table by one of its columns; by the same again, downwards",
    "tick": "put a tick",
    "untick": "take a tick away",
    "point": "bring the pointer to a control",
    "point_away": "take the pointer off to nothing",
    "answer": "press a button of the prompt on top",
    "close": "press the close button of what is in front",
    "record": "go to another record (next, previous, first, last, fresh, a key), or save or remove the one in hand",
    "add_line": "start a line at the end of the lines named",
    "remove_line": "take a line away",
    "move_line": "put a line at another place, counted from 0",
    "open": "open a form that the session offers by its name, or bring it to the front",
}
"""Every verb a gesture may have, with what a person does."""


OF_LINES: Final = frozenset({"remove_line", "move_line"})
"""Verbs that are about a line as a whole."""

QUOTED: Final = frozenset({"type", "pick", "answer", "key", "open", "record"})
"""Verbs whose text is told even where it is empty."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Gesture:
    """One thing a person does: a `verb` of `VERBS`, and as it needs them a control's path and a text.

    `form` is the name (in the view) of the form that it is made at, "" for the one in front. A key
    that is held down repeats: with `repeat` it types again, but presses and closes nothing.
    """

    verb: str
    control: str = ""
    text: str = ""
    form: str = ""
    repeat: bool = False

    def __str__(self) -> str:
        words = f"{self.verb} {self.control}" if self.control else self.verb
        return f"{words} {shlex.quote(self.text)}" if self.text or self.verb in QUOTED else words
