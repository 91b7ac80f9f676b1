"""Groups: declared once, used more than once, nested, hidden and disabled as a whole; and subclassing."""

from __future__ import annotations

import pytest
from small.survey import Place, Survey

from fuselatch import Button, DeclarationError, Form, Text
from fuselatch.core.forms.form import controls_of, plan_of
from fuselatch.rehearsal import rehearse
from tests.helpers import act


def test_a_subclass_leaves_controls_out_with_what_hears_them() -> None:
    class Small(Survey, without=("second", "tide", "total")):
        extra = Text("Extra")

    assert "tide.low" not in plan_of(Small).controls and list(plan_of(Small).controls)[-1] == "extra"
    with rehearse(Small) as desk:
        act(desk, "type first.name x", "tab", "type first.depth.high 4", "tab")
        assert desk.at(Small).heard.value == "+"
        assert [path for path in controls_of(desk.form) if "." not in path] == ["deep", "heard", "save", "extra"]


def test_wrong_groups_fail_when_the_class_is_made() -> None:
    with pytest.raises(
        DeclarationError, match=r"Bad\.totl: without='totl': no such control or member; did you mean 'total'\?"
    ):
        type("Bad", (Survey,), {}, without=("totl",))
    with pytest.raises(DeclarationError, match=r"unknown option 'visble'; did you mean 'visible'\?"):
        Place("Place", visble=True)  # type: ignore[call-arg]
    with pytest.raises(DeclarationError, match=r"Twice\.b: shortcut Ctrl\+B is already used by 'a'; choose another"):

        class Twice(Form):
            a = Button("A", keys="ctrl+b")
            b = Button("B", keys="Ctrl+B")
