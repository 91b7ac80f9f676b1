"""The first minute of a new user: the installed command in a terminal and through a pipe, folders with scripts, a page."""

from __future__ import annotations

import os
import pty
import re
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from click.testing import CliRunner

from fuselatch.cli import main

EXAMPLES = Path(__file__).parents[2] / "examples"
COMMAND = [sys.executable, "-m", "fuselatch"]


def in_terminal(*words: str, folder: Path = EXAMPLES) -> tuple[int, str]:
    """Run the command in a pseudo-terminal; return its exit code and what it shows."""
    inside, outside = pty.openpty()
    process = subprocess.Popen([*COMMAND, *words], stdin=outside, stdout=outside, stderr=outside, cwd=folder)
    os.close(outside)
    shown = b""
    while True:
        try:
            part = os.read(inside, 65536)
        except OSError:
            break
        if not part:
            break
        shown += part
    os.close(inside)
    return process.wait(60), re.sub(r"\x1b\[[0-9;?]*[a-zA-Z]", "", shown.decode()).replace("\r\n", "\n")


def through_pipe(*words: str, folder: Path = EXAMPLES) -> tuple[int, str]:
    """Run the command through a pipe; return its exit code and what it prints, problems included."""
    done = subprocess.run(
        [*COMMAND, *words], cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, timeout=60, check=False
    )
    return done.returncode, done.stdout


@pytest.mark.parametrize("run", [in_terminal, through_pipe])
def test_each_call_answers_in_a_terminal_and_through_a_pipe(run: object) -> None:
    assert callable(run)
    code, shown = run()
    assert code == 0 and shown.startswith("Usage: fuselatch") and "\n  rehearse  " in shown and "⏎" not in shown
    for words, said in (
        (["reherse"], "unknown command 'reherse'; did you mean 'rehearse'?"),
        (["rehearse"], "missing argument 'FILE.cues|FOLDER…'; try 'fuselatch rehearse --help'"),
        (["rehearse", "--quit", "x"], "no such option '--quit'; did you mean '--mute', '--quiet'?"),
        (
            ["explore", "stay:Stay", "--seed", "x"],
            "invalid value for '--seed': 'x' is not a valid integer; try 'fuselatch explore --help'",
        ),
        (["forms", ".", "x"], "got unexpected extra argument (x); try 'fuselatch forms --help'"),
        (["rehearse", "none.cues"], "none.cues: file not found"),
    ):
        code, shown = run(*words)
        assert code == 2 and shown.startswith(f"fuselatch: {said}") and shown.count("\n") == 1


SCRIPT = "from pathlib import Path\nfrom helpers import Worker\nPath('ran').touch()\nclass Nightly(Worker):\n    pass\n"
FORM = "from fuselatch import Button, Form\nfrom fuselatch.scenes import Scene, scene\n\n\n"
CLASS = "class Slip(Form):\n    'A slip.'\n    ok = Button('OK', closes='accepted')\n"


def test_only_files_that_declare_forms_or_scenes_are_imported(tmp_path: Path) -> None:
    (tmp_path / "nightly.py").write_text(SCRIPT)
    (tmp_path / "helpers.py").write_text(
        "from abc import ABC\nfrom pathlib import Path\nPath('ran').touch()\nclass Worker(ABC):\n    pass\n"
    )
    (tmp_path / "broken.py").write_text(f"{FORM}{CLASS}1 / 0\n")
    (tmp_path / "deep.py").write_text("from slips import Slip\nclass Long(Slip):\n    'A long slip.'\n")
    (tmp_path / "slips.py").write_text(
        f"from fuselatch import *\n{FORM}{CLASS}\n@scene\ndef quiet():\n    'Quiet.'\n    return Scene(Slip)\n"
    )
    (tmp_path / "all.cues").write_text("forms .\n\nopen Slip\npress ok\n")
    for words, code, said in (
        (["forms", "."], 2, "Long    Long\n        A long slip.\nSlip    Slip\n        A slip.\n"),
        (["scenes", "."], 2, "slips:quiet  Quiet.\n"),
        (["rehearse", "-q", "all.cues"], 0, "1 cue sheet: 2 steps passed, 0 failed\n"),
    ):
        found = through_pipe(*words, folder=tmp_path)
        assert found[0] == code and said in found[1], found
        assert "skipped broken.py: can't import broken: broken.py:" in found[1] and "ZeroDivisionError" in found[1]
    assert not (tmp_path / "ran").exists()


def test_check_goes_into_subfolders_and_names_what_it_can_not_follow(tmp_path: Path) -> None:
    for name in ("inner", ".hidden", "env"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "slip.py").write_text(f"{FORM}class Slip(Form):\n    ok = Button('OK', closes='acepted')\n")
    (tmp_path / "env" / "pyvenv.cfg").write_text("")
    (tmp_path / "starred.py").write_text(f"from fuselatch import *\n\n{CLASS}")
    (tmp_path / "made.py").write_text(
        f"{FORM}def make():\n    class Inner(Form):\n        pass\n    return type('B', (Form,), {{}})\n"
    )
    (tmp_path / "plain.py").write_text("class A(Exception):\n    class B(Exception):\n        pass\n")
    result = CliRunner().invoke(main, ["check", str(tmp_path)])
    told = result.output.replace(f"{tmp_path}/", "").splitlines()
    assert result.exit_code == 1 and told == [
        "inner/slip.py:6: closes='acepted' of ok is a verdict of your own, so no check runs; did you mean 'accepted'?",
        "made.py:6: not checked: class Inner is within 'make', and only a module's own classes are read; move it out",
        "starred.py:1: not checked: 'from fuselatch import *' hides which classes are forms; import each name",
        "2 files checked: 1 problem; 2 not checked",
    ]


def test_a_form_that_no_page_has_joined_says_where_it_is_and_waits(tmp_path: Path) -> None:
    chromium = tmp_path / "chromium"
    chromium.write_text("#!/bin/sh\nexit 1\n")
    chromium.chmod(0o755)
    surroundings = {**os.environ, "PATH": f"{tmp_path}{os.pathsep}{os.environ['PATH']}"}
    for name in ("DISPLAY", "WAYLAND_DISPLAY"):
        surroundings.pop(name, None)
    # A shell that runs the tests in the background lets them, and so this process, ignore Ctrl-C.
    heard = signal.signal(signal.SIGINT, signal.default_int_handler)
    words = [*COMMAND, "show", "stay:Stay"]
    pipe = subprocess.PIPE
    with subprocess.Popen(words, cwd=EXAMPLES, env=surroundings, stderr=pipe, stdout=pipe, text=True) as process:
        try:
            assert process.stderr is not None
            line = process.stderr.readline()
            assert line.startswith(
                "no page has joined: a browser was started, but it may have no display here. Open this address"
            )
            assert "http://127.0.0.1:" in line and process.poll() is None
            process.send_signal(signal.SIGINT)
            out, errors = process.communicate(timeout=60)
            assert (process.returncode, out, errors) == (2, "", "\nstopped\n")
        finally:
            process.kill()
            signal.signal(signal.SIGINT, heard)


WITHOUT = """
import importlib.util, sys

class Missing:
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] in {"starlette", "uvicorn", "websockets", "sqlalchemy", "openpyxl", "matplotlib", "watchfiles"}:
            raise ModuleNotFoundError(f"No module named {name!r}", name=name)

found = importlib.util.find_spec
importlib.util.find_spec = lambda name, package=None: None if name in ("sqlalchemy", "openpyxl", "starlette") else found(name, package)
sys.meta_path.insert(0, Missing())
import fuselatch, fuselatch.frontends, fuselatch.frontends.page, fuselatch.stores, fuselatch.services, fuselatch.rehearsal, pydoc
for package in (fuselatch, fuselatch.frontends, fuselatch.frontends.page, fuselatch.stores, fuselatch.rehearsal):
    exec(f"from {package.__name__} import *")
    pydoc.render_doc(package)
print("SqlRecords" in fuselatch.stores.__all__, callable(show_form))
class Slip(fuselatch.Form):
    ok = fuselatch.Button("OK", closes="accepted")
try:
    show_form(Slip)
except ImportError as error:
    print(error)
"""


def test_without_any_extra_everything_can_be_imported_and_looked_up() -> None:
    done = subprocess.run([sys.executable, "-c", WITHOUT], capture_output=True, text=True, timeout=60, check=False)
    assert done.stdout == "False True\npages need more packages (uvicorn): pip install 'fuse-latch[page]'\n", done.stderr
