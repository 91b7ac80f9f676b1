"""The exact order of events: every trace on the page is the trace of its gestures."""

from __future__ import annotations

import re
import shlex
from pathlib import Path
from typing import Any

import pytest

from fuselatch import Refused
from fuselatch.rehearsal import rehearse
from tests.helpers import told

PAGE = (Path(__file__).parents[2] / "docs" / "events.md").read_text(encoding="utf-8")
TRACES = [block.splitlines() for block in re.findall(r"^```trace\n(.*?)^```$", PAGE, re.M | re.S)]


def page_forms() -> tuple[Any, Any]:
    """The forms that the page declares: the one of the traces, and one that opens by name."""
    names: dict[str, Any] = {}
    block = next(block for block in re.findall(r"^```python\n(.*?)^```$", PAGE, re.M | re.S) if "class Stay" in block)
    exec(compile(block, "events.md", "exec", dont_inherit=True), names)
    return names["Stay"], names["Boats"]


@pytest.mark.parametrize("lines", TRACES, ids=[" ".join(lines[:3]) for lines in TRACES])
def test_the_order_on_the_page_is_the_order(lines: list[str]) -> None:
    gestures = [shlex.split(line[2:]) for line in lines if line.startswith("$ ")]
    expected = [line for line in lines if not line.startswith("$ ")]
    form, offered = page_forms()
    desk = rehearse(form)
    desk.scene.forms = [offered]
    desk.__enter__()
    start = 0
    for verb, *words in gestures:
        start = len(desk.trace)
        try:
            if verb == "set":
                getattr(desk.form, words[0]).value = False if words[1] == "no" else float(words[1])
            else:
                getattr(desk, verb)(*words)
        except Refused:
            assert expected[0].startswith("refused: ")
    assert told(desk.trace[start:]) == expected
    desk.session.close()


def test_each_numbered_rule_has_a_test_of_its_number() -> None:
    rules = (Path(__file__).parents[1] / "core" / "test_rules.py").read_text(encoding="utf-8")
    told = re.findall(r"^([0-9]+)\. \*\*", PAGE, re.M)
    assert told == [str(number) for number in range(1, 11)]
    assert all(f"def test_rule_{int(number):02d}_" in rules for number in told)


def test_the_page_has_a_trace_for_every_gesture() -> None:
    shown = {line.split()[1] for lines in TRACES for line in lines if line.startswith("$ ")}
    assert shown >= {
        "type",
        "paste",
        "focus",
        "tab",
        "back_tab",
        "key",
        "press",
        "pick",
        "tick",
        "answer",
        "hover",
        "set",
        "open",
        "double",
    }
