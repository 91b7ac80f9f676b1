"""`fuselatch show`, called as a macro in another language would, with a stand-in for the browser."""

from __future__ import annotations

import json
import shutil
import socket
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
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
        told = [json.loads(live.recv(20))]
        for number, step in enumerate(steps, 1):
            live.send(json.dumps({"number": number, "serial": 99, **step}))
            told.append(json.loads(live.recv(20)))
        return told


@pytest.mark.parametrize(("button", "code", "verdict"), [("book", 0, "accepted"), ("leave", 1, "cancelled")])
def test_a_form_is_shown_and_its_outcome_printed(button: str, code: int, verdict: str) -> None:
    process = start("stay:Stay", "--user", "imke", "--json")
    used(process, {"verb": "type", "control": "1.vessel", "text": "Eider"}, {"verb": "press", "control": f"1.{button}"})
    out, _ = process.communicate(timeout=30)
    values = {"vessel": "Eider", "nights": 1, "price": "34.00"} if code == 0 else {}
    assert json.loads(out) == {"verdict": verdict, "values": values, "overrides": []} and process.returncode == code


def test_a_folders_forms_are_shown_on_a_start_page() -> None:
    process = start(str(EXAMPLES))
    first, opened = used(process, {"verb": "open", "text": "Stay"})
    assert [each["title"] for each in first["view"]["offers"]][-2:] == ["Tours", "A week at the quay"]
    assert first["view"]["forms"] == [] and [each["whole"]["title"] for each in opened["forms"].values()] == [
        "A night at the quay"
    ]
    process.kill()
    process.communicate()


def test_only_what_is_approved_is_shown_if_so_chosen(tmp_path: Path) -> None:
    for name in ("stay.py", "stay.cues"):
        shutil.copy(EXAMPLES / name, tmp_path)
    call = ["--approved-only", "--json"]
    assert CliRunner().invoke(main, ["approve", str(tmp_path / "stay.py")]).exit_code == 0
    process = start("stay:Stay", *call, folder=tmp_path)
    used(process, {"verb": "press", "control": "1.leave"})
    assert process.communicate(timeout=30)[0].startswith('{"verdict": "cancelled"')
    with (tmp_path / "stay.py").open("a", encoding="utf-8") as file:
        file.write("# changed\n")
    out, errors = start("stay:Stay", *call, folder=tmp_path).communicate(timeout=30)
    assert out == "" and "stay.py has changed since" in errors
    out, errors = start(str(tmp_path), "--approved-only").communicate(timeout=30)
    assert out == "" and "stay.py has changed since" in errors


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("stay:Sty",), "stay has no form or scene 'Sty'; did you mean 'Stay'"),
        (("sty:Stay",), "module 'sty' not found; did you mean 'stay'"),
        (("stay",), "'stay' isn't a form; write MODULE:NAME"),
        (("harbours:HarbourForm", "--records", "nofile.db"), "nofile.db"),
        (("harbours:harbours", "--at", "99"), "'harbours' has no record '99'; choose from 1, 2"),
        (("stay:Stay", "--port", "TAKEN"), "can't use port"),
        (("stay:Stay", "--port", "70000"), "70000 is not in the range"),
        ((str(EXAMPLES), "--json"), "--at and --json are for one form"),
        ((str(EXAMPLES.parent / "docs"),), "has no forms"),
    ],
)
def test_an_error_is_one_line_and_code_2(words: tuple[str, ...], told: str) -> None:
    with socket.create_server(("127.0.0.1", 0)) as taken:
        process = start(*(word.replace("TAKEN", str(taken.getsockname()[1])) for word in words))
        out, errors = process.communicate(timeout=30)
    assert (process.returncode, out) == (2, "") and told in errors and "Traceback" not in errors
