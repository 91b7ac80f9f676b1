"""Cue sheets from strangers: what they may name, and how much of it."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from importlib import import_module
from pathlib import Path
from typing import Any

import pytest

from fuselatch import DeclarationError
from fuselatch.rehearsal import CueError, read_cue_file, run_cues
from fuselatch.rehearsal.loading import forget_imports, importing_from, scenes_in, scenes_offered
from fuselatch.rehearsal.reach import LARGEST
from fuselatch.scenes import scene

MODULE = """
from fuselatch import Form, Text
from fuselatch.scenes import Scene, scene

class Note(Form):
    text = Text("Text")

@scene
def noting():
    "Note something."
    return Scene(Note)

def unmarked() -> Scene:
    return Scene(Note)

def tidy_up():
    raise SystemExit("called")
"""
OPEN = "scene notes_at_hand:noting\n"


@pytest.fixture
def own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """The folder of a stranger's sheet, with things to reach for around it. The current folder is another one."""
    folder = tmp_path / "own"
    for place in (folder, tmp_path / "elsewhere", tmp_path / "out"):
        place.mkdir()
    (folder / "notes_at_hand.py").write_text(MODULE)
    (tmp_path / "out" / "secret.cues").write_text("root:secret\n")
    (tmp_path / "out" / "secret.toml").write_text("root = [\n")
    (folder / "link.cues").symlink_to(tmp_path / "out" / "secret.cues")
    (folder / "link.toml").symlink_to(tmp_path / "out" / "secret.toml")
    (folder / "linked").symlink_to(tmp_path / "out")
    (folder / "circle.cues").symlink_to(folder / "circle.cues")
    os.mkfifo(folder / "pipe.cues")
    (folder / "large.cues").write_bytes(b"#" * (LARGEST + 1))
    (folder / "wrong.cues").write_text("prss\n")
    (folder / "wraps.cues").write_text("include wrong.cues\n")
    (folder / "itself.cues").write_text("include itself.cues\n")
    for number in range(102):
        (folder / f"n{number}.cues").write_text(f"include n{number + 1}.cues\n")
    (folder / "leaf.cues").write_text("tab\n")
    (folder / "many.cues").write_text("include leaf.cues\n" * 101)
    (tmp_path / "out" / "on-the-path.py").write_text(MODULE)
    monkeypatch.syspath_prepend(tmp_path / "out")
    monkeypatch.chdir(tmp_path / "elsewhere")
    with importing_from([folder]):
        yield folder
    sys.modules.pop("notes_at_hand", None)


OUTSIDE = "is outside the folders that a cue sheet may use; add its folder with --from FOLDER"
WRONG: list[tuple[str, str]] = [
    *((f"scene {name}", f"cue sheets can't import '{name.partition(':')[0]}'")
      for name in ("os:abort", "sys:exit", "code:interact", "unittest.mock:call", "fuselatch.scenes:open_session", "_thread:exit")),
    ("scene not-a-name:x", "module 'not-a-name' not found"),
    ("scene .os:abort", "module '.os' not found"),
    ("scene on-the-path:noting", "cue sheets can't import 'on-the-path'"),
    ("form json:JSONDecoder", "cue sheets can't import 'json'"),
    ("scene notes_at_hand:unmarked", "isn't marked as a scene; choose from noting"),
    ("scene notes_at_hand:tidy_up", "isn't marked as a scene; choose from noting"),
    ("scene notes_at_hand:Scene", "isn't marked as a scene; choose from noting"),
    ("form notes_at_hand:noting", "isn't a form; did you mean 'Note'?"),
    ("forms /etc", f"'/etc' {OUTSIDE}"),
    ("forms ../out", f"'../out' {OUTSIDE}"),
    ("forms linked", f"'linked' {OUTSIDE}"),
    (f"{OPEN}include /etc/shadow", f"x.cues:2:9: '/etc/shadow' {OUTSIDE}"),
    (f"{OPEN}include ../out/secret.cues", OUTSIDE),
    (f"{OPEN}include link.cues", f"'link.cues' {OUTSIDE}"),
    (f"{OPEN}include linked/secret.cues", OUTSIDE),
    (f"{OPEN}include circle.cues", "links lead in a circle"),
    (f"{OPEN}include 'a\0b'", "this isn't the name of a file"),
    (f"{OPEN}include {'n' * 5000}", "file 'nnn"),
    (f"{OPEN}include pipe.cues", "file 'pipe.cues': not a regular file"),
    (f"{OPEN}include large.cues", "file 'large.cues': larger than 4 MB"),
    (f"{OPEN}include .", "file '.': Is a directory"),
    (f"{OPEN}include itself.cues", "cue sheets include each other: x.cues → itself.cues → itself.cues (included by"),
    (f"{OPEN}include wraps.cues", "unknown step 'prss'; did you mean 'press'? (included by"),
    (f"{OPEN}include n0.cues", "cue sheets include each other more than 100 deep (included by"),
    (OPEN + "include many.cues\n" * 99, "more than 10,000 included files"),
    (f"{OPEN}policy /etc/passwd", f"'/etc/passwd' {OUTSIDE}"),
    (f"{OPEN}policy link.toml", f"'link.toml' {OUTSIDE}"),
    (f"{OPEN}now 9999-12-31", "x.cues:2:5: '9999-12-31' is too far away; use a time from 1900 to 2999"),
    (f"{OPEN}each when\nrow 2031-05-04\nrow 9999-12-31\nnow {{when}}\ntab", "'9999-12-31' is too far away"),
    (f"{OPEN}each who\nrow imke\nuser {{whom}}\ntab", "x.cues:4:6: unknown column 'whom'; did you mean 'who'?"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "message"), WRONG, ids=range(len(WRONG)))
def test_a_sheet_reaches_only_its_own_folders_and_no_more_than_it_may(own: Path, text: str, message: str) -> None:
    (own / "x.cues").write_text(text)
    with pytest.raises(CueError) as caught:
        for run in read_cue_file(own / "x.cues").runs:
            run_cues(run)
    said = str(caught.value)
    assert message in said and "\n" not in said and "secret" not in said.partition(OUTSIDE)[2]


def test_scenes_are_marked_functions_without_arguments(own: Path) -> None:
    assert [each.__name__ for each in scenes_in(own, pytest.fail)] == ["noting"]
    assert [each.__name__ for each in scenes_offered(pytest.fail)] == ["quiet_monday", "searching", "office"]

    async def later() -> None: ...

    wrong: list[Any] = [print, 5, later, lambda berth: None, Path]
    for each in wrong:
        with pytest.raises(DeclarationError, match="@scene"):
            scene(each)


def test_a_module_that_a_folder_hides_is_back_afterwards(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for folder in ("own", "other"):
        tmp_path.joinpath(folder).mkdir()
        tmp_path.joinpath(folder, "quayside.py").write_text(f"place = {folder!r}\n", encoding="utf-8")
    monkeypatch.syspath_prepend(tmp_path / "other")
    other = import_module("quayside")
    with importing_from([tmp_path / "own"]):
        assert import_module("quayside").place == "own"
    assert import_module("quayside") is other and other.place == "other"
    del sys.modules["quayside"]
    forget_imports()
