"""README and docs: code blocks are run, and tables are compared with the code."""

from __future__ import annotations

import ast
import inspect
import re
import shlex
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

import fuselatch
from fuselatch import Form, exploring, frontends, kinds, rehearsal, services, stores
from fuselatch.cli import main
from fuselatch.core.forms.declarations import Declaration
from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.events import FORM_EVENTS
from fuselatch.core.model.trace import KINDS, TraceEntry
from fuselatch.policy import Policy, PolicyError
from fuselatch.rehearsal import read_cues, run_all_cues
from fuselatch.scenes import Scene

ROOT = Path(__file__).parents[2]
PAGES = sorted([ROOT / "README.md", *(ROOT / "docs").glob("*.md")])
BLOCK = re.compile(r"^```(\w+)\n(.*?)^```$", re.M | re.S)


def blocks(page: Path, language: str) -> list[str]:
    """The code blocks of one language on a page."""
    return [text for found, text in BLOCK.findall(page.read_text(encoding="utf-8")) if found == language]


def first_cells(page: str, title: str) -> list[str]:
    """The first column of the table on a page whose header row begins with `title`."""
    text = (ROOT / "docs" / page).read_text(encoding="utf-8")
    table = text.partition(f"| {title} |")[2].partition("\n\n")[0].splitlines()[2:]
    return [row.split("|")[1].strip() for row in table]


def rehearsed(cues: str) -> str:
    """Return what `fuselatch rehearse` prints of a cue sheet."""
    return CliRunner().invoke(main, ["rehearse", str(ROOT / cues)]).output


START = ROOT / "docs" / "start.md"


@pytest.mark.parametrize("page", [page for page in PAGES if page != START], ids=lambda page: page.name)
def test_python_blocks_run_and_print_what_the_page_says(
    page: Path, request: pytest.FixtureRequest, capsys: pytest.CaptureFixture[str]
) -> None:
    names: dict[str, Any] = {"__name__": "page"}
    for number, block in enumerate(blocks(page, "python"), 1):
        exec(compile(block, f"{page.name} block {number}", "exec", dont_inherit=True), names)
    for name, found in list(names.items()):
        if name.startswith("test_"):
            found(*(request.getfixturevalue(fixture) for fixture in inspect.signature(found).parameters))
    printed = capsys.readouterr().out if page.name != "README.md" else rehearsed("examples/stay.cues")
    for block in blocks(page, "text"):
        assert block in printed


def test_the_first_ten_minutes_work_to_the_letter(tmp_path: Path) -> None:
    """Save the files that the page names in an empty folder, and run its commands there."""
    name = ""
    text = START.read_text(encoding="utf-8")
    python = {
        "python": [sys.executable],
        "pytest": [sys.executable, "-m", "pytest"],
        "fuselatch": [sys.executable, "-m", "fuselatch"],
    }
    for found in re.finditer(r"Save this as `([^`]+)`|^```(\w+)\n(.*?)^```$", text, re.M | re.S):
        name = found[1] or name
        if found[2] in ("python", "cues"):
            assert not (tmp_path / name).exists(), f"a block of {START.name} has no name: {found[3][:60]}"
            (tmp_path / name).write_text(found[3], encoding="utf-8")
        elif found[2] == "console":
            command, _, expected = found[3].removeprefix("$ ").partition("\n")
            first, *words = shlex.split(command)
            done = subprocess.run(
                [*python[first], *words], cwd=tmp_path, capture_output=True, text=True, timeout=120, check=False
            )
            assert expected.rstrip("\n") in done.stdout, (command, done.stdout, done.stderr)
    done = subprocess.run(
        [sys.executable, "front.py"], cwd=tmp_path, capture_output=True, text=True, timeout=60, check=False
    )
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    assert (tmp_path / "show_hire.py").exists()


@pytest.mark.parametrize("page", [page for page in PAGES if page != START], ids=lambda page: page.name)
def test_cue_sheets_and_commands_do_what_the_page_says(page: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(ROOT)
    for block in blocks(page, "cues"):
        assert [done.problems for done in run_all_cues(read_cues(block, page.name)) if done.problems] == []
    for block in blocks(page, "console"):
        for command, _, expected in (call.partition("\n") for call in block.split("$ ")[1:]):
            result = CliRunner().invoke(main, shlex.split(command)[1:])
            assert result.output == expected


def test_the_readme_examples_are_those_that_ship() -> None:
    form = (ROOT / "examples" / "stay.py").read_text(encoding="utf-8").partition('"""\n\n')[2]
    cues = (ROOT / "examples" / "stay.cues").read_text(encoding="utf-8")
    assert (blocks(ROOT / "README.md", "python"), blocks(ROOT / "README.md", "cues")) == ([form], [cues])


def test_the_readme_is_short() -> None:
    lines = (ROOT / "README.md").read_text(encoding="utf-8").splitlines()
    assert len(lines) <= 120 and max(map(len, lines)) <= 100
    assert sum(line.startswith("![") for line in lines) <= 4


def test_links_and_pictures_are_there() -> None:
    for page in PAGES:
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text(encoding="utf-8")):
            assert (page.parent / target).exists(), f"{page.name}: {target}"


def public_names() -> dict[str, Any]:
    """Return what each package has for its users, by name."""
    packages: tuple[Any, ...] = (fuselatch, frontends, stores, services, rehearsal, exploring, kinds)
    return {name: getattr(package, name) for package in packages for name in package.__all__} | {
        "Policy": Policy,
        "PolicyError": PolicyError,
        "Scene": Scene,
    }


def kinds_of_control() -> dict[str, type[Declaration[Any]]]:
    """Every kind of control, by name."""
    return {
        name: kind
        for name, kind in public_names().items()
        if isinstance(kind, type) and issubclass(kind, Declaration) and kind.kind != "control"
    }


def test_the_tables_are_those_of_the_code() -> None:
    assert {f"`{name}`" for name in kinds_of_control()} == set(first_cells("forms.md", "control"))
    text = (ROOT / "docs" / "events.md").read_text(encoding="utf-8")
    for name, kind in kinds_of_control().items():
        assert f"| `{name}` | {', '.join(kind.events())} |" in text
    assert f"| the form | {', '.join(FORM_EVENTS)} |" in text
    kinds_told = {word for cell in first_cells("trace.md", "kind") for word in re.findall(r"`(\w+)`", cell)}
    assert kinds_told == set(KINDS)
    observing = [word for cell in first_cells("extending.md", "method") for word in re.findall(r"`(\w+)`", cell)]
    assert observing == [name for name in vars(frontends.Observer) if not name.startswith("_")]
    keys = [word for cell in first_cells("trace.md", "key") for word in re.findall(r"`(\w+)`", cell)]
    assert keys == list(TraceEntry._fields)


def test_taken_names_are_listed() -> None:
    own = {name for name in (*vars(Form), *vars(Form.__base__)) if not name.startswith("_")} - {
        "other_prompt",
        "warnings_prompt",
    }
    text = (ROOT / "docs" / "forms.md").read_text(encoding="utf-8").partition("## Reserved names")[2]
    assert own == set(re.findall(r"`(\w+)`", text.partition("`warnings_prompt`")[0])) - {"Form"}


def test_every_error_is_listed_and_every_public_name_has_a_docstring() -> None:
    listed = set(first_cells("errors.md", "error"))
    public = public_names()
    errors = {name for name in public if is_error(public[name])}
    assert {f"`{name}`" for name in errors} == listed
    for name, found in public.items():
        assert docstring(found).strip(), name


def docstring(found: Any) -> str:
    """Return a public name's docstring, from the source if the class may be compiled."""
    if found.__doc__ or not isinstance(found, type):
        return found.__doc__ or ""
    file = (ROOT / "src").joinpath(*found.__module__.split(".")).with_suffix(".py")
    classes = [node for node in ast.parse(file.read_text(encoding="utf-8")).body if isinstance(node, ast.ClassDef)]
    return next(ast.get_docstring(node) or "" for node in classes if node.name == found.__name__)


def is_error(found: object) -> bool:
    """Return True if a public name is an error other than the base."""
    return isinstance(found, type) and issubclass(found, FuseLatchError) and found is not FuseLatchError
