"""The grammar in docs/cue-sheets.md and the reader agree; sheets are read and written without loss; tables and includes."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from hypothesis.extra.lark import from_lark
from lark import Lark, UnexpectedInput
from saltmarsh.scenes import quiet_monday
from stay import Stay

from fuselatch.core.model.errors import Refused
from fuselatch.frontends import Gesture
from fuselatch.rehearsal import CueError, read_cue_file, read_cues, rehearse, run_cues
from fuselatch.rehearsal.asserts import unmet_words
from fuselatch.rehearsal.cues import cut
from fuselatch.rehearsal.expectations import PROPERTIES, TARGETS
from fuselatch.rehearsal.grammar import PROPERTIES as PROPERTY_RULES
from fuselatch.rehearsal.grammar import STEPS, VERBS
from fuselatch.rehearsal.grammar import TARGETS as TARGET_RULES
from fuselatch.report.cue_words import quoted
from tests.helpers import act, examples

ROOT = Path(__file__).parents[2]
PAGE = (ROOT / "docs" / "cue-sheets.md").read_text(encoding="utf-8")
GRAMMAR = PAGE.partition("```lark\n")[2].partition("```")[0]
SHEETS = sorted([*ROOT.glob("examples/**/*.cues"), *ROOT.glob("tests/cues/*.cues")])
PARSER = Lark(GRAMMAR, start=["start", "body"])
ODD = st.text(alphabet=" \t\"'\\#{}ab.", max_size=8)
WORDS = st.sampled_from(
    [*VERBS, *TARGET_RULES, *(f"a.{prop}" for prop in PROPERTY_RULES), "not", "because", "outcome.a", "x", '"y z"']
)
BEGIN = "form stay:Stay\n"


def fits_grammar(line: str) -> bool:
    """Return True if the grammar accepts a line after the settings."""
    try:
        PARSER.parse(line, start="body")
    except UnexpectedInput:
        return False
    return True


def fits_reader(line: str) -> bool:
    """Return True if the reader accepts it."""
    try:
        read_cues(f"{BEGIN}tab\n{line}", "x.cues")
    except CueError:
        return False
    return True


@pytest.mark.parametrize("path", SHEETS, ids=lambda path: path.stem)
def test_every_cue_sheet_fits_the_grammar_and_is_read_without_loss(path: Path) -> None:
    text = path.read_bytes().decode()
    PARSER.parse(text, start="start")
    assert read_cue_file(path).text == text


@given(from_lark(PARSER, start="body", alphabet=st.characters(codec="utf-8")))
def test_what_the_grammar_makes_is_read(line: str) -> None:
    assume("include" not in line)
    assert fits_reader(line), line


@given(st.lists(st.one_of(WORDS, ODD), max_size=6))
@examples(3)
def test_the_grammar_and_the_reader_agree_on_any_line(words: list[str]) -> None:
    line = " ".join(words)
    assume("include" not in line)
    assert fits_grammar(line) == fits_reader(line), line


def test_the_tables_of_the_grammar_are_those_of_the_code() -> None:
    assert TARGETS.keys() == TARGET_RULES.keys() and PROPERTIES.keys() == PROPERTY_RULES.keys()
    table = PAGE.partition("| expectation |")[2].partition("\n\n")[0]
    told = {name for cell in re.findall(r"^\| (.+?) \| ", table, re.M) for name in re.findall(r"`(?:NAME\.)?(\w+)", cell)}
    assert told == {*TARGET_RULES, *PROPERTY_RULES}
    rules = GRAMMAR.partition("\nstep:")[2]
    assert set(re.findall(r'"(\w+)"', rules.partition("\nexpected:")[0])) == {*STEPS, "not"}
    assert set(re.findall(r'"(\w+)"', rules.partition("\nexpected:")[2])) == {*TARGET_RULES, "because"}


@given(st.text(alphabet=st.characters(exclude_categories=["Cs"])))
def test_a_word_that_is_written_is_read_as_it_was(text: str) -> None:
    text = re.sub(r"\r\n?", "\n", text)
    assert [word.text for word in cut(quoted(text), 1, "x")] == [text]


def test_a_table_makes_one_run_of_each_row() -> None:
    text = (
        BEGIN
        + "each n price\nrow 1 34.00\nrow '2' \"68.00\"\n\ntype nights {n}\nfocus vessel\nexpect price.text \"{price}\"\ntype vessel '{n}'\nexpect vessel.text \\{n}"
    )
    sheet = read_cues(text, "x.cues")
    assert [run.title for run in sheet.runs] == ["x.cues row 1 (1 34.00)", "x.cues row 2 (2 68.00)"]
    assert [run_cues(run).problems for run in sheet.runs] == [[], []]
    with pytest.raises(ValueError, match="table of 2 rows"):
        run_cues(sheet)


def test_a_rehearsal_is_written_as_a_cue_sheet_that_goes_the_same_way() -> None:
    with rehearse(quiet_monday, user="desk 9") as desk:
        desk.type("vessel", 'The "Old" Heron\'s {mate}')
        with pytest.raises(Refused):
            desk.type("port", "Saltmarsh Quay")
        desk.key("Tab", repeat=3)
        act(desk, "expect not prompt", "expect refused pick berth N7 because 'isn'\"'\"'t one of the choices'")
        act(desk, "press leave")
    again = run_cues(read_cues(desk.as_cues(), "again.cues"))
    assert again.problems == [] and again.trace.to_jsonl() == desk.trace.to_jsonl()


ASSERTS = [
    ('assert desk.at(BookingForm).vessel.value == "Heron"', ("vessel.value", "Heron")),
    ("assert desk.form.nights.value != 1", ("not", "nights.value", "1")),
    ("    assert desk.form.port.enabled, 'told'", ("port.enabled",)),
    ("assert not desk.form.vessel.required", ("not", "vessel.required")),
    ('assert "overhangs" in desk.prompt.text', ("prompt", "overhangs")),
    ('assert desk.form.price.value == Decimal("3.50")', ("price.value", "3.50")),
    ("assert not desk.form.port.enabled", None),
    ("assert desk.form.nights.value > 3", None),
    ("assert True is (", None),
    ("desk.press('book')", None),
]


@pytest.mark.parametrize(("statement", "words"), ASSERTS)
def test_a_plain_assert_that_fails_is_an_expectation_that_fails(statement: str, words: tuple[str, ...] | None) -> None:
    with rehearse(quiet_monday) as desk:
        assert unmet_words(statement, desk) == words


def test_what_a_cue_sheet_can_not_say_is_a_comment() -> None:
    with rehearse(quiet_monday) as desk:
        desk.mute(type(desk.form).look_up_vessel, why="not the point")  # type: ignore[attr-defined]
        desk.press("leave")
    assert "# mute" in desk.as_cues()
    with rehearse(lambda: quiet_monday()) as desk:
        desk.press("leave")
    assert desk.as_cues().startswith("# opened by code as Scene(BookingForm")
    assert Stay.__name__ == "Stay"


def test_what_was_fed_directly_is_written_too_and_what_came_too_late_is_not() -> None:
    with rehearse(quiet_monday) as desk:
        feed = desk.session.feed
        for text in ("S", "Sa", "Seal"):
            feed(Gesture(verb="type", control="vessel", text=text))
        desk.type("length", "9")
        for repeat in (False, True):
            feed(Gesture(verb="key", text="5", repeat=repeat))
        serial = desk.session.view.serial
        feed(Gesture(verb="press", control="find", view_serial=serial))
        with pytest.raises(Refused, match="before what is in front could be seen"):
            feed(Gesture(verb="press", control="find", view_serial=serial))
        with pytest.raises(Refused):
            feed(Gesture(verb="focus", control="vessel", form="BookingForm"))
        desk.close()
        desk.press("leave")
    steps = [
        "type vessel Sa",
        "paste vessel Seal",
        "type length 9",
        "key 5 2",
        "press find",
        "expect refused focus BookingForm.vessel",
        "close",
        "press leave",
    ]
    assert [" ".join(line.split()) for line in desk.as_cues().splitlines()[-8:]] == steps
