"""Approvals: what was read while cue sheets ran, and nothing else is run by `--approved-only`."""

from __future__ import annotations

import json
import py_compile
import shutil
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from click.testing import CliRunner, Result

from fuselatch.cli import main
from fuselatch.rehearsal.approval import objection

FORM = """
from fuselatch import Button, Form, Text
{first}

class Note(Form):
    text = Text("Text", default=str(VALUE))
    ok = Button("OK", closes="accepted")
"""
HELPER = "VALUE = 7\n"
SHEET = "form {module}:Note\nexpect text.value 7\npress ok\n"


def run(*words: object) -> Result:
    """Run the command line."""
    return CliRunner().invoke(main, [str(word) for word in words])


def made(folder: Path, first: str = "from helper import VALUE", module: str = "note", **files: str) -> Path:
    """Write a file of forms, its cue sheet and its helpers; return the file."""
    files = {f"{module.replace('.', '/')}.py": FORM.format(first=first), "note.cues": SHEET.format(module=module), **files}
    for name, text in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="latin-1" if "latin-1" in text else "utf-8")
    return folder / f"{module.replace('.', '/')}.py"


def linked(folder: Path) -> Path:
    """Write a helper that is a link to a file elsewhere."""
    (folder / "shared").mkdir()
    (folder / "shared" / "real.py").write_text(HELPER)
    (folder / "own").mkdir()
    (folder / "own" / "helper.py").symlink_to(folder / "shared" / "real.py")
    return made(folder / "own")


WAYS: list[tuple[str, Callable[[Path], Path], str]] = [
    ("the file itself", lambda at: made(at, **{"helper.py": HELPER}), "note.py"),
    ("a helper", lambda at: made(at, **{"helper.py": HELPER}), "helper.py"),
    ("a package's own file", lambda at: made(at, "VALUE = 7", "quay.note", **{"quay/__init__.py": ""}), "quay/__init__.py"),
    ("a standard name", lambda at: made(at, "from tabnanny import VALUE", **{"tabnanny.py": HELPER}), "tabnanny.py"),
    ("latin-1", lambda at: made(at, **{"helper.py": f"# -*- coding: latin-1 -*- é\n{HELPER}"}), "helper.py"),
    ("a link", linked, "shared/real.py"),
    ("a computed name", lambda at: made(at, 'VALUE = __import__("hel" + "per").VALUE', **{"helper.py": HELPER}), "helper.py"),
    ("a cue sheet", lambda at: made(at, **{"helper.py": HELPER}), "note.cues"),
    ("an included sheet", lambda at: made(at, **{"helper.py": HELPER, "note.cues": f"{SHEET.format(module='note')}include _more.cues\n",
                                                "_more.cues": "# nothing\n"}), "_more.cues"),
    ("a row of a table", lambda at: made(at, **{"helper.py": HELPER, "note.cues":
        "form {module}:Note\neach module\nrow note\nexpect text.value 7\npress ok\n"}), "helper.py"),
    ("a policy", lambda at: made(at, **{"helper.py": HELPER, "note.cues": f"policy p.toml\n{SHEET.format(module='note')}", "p.toml": ""}),
     "p.toml"),
]  # fmt: skip


@pytest.mark.parametrize(("make", "touched"), [way[1:] for way in WAYS], ids=[way[0] for way in WAYS])
def test_what_was_read_is_what_is_approved(tmp_path: Path, make: Callable[[Path], Path], touched: str) -> None:
    file = make(tmp_path)
    sheet, root = file.parent / "note.cues", ["--from", str(tmp_path)]
    sheet = sheet if sheet.exists() else tmp_path / "note.cues"
    result = run("rehearse", "-q", "--approved-only", sheet, *root)
    assert result.exit_code == 1 and f"{file.name} is not approved; approve it with" in result.output
    result = run("approve", file, "--by", "Nolke", "--cues", sheet, *root)
    assert result.exit_code == 0, result.output
    assert run("rehearse", "-q", "--approved-only", sheet, *root).exit_code == 0 and objection(file) == ""
    mark = tmp_path / "was run"
    text = (tmp_path / touched).read_bytes()
    (tmp_path / touched).write_bytes(text.replace(b"\n", b"\r\n"))  # as another system checks it out
    assert run("rehearse", "-q", "--approved-only", sheet, *root).exit_code == 0
    (tmp_path / touched).write_bytes(
        text + (f"open({str(mark)!r}, 'w').close()\n".encode() if touched.endswith(".py") else b"# more\n")
    )
    result = run("rehearse", "-q", "--approved-only", sheet, *root)
    assert result.exit_code == 1 and "has changed since Nolke approved it" in result.output, result.output
    assert not mark.exists() and "has changed since Nolke" in objection(file)
    assert run("rehearse", "-q", sheet, *root).exit_code == 0 and mark.exists() is touched.endswith(".py")


def test_code_without_its_text_is_not_approved_and_cached_code_is_not_run(tmp_path: Path) -> None:
    file = made(tmp_path, **{"helper.py": HELPER})
    assert run("approve", file, "--by", "Nolke").exit_code == 0
    mark = tmp_path / "was run"
    (tmp_path / "evil.py").write_text(f"open({str(mark)!r}, 'w').close()\n{HELPER}")
    cache = tmp_path / "__pycache__" / f"helper.{sys.implementation.cache_tag}.pyc"
    py_compile.compile(
        str(tmp_path / "evil.py"), str(cache), invalidation_mode=py_compile.PycInvalidationMode.UNCHECKED_HASH
    )
    assert run("rehearse", "-q", "--approved-only", tmp_path / "note.cues").exit_code == 0 and not mark.exists()
    assert run("rehearse", "-q", tmp_path / "note.cues").exit_code == 0 and mark.exists()
    shutil.move(cache, tmp_path / "helper.pyc")
    (tmp_path / "helper.py").unlink()
    mark.unlink()
    for call in (("approve", file), ("rehearse", "-q", "--approved-only", tmp_path / "note.cues")):
        result = run(*call)
        assert result.exit_code in (1, 2) and "helper.pyc isn't a Python source file" in result.output and not mark.exists()


def test_the_current_folder_may_have_the_forms_of_approved_sheets(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = made(tmp_path, **{"helper.py": HELPER, "cues/x.cues": SHEET.format(module="note")})
    monkeypatch.chdir(tmp_path)
    assert run("approve", file, "--by", "Nolke").exit_code == 0
    result = run("rehearse", "-q", "--approved-only", "cues/x.cues")
    assert result.exit_code == 0, result.output


def test_what_can_not_be_approved_is_told_and_changes_no_approval(tmp_path: Path) -> None:
    file = made(tmp_path, **{"helper.py": HELPER})
    assert run("approve", file, "--by", "Nolke").exit_code == 0
    note = tmp_path / "note.approval.json"
    before = json.loads(note.read_text())
    assert (before["by"], before["cue_sheets"], [*before["files"]]) == (
        "Nolke",
        {"note.cues": 2},
        ["helper.py", "note.cues", "note.py"],
    )
    sheet = tmp_path / "note.cues"
    for call, text, why in (
        ((sheet,), SHEET.format(module="note"), "only Python files of forms can be approved"),
        ((tmp_path / "helper.py", "--cues", sheet), SHEET.format(module="note"), "defines neither a form nor a scene"),
        ((file,), "form note:Note\n", "no cue sheet with steps"),
        ((file,), "form note:Note\nexpect text.value 8\n", "note.py: not approved"),
        ((file,), "form note:Note\nprss ok\n", "unknown step 'prss'"),
        ((file,), "form pytest:Item\ntab\n", "no cue sheet with steps"),
    ):
        sheet.write_text(text)
        result = run("approve", *call)
        assert result.exit_code in (1, 2) and why in result.output and "⏎" not in result.output, result.output
    sheet.write_text("forms /etc\ntab\n")
    assert "outside the folders" in run("approve", file, "--cues", sheet).output
    assert json.loads(note.read_text()) == before
    sheet.write_text("form pytest:Item\ntab\n")
    assert "belongs to an installed package" in run("rehearse", "-q", "--approved-only", sheet).output
    sheet.write_text(SHEET.format(module="note"))
    for broken in ("[", "[]", '{"file": 5}', json.dumps({**before, "version": 1})):
        note.write_text(broken)
        result = run("rehearse", "-q", "--approved-only", sheet)
        assert result.exit_code == 1 and "note.approval.json is" in result.output and "Traceback" not in result.output
