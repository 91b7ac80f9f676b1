"""The pytest plugin: cue sheets as tests, the fixture, the text of a failure, and coverage of behaviour."""

from __future__ import annotations

from pathlib import Path

import pytest

pytest_plugins = ["pytester"]

ANCHOR = """
from fuselatch import Button, Choice, Form, Number, Prompt, Text, check, warn

class Inner(Form):
    word = Text("Word", required=True)
    take = Button("Take", closes="accepted")

class Mooring(Form):
    depth = Number("Depth", maximum=9)
    kind = Choice("Kind", choices=("chain", "rope"))
    rope = Text("Rope", enabled=lambda form: form.kind.value == "rope")
    ask_it = Button("Ask")
    more = Button("More")
    done = Button("Done", closes="accepted")
    sure = Prompt("Sure?", buttons=("Yes", "No"))

    @check(depth)
    def deep(self, depth):
        return warn("deep") if depth > 5 else None

    @ask_it.clicked
    def put(self):
        self.ask(self.sure)

    @more.clicked
    def open_more(self):
        self.open(Inner)
"""
CUES = {
    "good": "form anchor:Mooring\npress ask_it\nanswer Yes\npress done\n",
    "table": "form anchor:Mooring\neach depth ok\nrow 3 3\nrow 4 5\ntype depth {depth}\nfocus kind\nexpect depth.value {ok}\n",
    "_part": "press done\n",
    "typo": "form anchor:Mooring\nprss done\n",
}
TESTS = """
from anchor import Mooring
from fuselatch.rehearsal import rehearse

def test_fixture(rehearsal):
    desk = rehearsal(Mooring)
    desk.type("depth", "7")
    assert desk.form.rope.enabled

def test_left_open(rehearsal):
    rehearsal(Mooring).press("more")

def test_expect():
    with rehearse(Mooring) as desk:
        desk.expect("rope.enabled")

def test_no_rehearsal():
    pass
"""


@pytest.fixture
def folder(pytester: pytest.Pytester) -> Path:
    """A folder with a form, cue sheets and tests."""
    pytester.makepyfile(anchor=ANCHOR, test_anchor=TESTS)
    pytester.makeini("[pytest]\npythonpath = .\n")
    for name, text in CUES.items():
        (pytester.path / f"{name}.cues").write_text(text)
    return pytester.path


def run(pytester: pytest.Pytester, *words: str) -> str:
    """Return the output of pytest, run as a process."""
    return str(pytester.runpytest_subprocess("-q", "-p", "no:cacheprovider", "-p", "no:hypothesispytest", *words).stdout)


def test_cue_sheets_are_tests_and_say_what_was_expected(pytester: pytest.Pytester, folder: Path) -> None:
    told = run(pytester, "-rA", "good.cues", "table.cues", "typo.cues", ".")
    for line in (
        "PASSED good.cues::good",
        "PASSED table.cues::row 1 (3 3)",
        "table.cues:7:1: row 2 (4 5): expected depth.value 5, but it is 4",
        "  expected: depth.value 5",
        "  actual:   it is 4",
        "  why:      depth.value is 4",
        "typo.cues:2:1: unknown step 'prss'; did you mean 'press'?",
        "last trace entries:",
    ):
        assert line in told, line
    assert "_part" not in told


def test_a_failing_test_shows_why_the_trace_and_the_cue_sheet(pytester: pytest.Pytester, folder: Path) -> None:
    told = run(pytester, "test_anchor.py")
    assert "3 failed, 1 passed" in told
    first = told.partition("test_left_open")[0]
    for line in (
        "rope.enabled is no",
        "  set by its rule, which reads kind.value (blank)",
        "type    depth 7",
        "form    anchor:Mooring",
    ):
        assert line in first, line
    assert "still open: Inner is still open" in told
    assert "expected rope.enabled, but it is not enabled" in told and "expectations.py" not in told
