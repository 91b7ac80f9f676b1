"""Cue sheets: reading, running, and the messages for wrong ones."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fuselatch.rehearsal import CueError, read_cues, run_cues
from fuselatch.rehearsal.grammar import VERBS
from fuselatch.rehearsal.loading import importing_from

FORMS = """
from fuselatch import Button, Choice, Form, HandlerFailed, Money, Number, Param, Text, Tick
from fuselatch.scenes import Scene, scene

class Little(Form):
    name = Text("Name", required=True)
    pier = Choice("Pier", choices=("North", "South"))
    price = Money("Price")
    power = Tick("Power")
    cable = Text("Cable", enabled=lambda form: form.power.value)
    fail = Button("Fail")
    save = Button("Save", closes="accepted")

    @fail.clicked
    def break_down(self):
        raise ValueError("broken")

class Wanting(Form):
    size: int = Param()

@scene
def morning() -> Scene:
    return Scene(Little, user="clerk-1", records={"stays": [{"name": "Heron", "nights": 3, "paid": True}]})

@scene
def wanting() -> Scene:
    return Scene(Wanting)

@scene
def nothing():
    return None

number = 3
""".replace('    ask = Button("Ask", visible=True) if False else Button("Ask")\n', "")


@pytest.fixture(autouse=True)
def little(tmp_path: Path) -> Iterator[Path]:
    """A module with forms in a folder of its own."""
    (tmp_path / "little_forms.py").write_text(FORMS)
    (tmp_path / "broken_forms.py").write_text("import little_forms\nx = (\n")
    (tmp_path / "raising_forms.py").write_text("raise RuntimeError('at import')\n")
    (tmp_path / "needy_forms.py").write_text("import no_such_package\n")
    with importing_from([tmp_path]):
        yield tmp_path
    for name in list(sys.modules):
        if name.endswith("_forms"):
            del sys.modules[name]


WRONG: list[tuple[str, str]] = [
    ("", "x.cues:1:1: start with 'scene MODULE:FUNCTION', 'form MODULE:CLASS' or 'forms FOLDER'"),
    ("press save", "x.cues:1:1: start with 'scene', 'form' or 'forms' before the first step"),
    ("form little_forms:Little\nprss save", "x.cues:2:1: unknown step 'prss'; did you mean 'press'?"),
    ("form little_forms:Little\n  type name", "x.cues:2:12: not enough words: type CONTROL TEXT"),
    ("form little_forms:Little\ntype name two words", "x.cues:2:15: unexpected 'words': type CONTROL TEXT (quote text with spaces)"),
    ('form little_forms:Little\ntype name "two words', 'x.cues:2:11: missing closing quote "'),
    ("form little_forms:Little\ntype name it's", "x.cues:2:13: missing closing quote '"),
    ("form little_forms:Little\ntype name \\", "x.cues:2:11: a backslash must be followed by a character"),
    ("form little_forms:Little\ntab\nuser clerk-2", "x.cues:3:1: 'user' must come before the first step"),
    ("form little_forms:Little\nscene little_forms:morning", "x.cues:2:1: 'scene' appears twice; a cue sheet opens one scene or form"),
    ("form little_forms:Little\nexpect nmae", "x.cues:2:8: can't expect 'nmae'; did you mean 'marker'?"),
    ("form little_forms:Little\nexpect name.valu x", "x.cues:2:8: can't expect 'name.valu'; did you mean 'value'?"),
    ("form little_forms:Little\nexpect not # so", "x.cues:2:11: not enough words: expect [not] WHAT WORD…"),
    ("form little_forms:Little\nexpect outcome", "x.cues:2:15: not enough words: expect outcome VERDICT"),
    ("form little_forms:Little\nexpect open A B", "x.cues:2:15: unexpected 'B': expect open FORM (quote text with spaces)"),
    ("form little_forms:Little\nexpect refused prss save", "x.cues:2:16: 'prss' isn't a step; did you mean 'press'?"),
    ("form little_forms:Little\nexpect refused pick a", "x.cues:2:22: not enough words: expect refused pick CONTROL CHOICE [at PLACE | where COLUMN VALUE]"),
    ("form little_forms:Little\nuser a\nuser b", "x.cues:3:1: 'user' appears twice; it is already on line 2"),
    ("row 1", "x.cues:1:1: 'row' needs 'each NAME…' before it"),
    ("form little_forms:Little\neach a a", "x.cues:2:8: column 'a' appears twice"),
    ("form little_forms:Little\neach a-b", "x.cues:2:6: 'a-b' isn't a column name; use letters, digits and _"),
    ("form little_forms:Little\neach a b\nrow 1", "x.cues:3:1: expected 2 values (a, b), found 1"),
    ("form little_forms:Little\neach a\ntab", "x.cues:2:1: 'each' has no rows; add lines below it: row VALUE…"),
    ("form little_forms:Little\neach name\nrow 1\ntype name {nme}", "x.cues:4:11: unknown column 'nme'; did you mean 'name'? (for a literal brace write '{' in single quotes)"),
    ("include other.cues", "x.cues:1:9: file 'other.cues' not found; no cue sheets in this folder"),
    ("form little_forms:Little\nnow monday", "x.cues:2:5: 'monday' isn't a date and time; write it like 2031-05-04T09:30"),
    ("form little_forms", "x.cues:1:6: 'little_forms' isn't a form; write MODULE:NAME, for example stay:Stay"),
    ("form little_forms:Litle", "x.cues:1:6: little_forms has no form 'Litle'; did you mean 'Little'?"),
    ("scene little_forms:evening", "x.cues:1:7: little_forms has no scene 'evening'; choose from morning, wanting, nothing"),
    ("scene little_forms:Little", "x.cues:1:7: little_forms:Little isn't a scene; write 'form little_forms:Little'"),
    ("form little_forms:number", "x.cues:1:6: little_forms:number isn't a form; choose from Little, Wanting"),
    ("scene little_forms:nothing", "x.cues:1:7: nothing must return Scene(…), but it returned None"),
    ("form litle_forms:Little", "x.cues:1:6: module 'litle_forms' not found; did you mean 'little_forms'? Or add its folder with --from FOLDER"),
    ("form saltmarsh.scens:x", "x.cues:1:6: module 'saltmarsh.scens' not found; did you mean 'scenes'?"),
    ("form broken_forms:x", "x.cues:1:6: can't import broken_forms: broken_forms.py:2: '(' was never closed"),
    ("form raising_forms:x", "x.cues:1:6: can't import raising_forms: raising_forms.py:1: RuntimeError: at import"),
    ("form needy_forms:x", "x.cues:1:6: can't import needy_forms: module 'no_such_package' not found"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "message"), WRONG, ids=range(len(WRONG)))
def test_what_can_not_be_read_says_where_and_what_would_be_right(text: str, message: str) -> None:
    with pytest.raises(CueError) as caught:
        run_cues(read_cues(text, "x.cues"))
    assert str(caught.value) == message


STEPS: list[tuple[str, str]] = [
    ("press sve", "Little has no control 'sve'; did you mean 'save'?"),
    ("type cable x", "type cable x: 'cable' is disabled (rule for 'enabled')"),
    ("answer OK", "answer OK: no prompt is open"),
    ("expect name.value x", "expected name.value x, but it is blank"),
    ('expect not name.value ""', 'expected not name.value "", but it is blank'),
    ("expect price.value 3", "expected price.value 3, but it is blank"),
    ("expect power.value yes", "expected power.value yes, but it is no"),
    ("expect pier.choices North", "expected pier.choices North, but choices: North, South"),
    ("expect cable.enabled", "expected cable.enabled, but it is not enabled"),
    ("expect save.enabled no", "expected save.enabled no, but it is enabled"),
    ("expect name.marker", "expected name.marker, but there is no marker"),
    ("expect name.text x", "expected name.text x, but it is ''"),
    ("expect front Litle", "unknown form 'Litle'; did you mean 'Little'?"),
    ("expect title x", "expected title x, but it is 'Little'"),
    ("expect focus save", "expected focus save, but the focus is at name"),
    ("expect focus sve", "Little has no control 'sve'; did you mean 'save'?"),
    ("expect message x", "expected message x, but there is no message"),
    ("expect notice", "expected notice, but there is no notice"),
    ("expect help", "expected help, but no help is shown"),
    ("expect button OK", "expected button OK, but no prompt is open"),
    ("expect written stays", "expected written stays, but 0 rows were written to 'stays'"),
    ("expect row stays name=Teal", "expected row stays name=Teal, but none of the 1 rows matches; in the nearest, name is Heron"),
    ("expect row stays nme=Teal", "'stays' has no column 'nme'; did you mean 'name'?"),
    ("expect row stays name", "'stays' has no column 'name'; write COLUMN=VALUE"),
    ("expect not row stays nights=3.0 paid=yes", "expected not row stays nights=3.0 paid=yes, but 1 row matches"),
    ("expect refused press save", "expected refused press save, but it was not refused"),
    ("expect refused type cable x because hidden", "expected refused type cable x because hidden, but the reason was: type cable x: 'cable' is disabled (rule for 'enabled')"),
    ("expect name.caption Nom", "expected name.caption Nom, but it is 'Name'"),
    ("expect name.tone warning", "expected name.tone warning, but it is 'plain'"),
    ("expect not name.required", "expected not name.required, but it is required"),
    ("expect name.rows 2", "'name' has no rows (a text field)"),
    ("key Enter often", "'often' isn't a number of presses; use, for example, 5"),
    ("expect open Litle", "unknown form 'Litle'; did you mean 'Little'?"),
    ("expect prompt sure", "expected prompt sure, but no prompt is open"),
    ("expect outcome accepted", "expected outcome accepted, but the form is still open"),
    ("expect outcome.name x", "expected outcome.name x, but the form is still open"),
    ("expect nme.value x", "Little has no control 'nme'; did you mean 'name'?"),
    ("expect name.value two words", "'name' has one value, not 2; quote text with spaces"),
    ("expect save.value x", "'save' has no value (a button)"),
    ("expect name.choices x", "'name' has no choices (a text field)"),
    ("expect save.enabled maybe", "'maybe' isn't 'yes' or 'no'"),
]  # fmt: skip


@pytest.mark.parametrize(("step", "message"), STEPS, ids=[row[0] for row in STEPS])
def test_a_step_that_fails_says_what_was_there(step: str, message: str) -> None:
    done = run_cues(read_cues(f"scene little_forms:morning\n\n  {step}  # comment", "x.cues"))
    assert [one.partition(": ")[2] for one in done.problems] == [message]
    assert (done.passed, done.failed) == (0, 1)


@given(st.text())
def test_no_text_breaks_the_reader(text: str) -> None:
    try:
        sheet = read_cues(text, "x.cues")
    except CueError as error:
        assert str(error).startswith(f"x.cues:{error.line}:{error.column}: ")
    else:
        assert sheet.opens.verb in VERBS


def test_nothing_is_done_after_a_step_that_can_not_be_done() -> None:
    done = run_cues(read_cues("form tests.bench:Bench\ntype a 3\nanswer Yes\ntype a 7\nexpect a.value 3\n", "x.cues"))
    assert [step.cue.verb for step in done.steps] == ["type", "answer"] and done.problems == [
        "x.cues:3:1: answer Yes: no prompt is open"
    ]


def test_why_an_expectation_failed_is_asked_at_its_step() -> None:
    sheet = read_cues("form tests.bench:Bench\ntype a 3\ntab\nexpect a.value 4\ntype a 7\ntab\npress ok\n", "late.cues")
    step = next(step for step in run_cues(sheet).steps if step.unmet is not None)
    assert step.why[0] == "a.value is 3"
