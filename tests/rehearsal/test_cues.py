"""Cue sheets: what can be read, what comes of it, and what is said of a wrong one."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from importlib import import_module
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fuselatch.rehearsal import CueError, perform, read_cues
from fuselatch.rehearsal.cues import cut
from fuselatch.rehearsal.grammar import VERBS
from fuselatch.rehearsal.loading import importing_from

FORMS = """
from fuselatch import Button, Choice, Form, HandlerFailed, Money, Number, Param, Text, Tick
from fuselatch.rehearsal import Scene

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

def morning() -> Scene:
    return Scene(Little, user="desk-1", records={"stays": [{"name": "Heron", "nights": 3, "paid": True}]})

def wanting() -> Scene:
    return Scene(Wanting)

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
    ("", "x.cues:1:1: no scene: begin with 'scene MODULE:FUNCTION', 'form MODULE:CLASS' or 'forms FOLDER'"),
    ("press save", "x.cues:1:1: a 'scene', a 'form' or 'forms' comes before the first step"),
    ("form little_forms:Little\nprss save", "x.cues:2:1: there is no verb 'prss'; did you mean 'press'?"),
    ("form little_forms:Little\n  type name", "x.cues:2:12: something is missing: type CONTROL TEXT"),
    (
        "form little_forms:Little\ntype name two words",
        "x.cues:2:15: 'words' is too much: type CONTROL TEXT (quote a text with spaces)",
    ),
    ('form little_forms:Little\ntype name "two words', 'x.cues:2:11: the quote " is not closed'),
    ("form little_forms:Little\ntype name it's", "x.cues:2:13: the quote ' is not closed"),
    ("form little_forms:Little\ntype name \\", "x.cues:2:11: a backslash has nothing behind it"),
    ("form little_forms:Little\ntab\nuser desk-2", "x.cues:3:1: 'user' comes before the first step"),
    (
        "form little_forms:Little\nscene little_forms:morning",
        "x.cues:2:1: a second 'scene'; a cue sheet opens one scene or form, once",
    ),
    ("form little_forms:Little\nexpect nmae", "x.cues:2:8: 'nmae' can't be expected; did you mean 'marker'?"),
    ("form little_forms:Little\nexpect name.valu x", "x.cues:2:8: 'name.valu' can't be expected; did you mean 'value'?"),
    ("form little_forms:Little\nexpect not # so", "x.cues:2:11: something is missing: expect [not] WHAT WORD…"),
    ("form little_forms:Little\nexpect outcome", "x.cues:2:15: something is missing: expect outcome VERDICT"),
    (
        "form little_forms:Little\nexpect open A B",
        "x.cues:2:15: 'B' is too much: expect open FORM (quote a text with spaces)",
    ),
    ("form little_forms:Little\nexpect refused prss save", "x.cues:2:16: 'prss' is no step; did you mean 'press'?"),
    (
        "form little_forms:Little\nexpect refused pick a",
        "x.cues:2:22: something is missing: expect refused pick CONTROL CHOICE",
    ),
    ("form little_forms:Little\nuser a\nuser b", "x.cues:3:1: a second 'user'; line 2 has one"),
    ("row 1", "x.cues:1:1: a 'row' wants its columns first: each NAME…"),
    ("form little_forms:Little\neach a a", "x.cues:2:8: a second column 'a'"),
    ("form little_forms:Little\neach a-b", "x.cues:2:6: 'a-b' can't be the name of a column; write letters, digits and _"),
    ("form little_forms:Little\neach a b\nrow 1", "x.cues:3:1: this row has 1 of the 2 values: a, b"),
    ("form little_forms:Little\neach a\ntab", "x.cues:2:1: a table without rows; write them below it: row VALUE…"),
    (
        "form little_forms:Little\neach name\nrow 1\ntype name {nme}",
        "x.cues:4:11: there is no column 'nme'; did you mean 'name'?; for a brace as it is write '{' in single quotes",
    ),
    ("include other.cues", "x.cues:1:9: there is no file 'other.cues'; there is none"),
    ("form little_forms:Little\nnow monday", "x.cues:2:5: 'monday' is no date and time; write one such as 2031-05-04T09:30"),
    ("form little_forms", "x.cues:1:6: 'little_forms' names no form; write MODULE:NAME, such as marina.scenes:quiet_monday"),
    ("form little_forms:Litle", "x.cues:1:6: little_forms has no form 'Litle': did you mean 'Little'?"),
    ("scene little_forms:evening", "x.cues:1:7: little_forms has no scene 'evening': it has morning, wanting"),
    ("scene little_forms:Little", "x.cues:1:7: little_forms:Little is no scene; write 'form little_forms:Little'"),
    ("form little_forms:number", "x.cues:1:6: little_forms:number is no form; forms there are Little, Wanting"),
    ("scene little_forms:nothing", "x.cues:1:7: a scene function returns Scene(…), but nothing gave None"),
    (
        "form litle_forms:Little",
        "x.cues:1:6: there is no module 'litle_forms'; did you mean 'little_forms'? Or name its folder with --from FOLDER",
    ),
    ("form marina.scens:x", "x.cues:1:6: there is no module 'marina.scens'; did you mean 'scenes'?"),
    ("form broken_forms:x", "x.cues:1:6: importing broken_forms failed: broken_forms.py:2: '(' was never closed"),
    ("form raising_forms:x", "x.cues:1:6: importing raising_forms failed at raising_forms.py:1: RuntimeError: at import"),
    ("form needy_forms:x", "x.cues:1:6: importing needy_forms failed: there is no module 'no_such_package'"),
]


@pytest.mark.parametrize(("text", "message"), WRONG, ids=range(len(WRONG)))
def test_what_can_not_be_read_says_where_and_what_would_be_right(text: str, message: str) -> None:
    with pytest.raises(CueError) as caught:
        perform(read_cues(text, "x.cues"))
    assert str(caught.value) == message


STEPS: list[tuple[str, str]] = [
    ("press sve", "Little has no control 'sve': did you mean 'save'?"),
    ("type cable x", "type cable x: it is disabled by its rule for 'enabled'"),
    ("answer OK", "answer OK: no prompt is up"),
    ("expect name.value x", "expected name.value x, but it is blank"),
    ('expect not name.value ""', 'expected not name.value "", but it is blank'),
    ("expect price.value 3", "expected price.value 3, but it is blank"),
    ("expect power.value yes", "expected power.value yes, but it is no"),
    ("expect pier.choices North", "expected pier.choices North, but they are North, South"),
    ("expect cable.enabled", "expected cable.enabled, but it is not enabled"),
    ("expect save.enabled no", "expected save.enabled no, but it is enabled"),
    ("expect name.marker", "expected name.marker, but it has none"),
    ("expect name.text x", "expected name.text x, but it is ''"),
    ("expect front Litle", "expected front Litle, but Little is in front"),
    ("expect title x", "expected title x, but it is 'Little'"),
    ("expect focus save", "expected focus save, but it is at name"),
    ("expect focus sve", "Little has no control 'sve': did you mean 'save'?"),
    ("expect message x", "expected message x, but there is no message"),
    ("expect notice", "expected notice, but there is no notice"),
    ("expect help", "expected help, but no help is shown"),
    ("expect button OK", "expected button OK, but no prompt is up"),
    ("expect written stays", "expected written stays, but 0 rows of 'stays' have been written"),
    ("expect row stays name=Teal", "expected row stays name=Teal, but none of its 1 rows is so"),
    ("expect row stays nme=Teal", "'stays' has no column 'nme': did you mean 'name'?"),
    ("expect row stays name", "'stays' has no column 'name': write COLUMN=VALUE"),
    ("expect not row stays nights=3.0 paid=yes", "expected not row stays nights=3.0 paid=yes, but 1 of its rows are so"),
    ("expect refused press save", "expected refused press save, but it was not refused"),
    (
        "expect refused type cable x because hidden",
        "expected refused type cable x because hidden, but it was refused so: type cable x: it is disabled by its rule for 'enabled'",
    ),
    ("expect name.caption Nom", "expected name.caption Nom, but it is 'Name'"),
    ("expect name.tone warning", "expected name.tone warning, but it is 'plain'"),
    ("expect not name.required", "expected not name.required, but it is required"),
    ("expect name.rows 2", "'name' has no rows: it is a text"),
    ("key Enter often", "'often' is no number of times; write one such as 5"),
    ("expect open Litle", "expected open Litle, but open are Little"),
    ("expect prompt sure", "expected prompt sure, but no prompt is up"),
    ("expect outcome accepted", "expected outcome accepted, but the form is still open"),
    ("expect outcome.name x", "expected outcome.name x, but the form is still open"),
    ("expect nme.value x", "Little has no control 'nme': did you mean 'name'?"),
    ("expect name.value two words", "'name' holds one value, not 2; quote a text with spaces"),
    ("expect save.value x", "'save' has no value: it is a button"),
    ("expect name.choices x", "'name' has no choices: it is a text"),
    ("expect save.enabled maybe", "'maybe' is neither yes nor no"),
]


@pytest.mark.parametrize(("step", "message"), STEPS, ids=[row[0] for row in STEPS])
def test_a_step_that_fails_says_what_was_there(step: str, message: str) -> None:
    done = perform(read_cues(f"scene little_forms:morning\n\n  {step}  # comment", "x.cues"))
    assert [one.partition(": ")[2] for one in done.problems] == [message]
    assert (done.passed, done.failed) == (0, 1)


@pytest.mark.parametrize(
    ("step", "column"),
    [("press sve", 9), ("type cable x", 3), ("pick pier Nrth", 13), ("expect name.text x", 3), ("expect focus sve", 16)],
)
def test_a_step_that_fails_points_at_the_word_that_is_wrong(step: str, column: int) -> None:
    done = perform(read_cues(f"scene little_forms:morning\n\n  {step}", "x.cues"))
    assert done.problems[0].startswith(f"x.cues:3:{column}: ")


def test_a_handler_that_fails_names_the_authors_line_first(little: Path) -> None:
    done = perform(read_cues("form little_forms:Little\npress fail\ntab", "x.cues"))
    line = FORMS.splitlines().index('        raise ValueError("broken")') + 1
    assert done.problems == [
        f"x.cues:2:1: {little / 'little_forms.py'}:{line}: ValueError: broken; in Little.break_down ← fail.clicked ← press fail; "
        "the form is as it was before: press fail"
    ]
    assert len(done.steps) == 1


def test_what_one_folder_brings_is_not_found_from_another(tmp_path: Path) -> None:
    for name, text in (("one", "x = 1\n"), ("two", "import brought\n")):
        (tmp_path / name).mkdir()
        (tmp_path / name / ("brought.py" if name == "one" else "wants.py")).write_text(text)
    with importing_from([tmp_path / "one"]):
        import_module("brought")
    with importing_from([tmp_path / "two"]), pytest.raises(ModuleNotFoundError):
        import_module("wants")


def test_what_is_built_in_or_installed_stays_though_the_environment_is_below_the_folder() -> None:
    names = ("lark.reconstruct", "_symtable")
    for name in names:
        sys.modules.pop(name, None)
    with importing_from([Path(sys.prefix)]):
        found = [import_module(name) for name in names]
    assert [sys.modules.get(name) for name in names] == found


def test_a_form_that_can_not_be_opened_is_a_failure() -> None:
    done = perform(read_cues("scene little_forms:wanting\ntab", "x.cues"))
    assert done.problems == [
        "x.cues:1: little_forms:wanting can't be opened: Wanting is opened with size, which is missing; give it by name"
    ]
    assert done.failed == 1


def test_a_sheet_that_goes_through() -> None:
    text = """
    # A whole sheet.
    scene little_forms:morning
    user  "desk 2"
    now   2031-05-04T10:15

    type   name 'Rosy "Teal"'     # a quote in quotes
    pick   pier South
    type   price 12.5
    tick   power
    expect cable.enabled yes
    expect name.value "Rosy \\"Teal\\""
    expect price.value 12.50
    expect price.text 12.50
    expect not pier.value North
    clear  name
    press  save
    expect name.marker needed
    type   name x
    press  save
    expect outcome accepted
    expect outcome.price 12.5
    expect not open Little
    """
    done = perform(read_cues(text, "x.cues"))
    assert done.problems == [] and done.passed == len(done.steps) == 17
    assert done.trace[0].time == "2031-05-04T10:15:00"
    again = perform(read_cues(text, "x.cues"))
    assert again.trace.to_jsonl() == done.trace.to_jsonl()


@given(st.lists(st.text(min_size=1, alphabet=st.characters(exclude_categories=["Cs", "Cc", "Zl", "Zp"])), max_size=5))
def test_quoted_words_are_read_as_they_were(words: list[str]) -> None:
    quoted = [
        "'" + word + "'" if "'" not in word else '"' + word.replace("\\", "\\\\").replace('"', '\\"') + '"' for word in words
    ]
    assert [word.text for word in cut("  ".join(quoted), 1, "x")] == words


@given(st.text())
def test_no_text_breaks_the_reader(text: str) -> None:
    try:
        sheet = read_cues(text, "x.cues")
    except CueError as error:
        assert str(error).startswith(f"x.cues:{error.line}:{error.column}: ")
    else:
        assert sheet.opens.verb in VERBS
