"""Stepping, muting, watching, and JSON output."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from time import monotonic, sleep

import pytest
from click.testing import CliRunner, Result
from hypothesis import given
from hypothesis import strategies as st

from fuselatch.cli import main
from fuselatch.rehearsal import read_cue_file, run_cues
from fuselatch.rehearsal.imports import files_behind
from fuselatch.rehearsal.stepping import COMMANDS, Command, Stepping, Stop
from tests.helpers import examples

ROOT = Path(__file__).parents[2]
CUES = ROOT / "examples" / "saltmarsh" / "cues"
OVERHANG = read_cue_file(CUES / "overhang.cues")


def run(*words: str, keys: str = "") -> Result:
    """Run the command line."""
    return CliRunner().invoke(main, list(words), input=keys)


def stops(commands: list[Command], pause_at: tuple[str, ...] = ()) -> tuple[list[str], bool]:
    """Return the stops of stepping with these answers, as line and event, and True if it got to the end."""
    found: list[str] = []
    left = iter(commands)

    def ask(stop: Stop) -> Command:
        found.append(f"{stop.cue.line if stop.cue else 0} {stop.event}")
        return next(left, "end")

    done = Stepping(OVERHANG, ask, pause_at).run()
    return found, done is not None and done.problems == []


AT_BERTH = ["10 berth.changed", "17 berth.changed", "19 berth.changed"]
STOPS: list[tuple[list[Command], tuple[str, ...], list[str]]] = [
    (["event", "event"], (), ["0 BookingForm.opened", "0 vessel.entered", "5 vessel.typed"]),
    (["gesture", "gesture"], (), ["0 BookingForm.opened", "5 vessel.typed", "6 vessel.changed"]),
    ([], ("berth.changed",), ["10 berth.changed", "17 berth.changed", "19 berth.changed"]),
    (["event"], ("berth.changed",), ["10 berth.changed", "11 berth.leaving", "17 berth.changed", "19 berth.changed"]),
    (["gesture", "gesture", "back"], (), ["0 BookingForm.opened", "5 vessel.typed", "6 vessel.changed", "5 vessel.typed"]),
    (["back"], (), ["0 BookingForm.opened", "0 BookingForm.opened"]),
    (["back", "end"], ("berth.changed",), ["10 berth.changed", "8 nights.changed", *AT_BERTH]),
]


@pytest.mark.parametrize(("commands", "pause_at", "expected"), STOPS, ids=range(len(STOPS)))
def test_where_stepping_stops(commands: list[Command], pause_at: tuple[str, ...], expected: list[str]) -> None:
    assert stops(commands, pause_at) == (expected, True)


@given(st.lists(st.sampled_from([each for each in COMMANDS if each != "stop"]), max_size=12))
@examples(0.25)
def test_however_one_steps_the_rehearsal_is_the_same(commands: list[Command]) -> None:
    left = iter(commands)
    done = Stepping(OVERHANG, lambda stop: next(left, "end")).run()
    assert done is not None and done.trace.to_jsonl() == run_cues(OVERHANG).trace.to_jsonl()


def test_a_stop_shows_the_form_what_is_queued_and_what_ran(tmp_path: Path) -> None:
    result = run("rehearse", str(CUES / "overhang.cues"), "--pause-at", "price.changed", keys="xqe")
    assert "6  type    length 17.2" in (told := result.output) or "7  type    nights 2" in told
    assert "before price.changed" in told and "│ Price       68.00 EUR" in told and "└─ price.value: blank → 68.00" in told
    assert "not a command ('x'). Enter: next event" in told and "passed" not in told
    words = ("rehearse", str(CUES / "office.cues"), "--pause-at", "extras.line_added", "--records", str(tmp_path))
    for table in (CUES.parent / "data").glob("*.csv*"):
        shutil.copy(table, tmp_path)
    assert f"can't go back: {tmp_path} has already been written" in run(*words, keys="bq").output
    told = run("rehearse", str(CUES / "overhang.cues"), "--pause-at", "pier.chnged", keys="").output
    assert "--pause-at pier.chnged: this event was not raised; did you mean 'pier.changed'?" in told


def test_a_handler_is_left_out_and_the_report_says_why() -> None:
    words = ("rehearse", "-q", str(CUES / "overhang.cues"), "--mute", "BookingForm.confirm_overhang")
    result = run(*words, "--reason", "no list of berths today", "--why", "confirm_overhang")
    assert result.exit_code == 1 and "but no prompt is open" in result.output
    assert "muted: BookingForm.confirm_overhang (no list of berths today)" in result.output
    assert "BookingForm.confirm_overhang is muted: no list of berths today" in result.output
    for wrong, told in (
        (("--mute", "BookingForm.confirm"), "unknown handler 'BookingForm.confirm'; did you mean"),
        (("--reason", "x"), "--reason explains --mute; add --mute FORM.HANDLER"),
        (("--json", "--step"), "--json can't be used with --step"),
    ):
        result = run("rehearse", str(CUES / "overhang.cues"), *wrong)
        assert (result.exit_code, told in result.output) == (2, True), result.output


def test_machines_are_told_each_step(tmp_path: Path) -> None:
    (tmp_path / "bad.cues").write_text("form stay:Stay\nprss x\n")
    (tmp_path / "two.cues").write_text("form stay:Stay\neach n\nrow 1\nrow 31\ntype nights {n}\nexpect nights.text 1\n")
    result = run("rehearse", "--json", str(tmp_path), "--traces", str(tmp_path / "out"))
    told = json.loads(result.stdout)
    assert (result.exit_code, told["passed"], told["failed"]) == (2, 3, 1)
    assert told["unreadable"] == [f"{tmp_path}/bad.cues:2:1: unknown step 'prss'; did you mean 'press'?"]
    assert [sheet["row"] for sheet in told["sheets"]] == ["row 1 (1)", "row 2 (31)"]
    assert told["sheets"][1]["steps"][1]["problem"] == "expected nights.text 1, but it is '31'"
    (tmp_path / "again").mkdir()
    shutil.copy(tmp_path / "two.cues", tmp_path / "again")
    run("rehearse", "-q", str(tmp_path / "two.cues"), str(tmp_path / "again"), "--traces", str(tmp_path / "both"))
    assert len(list((tmp_path / "both").iterdir())) == 4
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == ["two.row-1.trace.jsonl", "two.row-2.trace.jsonl"]


@pytest.fixture
def ways(tmp_path: Path) -> Iterator[Path]:
    """Return a copy of an example with its cue sheet; afterwards no module is left over."""
    for name in ("beside.py", "beside.cues"):
        shutil.copy(ROOT / "examples" / "ways" / name, tmp_path)
    yield tmp_path
    sys.modules.pop("beside", None)


def test_what_a_file_imports_is_read_off_it(tmp_path: Path) -> None:
    for name in ("__init__", "a", "b", "inner/__init__", "inner/c", "inner/d", "unused"):
        file = tmp_path / "quay" / f"{name}.py"
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(
            {
                "a": "from . import b\nfrom .inner.c import x\nimport json\n",
                "inner/c": "from ..b import y\nfrom .d import z\n",
            }.get(name, "")
        )
    found = {file.relative_to(tmp_path / "quay").as_posix() for file in files_behind(tmp_path / "quay" / "a.py", [])}
    assert found - {"__init__.py", "inner/__init__.py"} == {"a.py", "b.py", "inner/c.py", "inner/d.py"}


def test_a_saved_file_is_rehearsed_again_at_once(ways: Path, tmp_path: Path) -> None:
    log = tmp_path / "log"
    call = [sys.executable, "-m", "fuselatch", "rehearse", "-q", "--watch", str(ways)]
    with (
        log.open("w") as out,
        subprocess.Popen(call, stdout=out, stderr=out, env={**os.environ, "PYTHONUNBUFFERED": "1"}) as process,
    ):

        def wait_for(part: str) -> None:
            start = monotonic()
            while part not in log.read_text():
                assert monotonic() - start < 120, log.read_text()
                sleep(0.02)

        try:
            wait_for("watching 2 files")
            # The watcher itself begins a little later: what is written before that isn't seen.
            for number in range(600):
                (ways / "beside.py").write_text(f"x = {number}\n")
                sleep(0.2)
                if "changed: beside.py" in log.read_text():
                    break
            wait_for("changed: beside.py")
            wait_for("has no form")
        finally:
            process.kill()
