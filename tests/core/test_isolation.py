"""The core does no I/O, and imports nothing that could."""

from __future__ import annotations

import ast
import json
import subprocess
import sys
from pathlib import Path

import pytest

import fuselatch.core

CORE = Path(fuselatch.core.__file__).parent

ALLOWED = frozenset(
    "__future__ abc array bisect collections contextlib contextvars copy dataclasses datetime decimal difflib enum functools greenlet hashlib heapq itertools json math mypy_extensions opcode operator pickle re shlex "
    "string sys types typing typing_extensions unicodedata weakref".split()
)
"""The modules that the core may import besides its own; `datetime` and `decimal` for their types, `typing_extensions` for checkers, `pickle` for errors that are pickled."""

NEVER = frozenset(
    "asyncio babel click io jinja2 locale logging multiprocessing pathlib random requests rich secrets selectors shutil "
    "socket sqlite3 ssl subprocess tempfile threading tkinter urllib".split()
)
"""Modules that no allowed import may bring along: interfaces, sockets, files, random numbers, locale."""


def imported(file: Path) -> set[str]:
    """Return the modules that a file imports, by their first name."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found.update(alias.name.partition(".")[0] for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            found.add((node.module or "").partition(".")[0])
    return found


def test_the_core_imports_only_what_is_allowed() -> None:
    found = {name for file in CORE.rglob("*.py") for name in imported(file)}
    assert found - {"fuselatch"} <= ALLOWED, found - ALLOWED
    modules = {
        node.module
        for file in CORE.rglob("*.py")
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8")))
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("fuselatch")
    }
    assert all(module.startswith("fuselatch.core") for module in modules)


def test_a_fresh_process_that_imports_the_core_loads_nothing_forbidden() -> None:
    program = (
        "import sys, json; before = set(sys.modules)\n"
        "import fuselatch.core.engine.session\n"
        "print(json.dumps(sorted({name.partition('.')[0] for name in set(sys.modules) - before})))"
    )
    answer = subprocess.run(
        [sys.executable, "-I", "-S", "-c", path_first(program)], capture_output=True, text=True, check=True
    )
    loaded = set(json.loads(answer.stdout))
    assert "fuselatch" in loaded and "greenlet" in loaded
    assert not loaded & NEVER, sorted(loaded & NEVER)


def path_first(program: str) -> str:
    """A program with this process's path, without site's files, which import at will."""
    return f"import sys; sys.path[:0] = {[path for path in sys.path if path]!r}\n{program}"


@pytest.mark.parametrize(
    ("name", "hint"),
    [("Session", "it is in fuselatch.frontends"), ("Policy", "it is in fuselatch.policy"), ("re", "choose from")],
)
def test_an_unknown_public_name_says_where_it_is(name: str, hint: str) -> None:
    with pytest.raises(AttributeError, match=f"module 'fuselatch' has no '{name}'; {hint}"):
        getattr(fuselatch, name)
