"""Write the steps of a cue sheet, with quotes if needed."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Final

BARE: Final = re.compile(r"""[^\s"'\\#{][^\s"'\\{]*""")


def quoted(text: str) -> str:
    if BARE.fullmatch(text):
        return text
    if "'" not in text and not any(mark in text for mark in "\n\r"):
        return f'"{text}"' if not any(mark in text for mark in '"\\{') else f"'{text}'"
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("{", "\\{").replace("\r\n", "\n").replace("\r", "\n")
    return '"' + escaped.replace("\n", "\\n") + '"'


def written(verb: str, words: Iterable[str]) -> str:
    return f"{verb:<7} {' '.join(quoted(word) for word in words)}".rstrip()
