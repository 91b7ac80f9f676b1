"""A new kind of control, declared in one file: its keys, drawing, limits, event, and how it is stored."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest

from fuselatch import Button, Form
from fuselatch.cli import main
from fuselatch.rehearsal import rehearse
from fuselatch.report.schema import form_schema
from fuselatch.report.screen import screen
from fuselatch.review.generating import from_function
from tests.core.stars import Stars
from tests.helpers import act, store_of


class Mooring(Form, records="moorings"):
    """A guest's rating of a mooring."""

    stars = Stars("Stars", required=True)
    ok = Button("OK", submits=True, after_submit="same")

    @stars.rated
    def thank(self, event: Any) -> None:
        """Say thanks."""
        self.say(f"Thanks for {event.new}")


class Grade(Stars):
    """Stars for parameters that are grades."""

    generated_for = complex


def graded(grade: complex) -> None:
    """Note a grade."""


@pytest.mark.parametrize("kind", ["memory", "csv", "sqlite"])
def test_keys_change_it_and_every_store_has_it(kind: str, tmp_path: Path) -> None:
    store = store_of(kind, tmp_path, {"moorings": [{"id": 1, "stars": 2}]})
    with rehearse(Mooring, records=store) as desk:
        form = desk.at(Mooring)
        assert form.stars.text == "★★☆☆☆"
        act(desk, "focus stars", "key Up", "key Up")
        view = desk.session.view.forms[0]
        stars: Any = view.controls[0]
        assert (stars.text, stars.takes, view.message) == ("★★★★☆", ("Up", "Down"), "Thanks for 4")
        assert (stars.part.minimum, stars.part.maximum, stars.part.holds) == ("1", "5", "number")
        assert any("★★★★☆" in line for line in screen(desk.session.view))
        act(desk, "type stars 9", "tab")
        assert form.stars.marker.text == "Not 1 to 5 stars: 9"
        act(desk, "type stars ★★★", "press ok")
        desk.close()
    store.look()
    assert [row["stars"] for row in store.read("moorings")] == [3]


def test_it_is_exported_generated_and_described(capsys: Any, tmp_path: Path) -> None:
    assert form_schema(Mooring)["properties"] == {"stars": {"title": "Stars", **Stars.json}}
    main(["describe", f"{__name__}:Mooring", "--picture", str(tmp_path / "mooring.png")], standalone_mode=False)
    main(["describe", f"{__name__}:Mooring"], standalone_mode=False)
    assert re.search("  stars  stars +'Stars'", capsys.readouterr().out) and (tmp_path / "mooring.png").stat().st_size > 1000
    assert 'grade = Grade("Grade"' in from_function(graded, "graded").source
