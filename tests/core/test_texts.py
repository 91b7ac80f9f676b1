"""The table of texts for the user: each is used, with all its facts, and no such text stands elsewhere."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path
from string import Formatter

import fuselatch
from fuselatch.core.model.texts import TEXTS

SOURCES = [path for path in Path(fuselatch.__file__).parent.rglob("*.py") if path.name != "texts.py"]
CALLS = [
    (f"{path.name}:{node.lineno}", node)
    for path in SOURCES
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
    if isinstance(node, ast.Call) and node.args
]


def fields(text: str) -> set[str]:
    return {name for _, name, _, _ in Formatter().parse(text) if name}


def ids(node: ast.expr) -> set[str]:
    """Return the ids that an expression can stand for; of a computed part any text."""
    if isinstance(node, ast.Constant):
        return {str(node.value)}
    if isinstance(node, ast.IfExp):
        return ids(node.body) | ids(node.orelse)
    if isinstance(node, ast.JoinedStr):
        parts = [re.escape(str(part.value)) if isinstance(part, ast.Constant) else ".+" for part in node.values]
        return {each for each in TEXTS if re.fullmatch("".join(parts), each)}
    return set()


def called(name: str) -> Iterator[tuple[str, ast.Call]]:
    return ((where, call) for where, call in CALLS if isinstance(call.func, ast.Name) and call.func.id == name)


def test_each_call_passes_what_its_text_shows() -> None:
    for where, call in called("user_text"):
        passed = {keyword.arg for keyword in call.keywords}
        found = ids(call.args[0])
        assert found <= set(TEXTS), where
        fits = [fields(TEXTS[each]) <= passed or None in passed for each in found]
        # An id that starts with a computed part, such as "minimum.time", can be any of its kind.
        started = isinstance(call.args[0], ast.JoinedStr) and not isinstance(call.args[0].values[0], ast.Constant)
        assert any(fits) if started else all(fits), f"{where}: {found}"


def test_each_text_is_used() -> None:
    words = " ".join(path.read_text(encoding="utf-8") for path in SOURCES)
    used = {each for _, call in called("user_text") for each in ids(call.args[0])}
    assert [each for each in TEXTS if each not in used and f'"{each}"' not in words] == []


def test_no_text_for_the_user_stands_elsewhere() -> None:
    for kind in ("Finding", "Unparsable", "Prompt"):
        for where, call in called(kind):
            first = call.args[0]
            parts = [first] if isinstance(first, ast.Constant) else first.values if isinstance(first, ast.JoinedStr) else []
            written = " ".join(str(part.value) for part in parts if isinstance(part, ast.Constant))
            assert not re.search(r"[a-z]{2}", re.sub(r"\{\w+\}", "", written)), f"{where}: {written}"
