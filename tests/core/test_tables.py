"""Tables: rows of a source in columns, sorted, filtered, chosen and double-clicked."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any, ClassVar, cast
from unittest.mock import patch

import pytest

from fuselatch import (
    Button,
    Catalog,
    Choice,
    DeclarationError,
    Event,
    Form,
    HandlerFailed,
    Refused,
    Table,
    Text,
    UnknownName,
)
from fuselatch.rehearsal import rehearse
from fuselatch.stores import MemoryRecords
from tests.helpers import act

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


def test_a_row_is_chosen_kept_while_it_is_there_and_handed_over() -> None:
    desk, store = opened()
    form = desk.at(Plan)
    act(desk, "pick pier North", "pick berths N1")
    assert form.berths.row == BERTHS[1] and form.told.value == "3 12.0"
    desk.sort("berths", "name")
    assert form.berths.value == "N1" and form.berths.position == 0
    act(desk, "double berths N3", "key Enter")
    assert form.taken.value == "N3 N3 " and form.is_open
    desk.type("berths", "n2")
    desk.key("Enter")  # takes the match
    desk.key("Enter", repeat=3)
    assert form.taken.value == "N3 N3 N2 "
    desk.pick("pier", "South")
    assert form.berths.value is None and form.berths.count == 1
    store.sources["berths"] = [*BERTHS, {**BERTHS[2], "name": "S2"}]
    store.versions["berths"] += 1
    form.refresh()
    assert names(form.berths) == ["S1", "S2"]
    act(desk, "focus all_of_them", "key Enter")
    assert not form.is_open, "no handlers double click, so that Enter presses the default button"


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


def test_a_column_or_source_that_is_not_there_is_told_at_opening() -> None:
    class Wrong(Form):
        rows = Table("Rows", rows=Catalog("berths", text="name"), columns=("name", "lenght"))

    class Nowhere(Form):
        rows = Table("Rows", rows=Catalog("berhts", text="name"), columns=("name",))

    for form, message in (
        (Wrong, "'berths' has no column 'lenght'; did you mean 'length'"),
        (Nowhere, "unknown record source 'berhts'; did you mean 'berths'"),
    ):
        with pytest.raises(UnknownName, match=message):
            rehearse(form, records=MemoryRecords({"berths": BERTHS})).__enter__()


class Quotes(Form, title="Quotes"):
    """A table whose rows a function of the form makes."""

    hours = Choice("Hours", choices=(1, 2, 3), default=2)
    offered: ClassVar[list[Any]] = []
    quotes = Table(
        "Quotes",
        rows=lambda form: [dict(one, total=one["rate"] * (form.hours.value or 0)) for one in form.offered],
        columns=("boat", "total"),
        key="id",
        sort="total",
        required=True,
    )
    ok = Button("OK", closes="accepted")


BOATS = [
    {"id": 1, "boat": "Launch", "rate": 30},
    {"id": 2, "boat": "Dinghy", "rate": 12},
    {"id": 3, "boat": "Dinghy", "rate": 9},
]


def test_a_function_of_the_form_makes_the_rows() -> None:
    with patch.object(Quotes, "offered", BOATS), rehearse(Quotes) as desk:
        quotes = desk.at(Quotes).quotes
        assert [row["total"] for row in quotes.rows()] == [18, 24, 60]
        before = quotes.choices
        act(desk, "sort quotes boat", "sort quotes total")
        assert quotes.choices is before  # nothing to draw again
        act(desk, "pick hours 3", "sort quotes boat", "pick quotes Launch")
        assert [row["id"] for row in quotes.rows()] == [2, 3, 1] and quotes.row == {**BOATS[0], "total": 90}
        with pytest.raises(Refused, match="2 items read 'Dinghy'"):
            act(desk, "pick quotes Dinghy")
        act(desk, "pick quotes Dinghy where rate 9")
        assert quotes.value == 3
        desk.press("ok")
        assert desk.outcome is not None and desk.outcome[Quotes.quotes] == 3


class Given(Form, title="Given"):
    """A table whose rows are given to the form."""

    offered: ClassVar[Any] = []
    boats = Table("Boats", rows=lambda form: form.offered, columns=("boat",), key="id")


@pytest.mark.parametrize(
    ("given", "message"),
    [
        (["Launch"], "rows must be mappings .*, not 'Launch'"),
        ({"id": 1}, "rows must be mappings"),
        ([{"boat": "Launch"}], "'rows' has no column 'id'"),
    ],
)
def test_wrong_rows_of_a_function_are_told(given: Any, message: str) -> None:
    with patch.object(Given, "offered", given), pytest.raises(HandlerFailed, match=message):
        rehearse(Given).__enter__()
