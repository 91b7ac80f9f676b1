"""The options of sessions, scenes, rehearsals and cue sheets are one set of names with one set of defaults."""

from __future__ import annotations

import inspect
from datetime import datetime
from typing import Any, get_overloads

import pytest

from fuselatch import Date, Form, Text
from fuselatch.core.engine.state.session_options import USUAL, SessionOptions
from fuselatch.core.forms.collect import RESERVED
from fuselatch.frontends import Session
from fuselatch.rehearsal import read_cues, rehearse, run_cues
from fuselatch.rehearsal.grammar import OPENING
from fuselatch.scenes import OPTIONS, Scene, SceneOptions, scene
from fuselatch.stores import MemoryRecords

ONLY_SESSION = {"clock", "formats", "params", "recording"}
"""Options that a scene has in another form: `now`, `locale`, its other names; its desk needs the trace."""
ONLY_SCENE = {"explored", "slow_calls_by", "slow_calls_on"}
"""Options of a scene alone, which no form has as params."""


def test_names_and_defaults_agree() -> None:
    for options, usual in ((SessionOptions, USUAL), (SceneOptions, OPTIONS)):
        assert options.__optional_keys__ == usual.keys()
    shared = USUAL.keys() - ONLY_SESSION
    assert OPTIONS.keys() - shared == {"now", "locale", *ONLY_SCENE}
    typed = get_overloads(rehearse)[1]
    named = inspect.signature(typed).parameters.keys() - {"args", "params", "form", "slow_calls"}
    assert named == OPTIONS.keys() - {"explored", "slow_calls_on"}
    assert OPENING.keys() & OPTIONS.keys() == {"user", "locale", "now", "policy", "forms"}
    assert OPTIONS.keys() - ONLY_SCENE <= RESERVED


class Day(Form):
    """Shows a date in the session's locale."""

    day = Date("Day", default=lambda form: form.session.today())
    who = Text("Who", default=lambda form: form.session.user)


@scene
def german() -> Scene:
    """Return a scene with other options than the usual ones."""
    return Scene(Day, user="Imke", locale="de", now=datetime(2031, 7, 1))


@pytest.mark.parametrize(
    ("given", "texts"),
    [
        ({}, ("01.07.2031", "Imke")),
        ({"locale": "en"}, ("7/1/2031", "Imke")),
        ({"user": ""}, ("01.07.2031", "")),
        ({"now": datetime(2031, 5, 4, 9, 30)}, ("04.05.2031", "Imke")),
    ],
)
def test_an_option_that_is_given_counts_also_if_it_is_the_usual_one(given: dict[str, Any], texts: tuple[str, str]) -> None:
    desk = rehearse(german, **given).__enter__()
    assert tuple(control.text for control in desk.session.view.forms[0].controls) == texts
    desk.end()
    words = {"user": '""', **{name: str(value) for name, value in given.items() if value != ""}}
    lines = [f"{name}  {words[name].replace(' ', 'T')}" for name in given]
    sheet = read_cues("\n".join([f"scene {__name__}:german", *lines, f"expect day.text {texts[0]}"]), "given.cues")
    assert not [step.problem for step in run_cues(sheet).steps if step.problem]


def test_an_unknown_option_is_refused() -> None:
    with pytest.raises(TypeError, match=r"no option 'locl'; did you mean 'clock'\?|no option 'locl'"):
        Session(Day, locl="de")  # type: ignore[call-arg]
    with pytest.raises(TypeError, match="at= and only= need a form with records="):
        Session(Day, at=1)
    with pytest.raises(TypeError, match="max_runs must be a number of handler runs, not '9'"):
        Session(Day, max_runs="9")  # type: ignore[arg-type]
    assert Scene(Day, records={"days": []}).records.__class__ is MemoryRecords
