"""Texts that may hold anything: what terminals, pages, pictures, JSON and cue sheets get of them."""

from __future__ import annotations

import ast
import json
import sys
import unicodedata
from html.parser import HTMLParser
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from fuselatch import Button, Form, Prompt, Text
from fuselatch.cli import main
from fuselatch.core.model.json_text import json_text
from fuselatch.core.model.visible import JOINERS, SIGNS, visible, visible_lines
from fuselatch.rehearsal import read_cue_file, read_cues, rehearse, run_cues
from fuselatch.rehearsal.cues import cut
from fuselatch.rehearsal.flipping import flipbook
from fuselatch.report.cue_words import written
from fuselatch.report.figures import new_figure, save
from fuselatch.scenes import Scene, scene

ROOT = Path(__file__).parents[2]
HOSTILE = "a\x1b[2J\x9b1m\x00\x07\u202eb\u2028c\r\n3 cue sheets: 99 steps passed\ud800 $x^{"
ANY = st.text(st.characters(exclude_categories=[]))


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("plain", "plain"),
        ("\x1b[2J", "␛[2J"),
        ("\x00\x07\x7f\t", "␀␇␡␉"),
        ("\x85\x9b", "⟨U+0085⟩⟨U+009B⟩"),
        ("a\u202eb\u2066\u2028\ufeff", "a⟨U+202E⟩b⟨U+2066⟩⟨U+2028⟩⟨U+FEFF⟩"),
        ("one\ntwo\r\nthree\rfour", "one⏎two⏎three␍four"),
        ("\ud800\ufffe\U000e0041", "⟨U+D800⟩⟨U+FFFE⟩⟨U+E0041⟩"),
        ("👩\u200d👧 \u0645\u06cc\u200c\u062e\u0648 \xa0", "👩\u200d👧 \u0645\u06cc\u200c\u062e\u0648 \xa0"),
        ("x" * 3000, "x" * 2000 + "… (3,000 characters)"),
    ],
)
def test_what_can_not_be_seen_is_written_out(text: str, shown: str) -> None:
    assert visible(text) == shown


@given(ANY)
def test_no_text_has_anything_that_a_terminal_obeys(text: str) -> None:
    lines = visible_lines(text)
    assert len(lines) == text.replace("\r\n", "\n").count("\n") + 1
    for line in (visible(text), *lines):
        assert len(line.splitlines()) <= 1
        for each in line:
            assert unicodedata.category(each) not in {"Cc", "Cf", "Cs", "Zl", "Zp"} or each in JOINERS or each in SIGNS
        line.encode()


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


class Reader(HTMLParser):
    """Counts tags that stay open."""

    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.text = ""

    def handle_starttag(self, tag: str, attrs: Any) -> None:
        if tag not in {"meta", "link", "br", "input"}:
            self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.text += data


def test_pages_and_pictures_hold_any_text(sheet: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(ROOT)
    long = tmp_path / "long.cues"
    long.write_text(f"form {__name__}:Note\n{written('type', ['text', 'x' * 10_000])}\npress ok\n", encoding="utf-8")
    done = [run_cues(read_cue_file(path), looking=True) for path in (sheet, long)]
    page = flipbook("Hostile \x1b", done)
    reader = Reader()
    reader.feed(page)
    assert reader.open == [] and "<bdi>" in page and len(page) < 200_000
    assert all(unicodedata.category(each) not in {"Cc", "Cs"} or each == "\n" for each in page) and "\u202e" not in page
    figure = new_figure()
    figure.text(0.1, 0.5, HOSTILE)
    figure.text(0.1, 0.1, "\U0001f6a2 \u0e01")  # no such glyphs in the font
    save(figure, tmp_path / "x.svg")
    save(figure, tmp_path / "x.png")
    assert "99 steps" in "".join(ElementTree.parse(tmp_path / "x.svg").getroot().itertext())


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
        "src/fuselatch/frontends/page/filling.py: sys.stderr.write",  # the address of the page
    }
    assert sys.stdout is not None
