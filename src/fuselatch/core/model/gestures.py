"""Gestures: what a face tells the session that a person did."""

from __future__ import annotations

import shlex
from dataclasses import dataclass
from typing import Final

VERBS: Final = {
    "focus": "go to a control, as by clicking into it",
    "type": "change an entry's draft to a text (one key of typing)",
    "tab": "go on to the next control",
    "press": "press a button",
    "pick": "pick one of the choices, by its text",
    "tick": "put a tick",
    "untick": "take a tick away",
    "answer": "press a button of the prompt on top",
    "close": "press the close button of what is in front",
}
"""Every verb a gesture may have, with what a person does."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Gesture:
    """One thing a person does: a `verb` of `VERBS`, and as it needs them a control's path and a text."""

    verb: str
    control: str = ""
    text: str = ""

    def __str__(self) -> str:
        words = [self.verb, self.control] if self.control else [self.verb]
        if self.verb in ("type", "pick", "answer"):
            words.append(self.text)
        return shlex.join(words)
