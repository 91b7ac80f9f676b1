"""Values are the same if they are of one class and equal; 0 is a value like any other."""

from __future__ import annotations

from decimal import Decimal
from enum import StrEnum
from typing import Any

import pandas as pd
import pytest

from fuselatch import Button, Catalog, Choice, Event, Form, Integer, Label, Number, Text, derive
from fuselatch.rehearsal import rehearse
from fuselatch.report.anatomy import anatomy
from fuselatch.stores import MemoryRecords
from tests.helpers import act

HEARD: list[Any] = []
ITEMS: Any = (1, True, 1.0, Decimal(1), 0, False, (1,), (True,))


class Mixed(Form):
    """Its lists have items that are equal, but not the same."""

    one = Choice("One", choices=ITEMS, default=False)
    some = Choice("Some", choices=(1, True, 2), multiple=True)
    told = Label("Told", value=derive(lambda one: repr(one), one))
    both = Label("Both", value=derive(lambda one, some: f"{one!r} {some!r}", one, some))

    @one.changed
    @some.changed
    def hear(self, event: Event) -> None:
        HEARD.append(event.new)


@pytest.mark.parametrize("value", ITEMS, ids=repr)
def test_equal_items_of_other_classes_are_others(value: Any) -> None:
    with rehearse(Mixed) as desk:
        form: Any = desk.at(Mixed)
        assert form.one.value is False
        for other in (1, True, 1.0, (1,), (True,), value):
            form.one.value = other
            assert repr(form.one.value) == repr(other) == form.told.value
            assert form.one.position == [repr(item) for item in form.one.choices].index(repr(other))
        form.one.value = (1,) if value != (1,) else 1
        HEARD.clear()
        form.one.value = value
        form.some.value = (True, 1, True)
        assert repr([*HEARD, form.both.value]) == repr([value, (1, True), f"{value!r} (1, True)"])
        HEARD.clear()
        form.some.value = (1, True)
        assert not HEARD
        with pytest.raises(ValueError, match=r"2.0 isn't one of the choices; write 2"):
            form.some.value = (2.0,)


class Pier(StrEnum):
    NORTH = "North"


class Brought(Form, records="boats"):
    """Its values come from a store."""

    pier: Any = Choice("Pier", choices=Pier)
    number = Choice("Number", choices=(1, 2))
    late = Choice("Late", choices=lambda form: (1, 2))
    berth = Choice("Berth", choices=Catalog("berths", text="name", value="key", value_type=int))
    length = Number("Length")
    kept = Choice("Kept", choices=("a", "b"))


@pytest.mark.parametrize("frame", [False, True])
def test_a_store_brings_values_in_the_class_of_the_control(frame: bool) -> None:
    boats: Any = [{"pier": "North", "number": 1.0, "late": 2.0, "berth": 7.0, "length": 12, "kept": "gone"}]
    berths: Any = [{"key": 7.0, "name": "N7"}, {"key": 8.0, "name": "N8"}]
    if frame:
        boats, berths = pd.DataFrame(boats), pd.DataFrame(berths)
    with rehearse(Brought, records=MemoryRecords({"boats": boats, "berths": berths})) as desk:
        form = desk.at(Brought)
        got = [form.pier.value, form.number.value, form.late.value, form.berth.value, form.length.value, form.kept.value]
        assert repr(got) == repr([Pier.NORTH, 1, 2, 7, 12.0, "gone"])
        assert not form.records.is_changed
        act(desk, "pick berth N8")
        assert repr(form.berth.value) == "8"


class Zero(Form):
    """Its limits and its first values are zero, or empty."""

    least = Integer("Least", minimum=0)
    most = Number("Most", maximum=0)
    none = Text("None", max_length=0)
    first = Choice("First", choices=("", "a"), default="")
    start = Integer("Start", default=0)
    ok = Button("OK", closes="accepted")


def test_a_limit_of_zero_is_a_limit() -> None:
    about = {control.path: control.rules for control in anatomy(Zero).controls}
    assert (about["least"], about["most"], about["none"]) == (("minimum 0",), ("maximum 0",), ("max_length 0",))
    with rehearse(Zero) as desk:
        act(desk, "type least -1", "type most 1", "type none x", "tab")
        form = desk.at(Zero)
        assert [one.marker.level for one in (form.least, form.most, form.none)] == ["refuse"] * 3
        assert form.first.value == "" and form.start.value == 0
