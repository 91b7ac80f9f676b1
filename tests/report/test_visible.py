"""Texts that may hold anything: what terminals, pages, pictures, JSON and cue sheets get of them."""

from __future__ import annotations

import ast
import json
import sys
import unicodedata
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from fuselatch import Button, Form, Prompt, Text
from fuselatch.cli import main
from fuselatch.core.model.json_text import json_text
from fuselatch.core.model.visible import visible
from fuselatch.rehearsal import read_cues, rehearse
from fuselatch.rehearsal.cues import cut
from fuselatch.report.cue_words import written
from fuselatch.scenes import Scene, scene

ROOT = Path(__file__).parents[2]
HOSTILE = "a\x1b[2J\x9b1m\x00\x07\u202eb\u2028c\r\n3 cue sheets: 99 steps passed\ud800 $x^{"
ANY = st.text(st.characters(exclude_categories=[]))


@given(
    st.recursive(
        ANY | st.none() | st.booleans() | st.integers() | st.floats(),
        lambda inner: st.lists(inner) | st.dictionaries(ANY, inner),
    )
)
def test_json_is_valid_and_stays_on_its_line(value: Any) -> None:
    def refuse(constant: str) -> Any:
        raise ValueError(constant)

    text = json_text(value)
    again = json.loads(text.encode(), parse_constant=refuse)
    assert len(text.splitlines()) == 1 and not {"Cc", "Cf", "Cs"} & set(map(unicodedata.category, text.translate(KEPT)))
    if (
        any(0xD800 <= ord(each) <= 0xDFFF for each in repr(value))
        or "\\ud" in repr(value)
        or "nan" in str(value)
        or "inf" in str(value)
    ):
        return
    assert json_text(again) == text


@given(st.lists(ANY, min_size=1, max_size=4))
def test_a_recorded_step_is_read_as_it_was(words: list[str]) -> None:
    line = written("type", words)
    assert "\n" not in line and [word.text for word in cut(line, 1, "x")][1:] == words
    again = read_cues(f"form a:B\n{line if len(words) == 2 else written('type', ['a', words[0]])}\n", "x.cues")
    assert again.steps[0].texts()[-1] == words[-1 if len(words) == 2 else 0]


KEPT = dict.fromkeys(
    map(
        ord,
        "".join(
            chr(code)
            for code in range(sys.maxunicode + 1)
            if unicodedata.category(chr(code)) == "Cf" and not 0x200B <= code <= 0x206F
        ),
    )
)
"""Format characters without a direction, which JSON may have."""


class Note(Form, title="Note \x1b[31m"):
    """A form that shows whatever it is given."""

    text = Text("Text", look="multi-line")
    about = Prompt("one\ntwo {text}", buttons=("OK",))
    ask_it = Button("Ask")
    ok = Button("OK", closes="accepted")

    @ask_it.clicked
    def ask_about_it(self) -> None:
        self.ask(self.about)


@scene
def hostile() -> Scene:
    """Return a form with a text that tries everything."""
    return Scene(Note, records={"notes": [{"text": HOSTILE}]})


@pytest.fixture
def sheet(tmp_path: Path) -> Path:
    """A cue sheet that enters a hostile text and fails."""
    lines = [
        written("type", ["text", HOSTILE]),
        "expect text.value x",
        "press ask_it",
        "expect prompt x",
        "answer OK",
        "press ok",
    ]
    (tmp_path / "hostile.cues").write_text(
        f"form {__name__}:Note\n" + "\n".join(lines) + "\n", encoding="utf-8", errors="surrogatepass"
    )
    return tmp_path / "hostile.cues"


def test_no_value_clears_the_screen_or_forges_a_report(sheet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(ROOT)
    for words in ([], ["-q"], ["--why", "text.value"], ["--step"], ["--behaviour"], ["--json"]):
        result = CliRunner().invoke(main, ["rehearse", *words, str(sheet)], input="e")
        assert result.exit_code == 1, result.output
        for line in result.output.split("\n"):
            assert visible(line, 100_000) == line and not line.startswith("3 cue sheets"), line
    with rehearse(hostile) as desk:
        desk.paste("text", HOSTILE)
        desk.press("ask_it")
        desk.expect("prompt", "one\ntwo a")
        desk.answer("OK")
        for line in [*desk.story().split("\n"), *desk.why("text.value").split("\n"), *desk.as_cues().split("\n")]:
            assert visible(line) == line
        desk.press("ok")


def test_nothing_is_printed_round_the_function_that_makes_it_visible() -> None:
    found = []
    for path in sorted((ROOT / "src" / "fuselatch").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call):
                called = ast.unparse(node.func)
                if called in {"print", "click.echo", "click.secho", "sys.stdout.write", "sys.stderr.write", "rich.print"}:
                    found.append(f"{path.relative_to(ROOT).as_posix()}: {called}")
    assert set(found) == {
        "src/fuselatch/cli/out.py: click.echo",
        "src/fuselatch/cli/__init__.py: click.echo",  # standard output itself failed
        "src/fuselatch/frontends/page/showing.py: sys.stderr.write",  # the address of the page
        "src/fuselatch/rehearsal/run.py: sys.stderr.write",  # a file of a sheet's folder that is skipped, made visible there
    }
    assert sys.stdout is not None
