"""Type checkers and forms: mypy (strict) and pyright find the marked errors, and no others."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]
EXAMPLES = Path(__file__).parent / "examples.py"
LINES = EXAMPLES.read_text(encoding="utf-8").splitlines()
MARKED = {number: line.rpartition("# E: ")[2] for number, line in enumerate(LINES, 1) if "# E: " in line}


def run(*words: str) -> str:
    """Return the output of a checker."""
    environment = {**os.environ, "PYRIGHT_PYTHON_IGNORE_WARNINGS": "1"}
    call = [sys.executable, "-m", *words]
    return subprocess.run(call, capture_output=True, text=True, cwd=ROOT, check=False, env=environment, timeout=300).stdout


def test_mypy_finds_the_marked_errors_and_no_others() -> None:
    out = run("mypy", "--strict", "--no-error-summary", "--hide-error-context", str(EXAMPLES))
    found = {int(line): code for line, code in re.findall(r"examples\.py:(\d+): error: .*\[([\w-]+)\]$", out, re.M)}
    assert found == MARKED, out


def test_pyright_finds_an_error_at_each_marked_line_and_no_others() -> None:
    answer = json.loads(run("pyright", "--outputjson", "--pythonpath", sys.executable, str(EXAMPLES)))
    errors = {
        found["range"]["start"]["line"] + 1: found["message"]
        for found in answer["generalDiagnostics"]
        if found["severity"] == "error"
    }
    assert errors.keys() == MARKED.keys(), errors
