"""Rules may read findings, markers, and whether a control or the form is valid; closed forms are let go."""

from __future__ import annotations

from typing import Any

import pytest

from fuselatch import Button, Form, HandlerFailed, Label, Number, Text, Tick, check, warn
from fuselatch.frontends import Session
from fuselatch.rehearsal import rehearse
from tests.helpers import act


class Valid(Form):
    """Its OK button works while all is valid."""

    low = Number("Low", required=True, minimum=0)
    high = Number("High")
    off = Tick("Off")
    note = Text("Note", min_length=3, enabled=lambda form: not form.off.value)
    told = Label("Told", value=lambda form: "; ".join(finding.text for finding in form.low.findings))
    shown = Label("Shown", value=lambda form: form.low.marker.text)
    one = Label("One", value=lambda form: "valid" if form.high.is_valid else "wrong")
    ok = Button("OK", closes="accepted", enabled=lambda form: form.is_valid)

    @check(low, high, at=high)
    def in_order(self, low: float, high: float) -> Any:
        return "wrong way round" if high < low else warn("far") if high - low > 50 else None


@pytest.mark.parametrize(
    ("steps", "ok", "one", "told", "shown"),
    [
        ([], False, "valid", "", ""), (["type low 5"], True, "valid", "", ""), (["type low -5"], False, "valid", "", ""),
        (["type low -5", "tab"], False, "valid", "Too low: -5. Minimum is 0", "Too low: -5. Minimum is 0"), (["type low x"], False, "valid", "", ""),
        (["type low 5", "tab", "type high 3"], False, "wrong", "", ""),
        (["type low 5", "tab", "type high 3", "tab", "type low 2"], True, "valid", "", ""),
        (["type low 5", "tab", "type high 99"], True, "valid", "", ""), (["type low 5", "type note ab"], False, "valid", "", ""),
        (["type low 5", "type note ab", "tick off"], True, "valid", "", ""), (["type low 5", "type note ab", "key Escape"], True, "valid", "", ""),
    ],
)  # fmt: skip
def test_validity_is_judged_as_it_is_typed(steps: list[str], ok: bool, one: str, told: str, shown: str) -> None:
    with rehearse(Valid) as desk:
        act(desk, *steps)
        form = desk.at(Valid)
        assert (form.ok.enabled, form.one.value, form.shown.value) == (ok, one, shown) and (
            not told or form.told.value == told
        )
        assert form.is_valid is ok and desk.session.view.forms[0].controls[-1].enabled is ok


def test_the_value_that_breaks_a_rule_is_still_the_value() -> None:
    with rehearse(Valid) as desk:
        form = desk.at(Valid)
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


class Told(Form, records="boats"):
    """A rule over the findings of an entry that has no column."""

    name = Text("Name", required=True)
    count = Number("Count", maximum=5)
    found = Label("Found", value=lambda form: str(len(form.count.findings)))
