"""Write the steps of a cue sheet, with quotes if needed."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Final

from fuselatch.core.model.visible import JOINERS

BARE: Final = re.compile(r"""[^\s"'\\#{][^\s"'\\{]*""")
ESCAPED: Final = {"\\": "\\\\", '"': '\\"', "{": "\\{", "\n": "\\n", "\t": "\\t"}


def quoted(text: str) -> str:
    """Return text as a word that reads as it: what can't be seen is escaped, in double quotes."""
    if all(each.isprintable() or each in JOINERS for each in text):
        if BARE.fullmatch(text):
            return text
        if not any(mark in text for mark in ESCAPED):
            return f'"{text}"'
        if "'" not in text:
            return f"'{text}'"
    return f'"{"".join(map(escaped, text))}"'


def escaped(character: str) -> str:
    """Return a character as it stands in double quotes."""
    if character in ESCAPED:
        return ESCAPED[character]
    return character if character.isprintable() or character in JOINERS else f"\\u{{{ord(character):X}}}"


def written(verb: str, words: Iterable[str]) -> str:
    return f"{verb:<7} {' '.join(quoted(word) for word in words)}".rstrip()
