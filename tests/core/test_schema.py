"""Declared rules compared with an independent validator: the form's JSON Schema in the jsonschema package."""

from __future__ import annotations

import json
from decimal import Decimal
from pathlib import Path
from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from saltmarsh.scenes import quiet_monday

from fuselatch import Choice, Date, DateTime, Form, Integer, Money, Number, Percent, Text, Tick, Time
from fuselatch.frontends import Session
from fuselatch.rehearsal import rehearse
from fuselatch.report.schema import form_schema, view_schema, view_types
from tests.helpers import act, examples

DOCS = Path(__file__).parents[2] / "docs"


class Ruled(Form):
    """A control for every rule that JSON Schema can express."""

    text = Text("Text", required=True, min_length=2, max_length=5)
    code = Text("Code", pattern="[a-c]x?$", min_length=1)
    short = Text("Short", max_length=3)
    number = Number("Number", minimum=-1.5, maximum=2)
    needed = Number("Needed", required=True, minimum=0)
    share = Percent("Share", maximum=1)
    integer = Integer("Integer", minimum=-2, maximum=3)
    money = Money("Money", minimum=Decimal(0), maximum=Decimal(10), decimals=1)
    day = Date("Day", required=True)
    hour = Time("Hour")
    due = DateTime("Due")
    tick = Tick("Tick", required=True)
    free = Tick("Free")
    pier = Choice("Pier", choices=("North", "South"), required=True)
    size = Choice("Size", choices=(1, 2))


NUMBERS = st.one_of(st.none(), st.integers(-4, 4), st.sampled_from([-1.5, -1.6, 2.5, 0.0, 1.0]))
RECORDS = st.fixed_dictionaries(
    {
        "text": st.text("ab", max_size=7),
        "code": st.text("abcx", max_size=3),
        "short": st.text("a", max_size=5),
        "number": NUMBERS,
        "needed": NUMBERS,
        "share": NUMBERS,
        "integer": st.one_of(st.none(), st.integers(-4, 5)),
        "money": st.one_of(st.none(), st.integers(-2, 12)),
        "day": st.one_of(st.none(), st.dates()),
        "hour": st.one_of(st.none(), st.times().map(lambda time: time.replace(microsecond=0))),
        "due": st.one_of(st.none(), st.datetimes().map(lambda moment: moment.replace(microsecond=0))),
        "tick": st.booleans(),
        "free": st.booleans(),
        "pier": st.sampled_from([None, "North", "South"]),
        "size": st.sampled_from([None, 1, 2]),
    }
)
JUDGE = Draft202012Validator(form_schema(Ruled))
SESSION = Session(Ruled, recording=False)


@examples(10)
@given(RECORDS)
def test_the_two_judges_agree(record: dict[str, Any]) -> None:
    form = SESSION.front
    for name, value in record.items():
        getattr(form, name).value = value
    ours = {name for name in record if getattr(form, name).findings}
    plain = {name: value.isoformat() if hasattr(value, "isoformat") else value for name, value in record.items()}
    theirs = {str(error.path[0]) for error in JUDGE.iter_errors(plain)}
    assert ours == theirs


def test_the_schemas_are_schemas_and_the_view_fits_its_own() -> None:
    shipped = json.loads((DOCS / "view.schema.json").read_text(encoding="utf-8"))
    assert shipped == view_schema()
    assert (DOCS.parent / "src/fuselatch/frontends/page/static/view.d.ts").read_text(encoding="utf-8") == view_types()
    for schema in (shipped, form_schema(Ruled)):
        Draft202012Validator.check_schema(schema)
    with rehearse(quiet_monday) as desk:
        act(desk, "press find", "type begins Ki")
        view = json.loads(json.dumps(desk.session.view.to_dict()))
        Draft202012Validator(shipped).validate(view)
        assert hash(desk.session.view) == hash(desk.session.view)
        desk.close()
