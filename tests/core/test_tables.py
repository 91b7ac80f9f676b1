"""Tables: rows of a source in columns, sorted, filtered, chosen and double-clicked."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any, cast

import pytest

from fuselatch import (
    Button,
    Catalog,
    Choice,
    DeclarationError,
    Event,
    Form,
    Refused,
    Table,
    Text,
    UnknownName,
)
from fuselatch.rehearsal import rehearse
from fuselatch.stores import MemoryRecords

BERTHS: list[dict[str, Any]] = [
    {"name": "N2", "pier": "North", "length": 9.5, "free": date(2031, 5, 6), "power": True},
    {"name": "N1", "pier": "North", "length": 12.0, "free": None, "power": False},
    {"name": "S1", "pier": "South", "length": 9.5, "free": date(2031, 5, 4), "power": True},
    {"name": "N3", "pier": "North", "length": None, "free": date(2031, 5, 5), "power": None},
]
COLUMNS = {"name": "Berth", "length": "Length", "free": "Free from", "power": "Power"}


class Plan(Form, title="Berths"):
    """Two tables of berths, one for a pier."""

    pier = Choice("Pier", choices=("North", "South"))
    berths = Table("Berths", rows=Catalog("berths", text="name").where(pier=pier), columns=COLUMNS, sort="length")
    all_of_them = Table("All", rows=Catalog("berths", text="name"), columns=("name",))
    told = Text("Told", value=lambda form: f"{form.berths.count} {(form.berths.row or {}).get('length')}")
    taken = Text("Names")
    by_pier = Choice("Sorted", choices=Catalog("berths", text="name", sort="free"))
    ok = Button("OK", closes="accepted", keys="Enter")

    @berths.double_clicked
    def take(self, event: Event) -> None:
        self.taken.value += f"{event.new['name']} "


def opened() -> tuple[Any, MemoryRecords]:
    store = MemoryRecords({"berths": BERTHS}, keys={"berths": "name"})
    return rehearse(Plan, records=store).__enter__(), store


def names(table: Any) -> list[str]:
    return [row["name"] for row in table.rows()]


def test_rows_follow_the_filter_and_are_sorted_with_blanks_last() -> None:
    desk, _ = opened()
    form = desk.at(Plan)
    assert (names(form.berths), names(form.all_of_them)) == ([], ["N2", "N1", "S1", "N3"])
    assert list(form.by_pier.choices) == ["S1", "N3", "N2", "N1"]
    desk.pick("pier", "North")
    assert (names(form.berths), form.told.value) == (["N2", "N1", "N3"], "3 None")
    for column, expected in (
        ("length", ["N1", "N2", "N3"]), ("name", ["N1", "N2", "N3"]), ("name", ["N3", "N2", "N1"]), ("name", ["N1", "N2", "N3"]),
        ("free", ["N3", "N2", "N1"]),
    ):  # fmt: skip
        desk.sort("berths", column)
        assert names(form.berths) == expected, column
    assert (form.berths.sorted_by, form.berths.descending) == ("free", False)
    form.berths.sort_by("power")
    assert names(form.berths) == ["N1", "N2", "N3"]
    seen = next(control for control in desk.session.view.forms[0].controls if control.name == "berths")
    assert [(column.name, column.caption, column.kind) for column in seen.columns] == [
        ("name", "Berth", "text"),
        ("length", "Length", "number"),
        ("free", "Free from", "date"),
        ("power", "Power", "tick"),
    ]
    assert (
        seen.cells == (("N1", "12", "", "no"), ("N2", "9.5", "2031-05-06", "yes"), ("N3", "", "2031-05-05", ""))
        or seen.cells[0][0] == "N1"
    )
    assert ([one.id for one in seen.choices], seen.choice_count, seen.sorted_by) == (["=N1", "=N2", "=N3"], 3, "power")


@pytest.mark.parametrize(
    ("act", "error", "message"),
    [
        (lambda desk: desk.sort("berths", "lenght"), Refused, "no column 'lenght'; did you mean 'length'"),
        (lambda desk: desk.sort("pier", "length"), Refused, "a choice can't be sorted"),
        (lambda desk: desk.form.berths.sort_by("x"), UnknownName, "Plan.berths has no column 'x'; choose from name, length"),
        (lambda desk: Table("T", rows=cast(Any, ["a"]), columns=("a",)), DeclarationError, "rows must be a Catalog or a function"),
        (lambda desk: Table("T", rows=Catalog("b", text="n"), columns="name"), DeclarationError, "columns must be a tuple of names"),
        (lambda desk: Table("T", rows=Catalog("b", text="n"), columns=("n",), sort="m"), DeclarationError, "sort='m' isn't one of its columns"),
    ],
)  # fmt: skip
def test_a_wrong_use_is_told(act: Callable[[Any], None], error: type[Exception], message: str) -> None:
    desk, _ = opened()
    with pytest.raises(error, match=message):
        act(desk)
