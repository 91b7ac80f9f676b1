"""Hostile calls: no traceback, exit codes 0, 1 and 2 only, and nothing printed that a terminal obeys."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from pathlib import Path
from random import Random
from typing import Any

import pytest
from click.testing import CliRunner

from fuselatch.cli import main
from fuselatch.core.model.visible import visible
from fuselatch.services import letter_bytes

ROOT = Path(__file__).parents[2]
TOURS = str(ROOT / "examples" / "tours.cues")
MODULE = r"""
import sys
from fuselatch import Button, Choice, Form, Group, Integer, Lines, Text
from fuselatch.scenes import Scene, scene
print("noise")

class Extra(Group):
    what = Text("What")

class Note(Form):
    text = Text("Text", look="multi-line")
    kind = Choice("Kind", choices=("a", "b"))
    count = Integer("Count", minimum=1)
    extras = Lines(Extra, "Extras")
    leave = Button("Leave")
    fails = Button("Fails")
    ok = Button("OK", closes="accepted")

    @leave.clicked
    def exits(self):
        print("noise")
        sys.exit(0)

    @fails.clicked
    def raises(self):
        raise KeyError("\x1b[2J\n3 cue sheets: 99 steps passed")

@scene
def noting():
    return Scene(Note)

@scene
def exits():
    raise SystemExit(0)

@scene
def fails():
    return 1 / 0

def odd(a: "Nope", *args, b: int = 5, **more): ...
def fine(a: str, b: float = float("nan")) -> None: ...
async def later(a: int): ...
"""


@pytest.fixture
def place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """A folder of hostile things, which is the current one."""
    (tmp_path / "hostile_notes.py").write_text(MODULE)
    (tmp_path / "good.cues").write_text("scene hostile_notes:noting\ntype text x\npress ok\n")
    (tmp_path / "exits.cues").write_text("scene hostile_notes:exits\ntab\n")
    (tmp_path / "fails.cues").write_text("scene hostile_notes:fails\ntab\n")
    (tmp_path / "leaves.cues").write_text("form hostile_notes:Note\npress leave\n")
    (tmp_path / "breaks.cues").write_text("form hostile_notes:Note\npress fails\n")
    (tmp_path / "broken.py").write_bytes(b"x = \xff\x00(")
    (tmp_path / "deep.py").write_text("x = " + "(" * 5000)
    (tmp_path / "deep.toml").write_text("x = " + "[" * 5000)
    (tmp_path / "deep.jsonl").write_text("[" * 5000)
    (tmp_path / "wide.csv").write_text("a,b\n1,2,3\n")
    (tmp_path / "binary.xlsx").write_bytes(bytes(range(256)))
    (tmp_path / "circle").symlink_to(tmp_path / "circle")
    (tmp_path / "a folder").mkdir()
    monkeypatch.chdir(tmp_path)
    yield tmp_path
    sys.modules.pop("hostile_notes", None)


WORDS = (
    "", ".", "..", "a folder", "circle", "good.cues", "exits.cues", "fails.cues", "leaves.cues", "breaks.cues", "nofile.cues",
    "hostile_notes.py", "broken.py", "deep.py", "nofile.py", "deep.toml", "deep.jsonl", "wide.csv", "binary.xlsx", "/dev/null",
    "/proc/self/mem", "hostile_notes:Note", "hostile_notes:noting", "hostile_notes:odd", "hostile_notes:fine", "hostile_notes:later",
    "broken:x", "deep:x", "os:abort", "sys:exit", ":", "a:", ":b", "a:b:c", "x" * 5000, "\x1b[2J", "\u202e", "-", "--", "-1", "1e9",
    "text.value", "Note.closed", "ok.clicked", "Note.exits", "postgresql://me:secret@/x?host=/nowhere", "sqlite:///x.db?timeout=x",
)  # fmt: skip
OPTIONS: dict[str, tuple[str, ...]] = {
    "rehearse": ("-q", "--json", "--why", "--step", "--pause-at", "--mute", "--reason", "--behaviour", "--behaviour-json",
                 "--traces", "--approved-only", "--records", "--policy", "--from", "--behaviour-picture"),
    "describe": ("--json", "--json-schema", "--events", "--dot", "--policy", "--from"),
    "check": ("--json", "-q", "--from"),
    "forms": ("--json",),
    "scenes": ("--json",),
    "generate": ("-o", "--overwrite", "--from"),
    "flipbook": ("-o", "--step", "--png", "--records", "--policy", "--from"),
    "timeline": ("-o",),
    "latches": ("--latch", "--user", "--key", "--reset", "--json"),
    "approve": ("--cues", "--by", "--from"),
    "nonsense": ("--help",),
}  # fmt: skip
ALONE = {
    "-q",
    "--json",
    "--step",
    "--behaviour",
    "--approved-only",
    "--json-schema",
    "--dot",
    "--overwrite",
    "--png",
    "--reset",
    "--help",
}


def must_end_well(words: list[str]) -> None:
    """Call the command line, and look at how it ends and what it prints."""
    result = CliRunner().invoke(main, words, input="e")
    assert isinstance(result.exception, SystemExit | None) and result.exit_code in (0, 1, 2), (words, result.exc_info)
    assert "Traceback" not in result.output, words
    for line in result.output.split("\n"):
        assert visible(line, 100_000) == line and "secret" not in line, (words, line)
    if "--json" in words and result.stdout.strip() and words[0] != "describe":
        for text in result.stdout.splitlines() if words[0] == "latches" else [result.stdout]:
            json.loads(text)


def test_no_call_ends_with_a_traceback(place: Path, draws: Iterator[Random]) -> None:
    for chance in draws:
        command = chance.choice([*OPTIONS])
        words = [command]
        for _ in range(chance.randrange(4)):
            option = chance.choice(OPTIONS[command])
            words += [option] if option in ALONE and chance.random() < 0.9 else [option, chance.choice(WORDS)]
        words += chance.choices(WORDS, k=chance.choice((0, 1, 1, 1, 2)))
        must_end_well(words)


@pytest.mark.parametrize(
    ("sheet", "code", "problem"),
    [
        ("exits", 2, "hostile_notes:exits failed: hostile_notes.py:34: SystemExit: 0"),
        ("fails", 2, "hostile_notes:fails failed: hostile_notes.py:38: ZeroDivisionError"),
        ("leaves", 1, "hostile_notes.py:22: SystemExit: 0"),
        ("breaks", 1, "KeyError: "),
    ],
)
def test_code_that_exits_or_raises_is_a_failure_and_json_stays_json(
    place: Path, sheet: str, code: int, problem: str
) -> None:
    for words in ([], ["--json"]):
        result = CliRunner().invoke(main, ["rehearse", *words, f"{sheet}.cues"])
        assert result.exit_code == code and problem in result.output, result.output
    told = json.loads(result.stdout)
    assert problem in str(told["unreadable"] + [each["problems"] for each in told["sheets"]])
    assert "noise" not in result.stdout
    sys.modules.pop("hostile_notes", None)
    assert json.loads(CliRunner().invoke(main, ["describe", "--json", "hostile_notes:Note"]).stdout)["name"] == "Note"


def test_an_error_of_the_library_is_one_line(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fuselatch.rehearsal.read_cue_file", lambda *given, **named: [][5])
    result = CliRunner().invoke(main, ["rehearse", "good.cues"])
    assert result.exit_code == 2 and result.stderr.startswith(
        "fuselatch: IndexError: list index out of range (an error of Fuse Latch"
    )
    monkeypatch.setenv("FUSELATCH_DEBUG", "1")
    assert isinstance(CliRunner().invoke(main, ["rehearse", "good.cues"]).exception, IndexError)


PIECES = (
    "scene hostile_notes:noting", "form hostile_notes:Note", "forms .", "scene os:abort", "forms /etc", "include good.cues", "include x.cues",
    "include /etc/shadow", "policy deep.toml", "policy /etc/passwd", "user {a}", "now {b}", "now 9999-12-31", "locale de", "locale {a}",
    "each a b", "row 1 2", "row x", "tab", "type text {a}", "type text \"\\u{1b}[2J\"", "type text \"\\u{FFFFFF}\"", "press ok", "press leave",
    "press fails", "wait 99999999h", "key b 99999999999", "key Enter 900", "add_line extras", "remove_line extras[7]", "pick kind a at 9",
    "expect not text.value {b}", "expect prompt \"a\\nb\"", "expect refused press ok because x", "expect", "expect not", "expect refused", "record 5",
    "type count -1", "answer OK", "close", "'", "\\", "# x", "\x00", "\x1b[2J", "type text " + "y" * 3000, "{", "row {a} {b}",
)  # fmt: skip


def test_no_cue_sheet_does_harm(place: Path, draws: Iterator[Random]) -> None:
    for chance in draws:
        lines = chance.choices(PIECES[:2], k=chance.random() < 0.8) + chance.choices(PIECES, k=chance.randrange(8))
        (place / "x.cues").write_text("\n".join(lines), encoding="utf-8", newline=chance.choice(("\n", "\r\n", "\r")))
        must_end_well(["rehearse", *chance.choice(([], ["-q"], ["--json"])), "x.cues"])


PARTS = ("Bob", " ", "<x@evil.example>", ", ", "\n", "\r\n", "=?utf-8?q?a=0ABcc:_x@evil.example?=", "\x1b", "\x00", "ü", "@", "b@mail.example",
         ";", ":", '"', "(", ")", "\\", "a" * 80, "=?utf-8?b?", "?=", "\u202e", ".")  # fmt: skip


def test_no_letter_says_more_than_it_shows(draws: Iterator[Random]) -> None:
    for chance in draws:
        letter = EmailMessage()
        given: dict[str, Any] = {"From": "office@mail.example", "To": "b@mail.example", "Subject": "Berth"}
        for name in chance.choices(("From", "To", "Cc", "Subject", "X-Note"), k=2):
            given[name] = "".join(chance.choices(PARTS, k=chance.randrange(1, 6)))
        try:
            for name, text in given.items():
                letter[name] = text
            letter.set_content("".join(chance.choices(PARTS, k=4)))
        except Exception:
            continue  # the email package itself refuses it, or fails at it
        try:
            data = letter_bytes(letter)
        except ValueError:
            continue
        again = message_from_bytes(data, policy=default)
        assert [name.lower() for name in again.keys()] == [name.lower() for name in letter.keys()]
        for name in ("From", "To", "Cc"):
            found = [each.addr_spec for value in again.get_all(name, ()) for each in value.addresses]
            assert found == [each.addr_spec for value in letter.get_all(name, ()) for each in value.addresses]


@pytest.mark.parametrize(
    ("shell", "code", "said"),
    [
        ("{fuselatch} rehearse {tours} >/dev/full", 2, "can't write: No space left on device"), ("{fuselatch} --help >/dev/full", 2, "can't write"),
        ("{fuselatch} rehearse {tours} | head -1; exit ${{PIPESTATUS[0]}}", 0, ""), ("{fuselatch} rehearse -q {tours} >&-", 0, ""),
        ("{fuselatch} rehearse -q nofile.cues 2>&-", 2, ""), ("{fuselatch} rehearse --step {tours} <&- >/dev/null", 1, "stopped before the end"),
        ("PYTHONIOENCODING=ascii {fuselatch} rehearse {tours} >/dev/null", 0, ""),
        ("PYTHONIOENCODING=latin-1 {fuselatch} rehearse {tours} >/dev/null", 0, ""),
        ("COLUMNS=0 {fuselatch} rehearse -q {tours} | grep -c passed >/dev/null", 0, ""),
        ("env -u HOME {fuselatch} rehearse -q {tours} >/dev/null", 0, ""),
        ("mkdir gone; cd gone; rmdir ../gone; {fuselatch} scenes", 2, "the current folder isn't there any more"),
        ("{fuselatch} rehearse -q --pause-at nonsense {tours} >/dev/null", 1, "this event was not raised"),
        ("{fuselatch} rehearse /", 2, "more than 200,000 files in /; name a smaller folder"),
        ("{fuselatch} check nofile.py", 2, "fuselatch: nofile.py: No such file or directory"),
    ],
)  # fmt: skip
def test_streams_and_surroundings_may_be_anything(tmp_path: Path, shell: str, code: int, said: str) -> None:
    line = shell.format(fuselatch=f"{sys.executable} -m fuselatch", tours=TOURS)
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "examples")}
    done = subprocess.run(["bash", "-c", line], cwd=tmp_path, env=environment, capture_output=True, text=True, timeout=300)
    assert done.returncode == code, done.stderr
    assert said in done.stderr and len(done.stderr.splitlines()) <= 3 and "Traceback" not in done.stderr
