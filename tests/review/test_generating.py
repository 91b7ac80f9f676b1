"""Generated forms, from functions and tables, pass mypy, ruff and their own cue sheets."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from click.testing import CliRunner

from fuselatch.cli import main
from fuselatch.rehearsal import read_cue_file, read_cues, run_cues
from fuselatch.rehearsal.loading import importing_from

ROOT = Path(__file__).parents[2]
FEES = '''
from datetime import date, time
from decimal import Decimal
from enum import Enum
from typing import Any, Literal

class Tide(Enum):
    SPRING = "spring"
    NEAP = "neap"

def late_fee(vessel: str, days: int, rate: Decimal, since: date = date(2031, 5, 1), *, at: time = time(9, 30),
             waived: bool = False, tide: Tide = Tide.NEAP, pier: Literal["North", "South"] = "North",
             note: str | None = None, length: float | None = None, title: str = "", run: int = 3) -> Decimal:
    """Return the fee of a vessel that is late.

    :param days: whole days
    vessel: her "name"
    """
    return rate * days

def shut(level: list[int], /, *more: int, kind: list[int] = [], **rest: Any) -> None:
    pass

def untyped(a, b=2.5, c=True, d="x"):
    return a

def nothing() -> None: ...

def unknown(a: "Nowhere") -> None: ...
'''


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """Return a folder with functions; afterwards no module is left over."""
    (tmp_path / "quay_fees.py").write_text(FEES)
    monkeypatch.chdir(tmp_path)
    yield tmp_path
    for name in [name for name in sys.modules if name == "quay_fees" or name.endswith("_form")]:
        del sys.modules[name]


def draft(*words: str) -> str:
    """Run the command; return its output."""
    result = CliRunner().invoke(main, ["generate", *words])
    assert result.exit_code == 0, result.output
    return result.output


def test_drafts_pass_mypy_ruff_and_their_cue_sheets(folder: Path) -> None:
    for name in ("late_fee", "shut", "untyped"):
        draft(f"quay_fees:{name}")
    for table in ("vessels", "bookings", "services"):
        draft(str(ROOT / "examples" / "saltmarsh" / "data" / f"{table}.csv"))
    (folder / "odd.csv").write_text(
        "id,What is it?,class,2nd,paid,leave\n1,x,w,1,true,2031-05-04\n2,y,w,2,false,2031-05-05\n"
    )
    draft("odd.csv")
    written = sorted(path.name for path in folder.glob("*_form.py"))
    assert len(written) == 7
    strict = "--strict", "--allow-untyped-calls", "--follow-imports=silent"
    for tool in (["mypy", *strict], ["ruff", "check", "--isolated"]):
        done = subprocess.run(
            [sys.executable, "-m", *tool, *written], cwd=folder, capture_output=True, text=True, timeout=300
        )
        assert done.returncode == 0, done.stdout + done.stderr
    with importing_from([folder]):
        for sheet in sorted(folder.glob("*.cues")):
            assert run_cues(read_cue_file(sheet)).problems == []


def test_a_macro_becomes_a_form_that_calls_it(folder: Path) -> None:
    assert "next: fuselatch rehearse late_fee_form.cues" in draft("quay_fees:late_fee")
    source = (folder / "late_fee_form.py").read_text()
    for line in (
        '    vessel = Text("Vessel", default=last_entered(), required=True, help="her \\"name\\"")',
        '    since = Date("Since", default=last_entered(first=date(2031, 5, 1)), required=True)',
        '    tide = Choice("Tide", choices=Tide, default=last_entered(first=Tide.NEAP), required=True)',
        '    length = Number("Length", default=last_entered())',
        '    title_ = Text("Title", ',
        "            title=self.title_.value,",
        "            run=self.run_.required_value,",
    ):
        assert line in source.replace("'her \"name\"'", '"her \\"name\\""'), line
    steps = "form late_fee_form:LateFeeForm\ntype vessel Teal\ntype days 3\ntype rate 2.50\npress run\nexpect result.value 7.50\n"
    with importing_from([folder]):
        assert run_cues(read_cues(steps, "x.cues")).problems == []


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("quay_fees:late_fe",), "quay_fees has no function 'late_fe'; did you mean 'late_fee'?"),
        (("quay_fees:Tide",), "quay_fees:Tide isn't a function; "),
        (("quay_fees:nothing",), "nothing has no parameters to fill in; add some, with type annotations"),
        (("quay_fees:unknown",), "can't read an annotation: name 'Nowhere' is not defined"),
        (("none.csv",), "file none.csv not found; no CSV files in this folder"),
    ],
)  # fmt: skip
def test_what_can_not_be_drafted_says_why(words: tuple[str, ...], message: str, folder: Path) -> None:
    result = CliRunner().invoke(main, ["generate", *words])
    assert (result.exit_code, result.output.startswith(f"fuselatch: {message}")) == (2, True), result.output
