"""The page's script and its style: two files, each named after what is in it, so that a browser keeps them for good.

The modules in `static` are joined when the server starts: each becomes a function that returns what it exports, and comes
after those that it imports. There is no build step, and a developer reads the modules as they are.
"""

from __future__ import annotations

import gzip
import re
from collections.abc import Mapping
from functools import cache
from graphlib import TopologicalSorter
from hashlib import sha256
from pathlib import Path
from typing import Final, NamedTuple

STATIC: Final = Path(__file__).parent / "static"
START: Final = "page"
"""The module that begins."""
IMPORT: Final = re.compile(r'^import \{ ([^}]*) \} from "\./(\w+)\.js";$', re.MULTILINE)
EXPORT: Final = re.compile(r"^export (class|function|const) (\w+)", re.MULTILINE)
KINDS: Final = {".js": "text/javascript", ".css": "text/css", ".svg": "image/svg+xml"}


class Asset(NamedTuple):
    """A file: its bytes, the same packed by gzip, and its media type."""

    data: bytes
    packed: bytes
    kind: str


def script() -> str:
    """Return all modules as one, which begins with those that import nothing."""
    needed: dict[str, set[str]] = {}
    waiting = [START]
    while waiting:
        name = waiting.pop()
        if name not in needed:
            needed[name] = {match[2] for match in IMPORT.finditer(module(name))}
            waiting.extend(needed[name])
    return "\n".join(as_function(name) for name in TopologicalSorter(needed).static_order())


def module(name: str) -> str:
    """Return the text of a module."""
    return (STATIC / f"{name}.js").read_text(encoding="utf-8")


def as_function(name: str) -> str:
    """Return a module as a function that is called at once, and returns what the module exports."""
    text = module(name)
    exported = ", ".join(match[2] for match in EXPORT.finditer(text))
    text = EXPORT.sub(r"\1 \2", IMPORT.sub(r"const { \1 } = from_\2;", text))
    return f"const from_{name} = (() => {{\n{text}\nreturn {{ {exported} }};\n}})();"


@cache
def assets() -> Mapping[str, Asset]:
    """Return the files by name: the script, the style, the icon."""
    style, icon = (STATIC / "page.css").read_bytes(), (STATIC / "icon.svg").read_bytes()
    files = {".js": script().encode(), ".css": style, ".svg": icon}
    made: dict[str, Asset] = {}
    for suffix, data in files.items():
        made |= asset_of(data, suffix, KINDS[suffix])
    return made


def asset_of(data: bytes, suffix: str, kind: str) -> dict[str, Asset]:
    """Return a file by its name, which says what is in it."""
    return {f"{sha256(data).hexdigest()[:16]}{suffix}": Asset(data, gzip.compress(data, 9, mtime=0), kind)}


def name_of_asset(suffix: str) -> str:
    """Return the name of the file of a kind: ".js", ".css" or ".svg"."""
    return next(name for name in assets() if name.endswith(suffix))
