"""How a step is written in a cue sheet: its words, in quotes where they need them."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Final

BARE: Final = re.compile(r"""[^\s"'\\#{][^\s"'\\{]*""")


def quoted(text: str) -> str:
    """A word as it is written in a cue sheet: bare where it can be, else in quotes."""
    if BARE.fullmatch(text):
        return text
    if "'" not in text and not any(mark in text for mark in "\n\r"):
        return f'"{text}"' if not any(mark in text for mark in '"\\{') else f"'{text}'"
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("{", "\\{").replace("\r\n", "\n").replace("\r", "\n")
    return '"' + escaped.replace("\n", "\\n") + '"'


def written(verb: str, words: Iterable[str]) -> str:
    """A line of a cue sheet."""
    return f"{verb:<7} {' '.join(quoted(word) for word in words)}".rstrip()
