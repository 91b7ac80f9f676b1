"""Values are the same if they are of one class and equal; 0 is a value like any other."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

import pandas as pd
import pytest

from fuselatch import Catalog, Choice, Form, Number
from fuselatch.rehearsal import rehearse
from fuselatch.stores import MemoryRecords
from tests.helpers import act


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
