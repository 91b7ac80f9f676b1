"""Wrong words that newcomers type first: each answer says what to write instead."""

from __future__ import annotations

from pathlib import Path

import pytest
from click.testing import CliRunner
from stay import Stay

from fuselatch import UnknownName
from fuselatch.cli import main
from fuselatch.rehearsal import rehearse

EXAMPLES = Path(__file__).parents[2] / "examples"

SHEETS = {
    "typo": "clik book",
    "other_word": "select pier North",
    "table": "each a b\nrow 1 2 3\n\ntype vessel {a}",
    "message": 'press book\nexpect message "Enter a value"',
    "price": "press price",
}


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        ("describe Stay", 2, "fuselatch: 'Stay' isn't a form; write MODULE:NAME, for example stay:Stay"),
        ("describe stay.py:Stay", 2, "fuselatch: 'stay.py' is a file name; write stay:Stay"),
        ("describe stay:Stya", 2, "fuselatch: stay has no form 'Stya'; did you mean 'Stay'?"),
        ("rehearse stay.py", 2, "fuselatch: stay.py: this is a Python file; rehearse takes cue sheets (*.cues). To run its tests use pytest"),
        ("rehearse -q typo.cues", 2, "fuselatch: typo.cues:3:1: unknown step 'clik'; did you mean 'press'?"),
        ("rehearse -q other_word.cues", 2, "fuselatch: other_word.cues:3:1: unknown step 'select'; did you mean 'pick'?"),
        ("rehearse -q table.cues", 2, "fuselatch: table.cues:4:1: expected 2 values (a, b), found 3"),
        ("rehearse -q price.cues", 1, "price.cues:3:1: press price: a money field can't be pressed"),
        ("rehearse -q message.cues", 1, "message.cues:4:1: expected message Enter a value, but there is no message (the notice is 'Vessel: Enter a value')"),
        ("rehearse quay.cues --mute QuayStay.nope", 2, "fuselatch: invalid value for --mute: unknown handler 'QuayStay.nope'; QuayStay has no handlers"),
        ("rehearse -q stay.cues --why price.value", 0, "  set by its rule, which reads nights.value (21)"),
        ("rehearse -q stay.cues --why long_stay", 2, "fuselatch: --why long_stay: can't explain 'long_stay'; it is a check; ask about nights.marker"),
        ("generate nope.csv", 2, "fuselatch: file nope.csv not found; no CSV files in this folder"),
        ("check stay.py", 0, "1 file checked: no problems"),
        ("--version", 0, "fuselatch 0.1.0 ({core} core)"),
    ],
)  # fmt: skip
def test_a_wrong_word_gets_the_right_one(
    words: str, code: int, said: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    for name in ("stay.py", "stay.cues"):
        text = (EXAMPLES / name).read_text(encoding="utf-8")
        (tmp_path / name).write_text(text, encoding="utf-8")
        # The same under a name that no other test has: --mute looks at every form there is.
        other = text.replace("Stay", "QuayStay").replace("stay:", "quay:")
        (tmp_path / name.replace("stay", "quay")).write_text(other, encoding="utf-8")
    for name, steps in SHEETS.items():
        (tmp_path / f"{name}.cues").write_text(f"form stay:Stay\n\n{steps}\n", encoding="utf-8")
    result = CliRunner().invoke(main, words.split())
    assert result.exit_code == code
    lines = [line.replace("compiled", "{core}").replace("pure Python", "{core}") for line in result.output.splitlines()]
    assert said in lines


@pytest.mark.parametrize(
    ("what", "hint"),
    [
        ("leave", "choose from leave.enabled, leave.visible, "),
        ("leav", "did you mean 'leave.enabled'?"),
        ("vesel.value", "did you mean 'vessel.value'?"),
        ("nights.markr", "did you mean 'nights.marker'?"),
        ("nope", "choose from vessel.value, nights.value, price.value, book.enabled, leave.enabled"),
    ],
)
def test_why_says_what_can_be_asked(what: str, hint: str) -> None:
    with rehearse(Stay) as desk:
        with pytest.raises(UnknownName) as error:
            desk.why(what)
        desk.press("leave")
    assert str(error.value).startswith(f"can't explain '{what}'; {hint}")


def test_why_shows_what_a_rule_reads_now_and_the_whole_text_that_was_typed() -> None:
    with rehearse(Stay) as desk:
        desk.type("nights", "21")
        assert desk.why("price.value").splitlines()[-1] == "  set by its rule, which reads nights.value (1)"
        desk.key("Enter")
        assert "caused by" in desk.why("price.value") and "unseen" not in desk.why("price.value")
        assert "type nights 21" in desk.why("nights.typed")
        desk.press("leave")
