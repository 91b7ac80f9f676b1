"""Rules may read findings, markers, and whether a control or the form is valid; closed forms are let go."""

from __future__ import annotations

import pytest
from small.valid import Soundings

from fuselatch import Form, HandlerFailed, Label, Text
from fuselatch.frontends import Session
from fuselatch.rehearsal import rehearse


def test_the_value_that_breaks_a_rule_is_still_the_value() -> None:
    with rehearse(Soundings) as desk:
        form = desk.at(Soundings)
        form.low.value = -3
        assert (form.low.value, form.low.valid_value, form.high.is_valid) == (-3, None, True)
        form.low.value = 3
        assert form.low.valid_value == 3


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
