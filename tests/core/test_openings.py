"""Start positions of a bound form: a key, a blank field, the host's selection, a parent; captions and defaults."""

from __future__ import annotations

from typing import Any

import pytest

from fuselatch import Button, Form, Integer, Number, Text, UnknownName, first_blank, host_selection, last_entered
from fuselatch.frontends import Session
from fuselatch.rehearsal import Desk
from fuselatch.scenes import Scene
from fuselatch.services import Host, Selection
from fuselatch.stores import MemoryRecords
from tests.helpers import act

SCORES: list[dict[str, Any]] = [
    {"number": 1, "name": "Ulle", "pier": "North", "score": 3.0, "Boat name": "Eider"},
    {"number": 2, "name": "Nolke", "pier": "South", "score": None, "Boat name": None},
    {"number": 3, "name": None, "pier": "North", "score": None, "Boat name": "Teal"},
]


class Scores(Form, title="Scores", records="scores"):
    name = Text("Name", required=True)
    score = Number("Score")
    pier = Text(default=last_entered())
    boat_name = Text("")
    again = Integer("Again", default=last_entered())
    keep = Button("Keep", submits=True, after_submit="new")


class AtDesk(Host):
    """A host in which something is selected, or nothing."""

    def __init__(self, chosen: Selection | None) -> None:
        self.chosen = chosen

    def selected(self) -> Selection | None:
        return self.chosen


def scores() -> MemoryRecords:
    return MemoryRecords({"scores": SCORES}, keys={"scores": "number"})


NOTHING = "Nothing is selected. Select a row of scores"


@pytest.mark.parametrize(
    ("chosen", "key", "message"),
    [
        (Selection("scores", 3), 3, ""),
        (None, 1, NOTHING),
        (Selection("boats", 3), 1, "The selected row belongs to boats. Select a row of scores"),
        (Selection("scores", 9), 1, "scores has no row 9"),
    ],
)
def test_a_form_begins_at_what_the_host_has_selected_or_says_why_not(chosen: Any, key: int, message: str) -> None:
    scene = Scene(Scores, records=scores(), at=host_selection(), services={Host: AtDesk(chosen)})
    with Desk(scene) as desk:
        form: Any = desk.form
        assert (form.records.key, desk.session.view.forms[0].message) == (key, message)


def test_a_fresh_record_under_a_parent_belongs_to_it() -> None:
    store = scores()
    with Desk(Scene(Scores, records=store, only={"pier": "West"})) as desk:
        act(desk, "type name Ulle", "press keep")
        assert store.sources["scores"][3]["pier"] == "West" and "(1 saved)" in str(desk.session.view.forms[0].record)


def test_the_last_value_entered_is_where_the_next_record_begins_and_is_no_change() -> None:
    with Desk(Scene(Scores, records=scores(), at=first_blank("pier"))) as desk:
        form: Any = desk.form
        assert (form.pier.value, form.again.value) == ("", None)
        for control, text in (("name", "Ulle"), ("pier", "East"), ("again", "7")):
            desk.type(control, text)
        desk.press("keep")
        assert (form.pier.value, form.again.value, form.records.is_changed) == ("East", 7, False)


@pytest.mark.parametrize(
    ("form", "at", "only", "error", "message"),
    [
        (Scores, 9, None, UnknownName, "'scores' has no record 9; choose from 1, 2, 3"),
        (Scores, first_blank("scroe"), None, UnknownName, "Scores has no bound column 'scroe'; did you mean 'score'"),
        (Scores, None, {"peer": 1}, UnknownName, "'scores' has no column 'peer'; did you mean 'pier'"),
        (Scores, host_selection(), None, UnknownName, "this session has no service Host"),
    ],
)
def test_a_wrong_beginning_is_told(form: Any, at: Any, only: Any, error: type[Exception], message: str) -> None:
    with pytest.raises(error, match=message):
        Session(form, records=scores(), at=at, only=only)
