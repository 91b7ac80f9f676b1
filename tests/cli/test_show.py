"""`fuselatch show`, called as a macro in another language would, with a stand-in for the browser."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

from click.testing import CliRunner

from fuselatch.cli import main
from tests.frontends.visitor import Visitor

EXAMPLES = Path(__file__).parents[2] / "examples"


def start(*words: str, folder: Path = EXAMPLES) -> subprocess.Popen[str]:
    call = [sys.executable, "-m", "fuselatch", "show", "--no-browser", "--from", str(folder), *words]
    return subprocess.Popen(call, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)


def used(process: subprocess.Popen[str], *steps: dict[str, str]) -> list[Any]:
    """Do these steps at the form that a call shows; return what is told."""
    assert process.stderr is not None
    host, _, token = process.stderr.readline().split()[1].removeprefix("http://").partition("/?token=")
    visitor = Visitor(host, token)
    visitor.enter()
    with visitor.live() as live:
        told = [json.loads(live.recv(120))]
        for number, step in enumerate(steps, 1):
            live.send(json.dumps({"number": number, "serial": 99, **step}))
            told.append(json.loads(live.recv(120)))
        return told


def test_only_what_is_approved_is_shown_if_so_chosen(tmp_path: Path) -> None:
    for name in ("stay.py", "stay.cues"):
        shutil.copy(EXAMPLES / name, tmp_path)
    call = ["--approved-only", "--json"]
    assert CliRunner().invoke(main, ["approve", str(tmp_path / "stay.py")]).exit_code == 0
    process = start("stay:Stay", *call, folder=tmp_path)
    used(process, {"verb": "press", "control": "1.leave"})
    assert process.communicate(timeout=120)[0].startswith('{"verdict": "cancelled"')
    with (tmp_path / "stay.py").open("a", encoding="utf-8") as file:
        file.write("# changed\n")
    out, errors = start("stay:Stay", *call, folder=tmp_path).communicate(timeout=120)
    assert out == "" and "stay.py has changed since" in errors
    out, errors = start(str(tmp_path), "--approved-only").communicate(timeout=120)
    assert out == "" and "stay.py has changed since" in errors
