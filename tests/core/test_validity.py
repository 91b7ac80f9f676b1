"""Rules may read findings, markers, and whether a control or the form is valid; closed forms are let go."""

from __future__ import annotations

import pytest
from small.valid import Soundings

from fuselatch import Form, HandlerFailed, Label, Number, Text, check
from fuselatch.frontends import Session
from fuselatch.rehearsal import rehearse
from tests.helpers import act


def test_the_value_that_breaks_a_rule_is_still_the_value() -> None:
    with rehearse(Soundings) as desk:
        form = desk.at(Soundings)
        form.low.value = -3
        assert (form.low.value, form.low.valid_value, form.high.is_valid) == (-3, None, True)
        form.low.value = 3
        assert form.low.valid_value == 3


class Near(Form):
    """Tells if one entry is valid, which also depends on the others; nothing asks about the form."""

    low = Number("Low")
    high = Number("High")
    found = Label("Found", value=lambda form: f"{form.high.is_valid} {form.low.is_valid}")
    hidden = Number("Hidden", visible=False)

    @check(low, high, at=high)
    def in_order(self, low: float, high: float) -> str | None:
        return "wrong way round" if high < low else None

    @check(low, high, at=hidden)
    def apart(self, low: float, high: float) -> str | None:
        return "too far apart" if high - low > 9 else None


def test_whether_an_entry_is_valid_follows_the_others_as_they_are_typed() -> None:
    with rehearse(Near) as desk:
        found = desk.at(Near).found
        act(desk, "type high 3", "type low 5")
        assert found.value == "False True"
        act(desk, "type low x")
        assert found.value == "True False"
        act(desk, "type low 4", "type high 14", "tab")
        assert found.value == "True False", "the first entry shows what is wrong at the hidden one"
        act(desk, "type high 12", "tab")
        assert found.value == "True True"


@pytest.mark.parametrize("judged", ["form.is_valid", "form.a.is_valid", "form.a.findings"])
def test_what_judges_itself_is_a_circle(judged: str) -> None:
    rule = eval(f"lambda form: bool({judged})")
    form = type(
        "Circle",
        (Form,),
        {"b": Label("B", value=lambda form: str(form.is_valid)), "a": Text("A", required=True, enabled=rule)},
    )
    with pytest.raises(HandlerFailed, match=r"circle: .*a\.enabled"):
        Session(form)
