"""Values that are typed or set come back from each store as they were, or are refused and leave the store as it was."""

from __future__ import annotations

import json
import tempfile
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fuselatch import Button, Date, DateTime, Form, Integer, Money, Number, Percent, Text, Tick, Time
from fuselatch.core.model.record_changes import Change
from fuselatch.rehearsal import Desk
from fuselatch.scenes import Scene
from fuselatch.stores import MemoryRecords, Store
from fuselatch.stores.addresses import open_records
from fuselatch.stores.sql import SqlRecords
from tests.helpers import address_of, store_of

ANY: Any = st.text(st.characters(exclude_categories=()), max_size=12)
"""Texts of all characters, also lone surrogates and those that XML can't have."""
ODD = ["007", "1_000", "1e5", "1e-7", "20310505", "TRUE", "1,5", "=1+1", "'=x", "''-1", "@SUM(A1)", "+49", 'say "x"', "a;b", "_x000D_", " x ", "a\rb", "x" * 140_000]  # fmt: skip
NUMBERS = [0.1, 1e-7, -0.0, 1e300, 2**53, 2**63, 10**20, 1 / 3]


class Kept(Form, records="kept"):
    """A form with a control of each kind."""

    text = Text("Text")
    lines = Text("Lines", look="multi-line")
    whole = Integer("Whole")
    number = Number("Number")
    money = Money("Money")
    share = Percent("Share", decimals=4)
    day = Date("Day")
    at = Time("At")
    moment = DateTime("Moment")
    on = Tick("On")
    keep = Button("Keep", submits=True, after_submit="new")


VALUES: dict[str, Any] = {
    "text": st.one_of(ANY, st.sampled_from(ODD)),
    "lines": st.one_of(
        ANY, st.sampled_from(["a\nb", " x\n", "\n", "\ud800", "\ufffe", "\x00", "a\x0bb", "a\rb", "😀" * 20_000])
    ),
    "whole": st.integers() | st.sampled_from([2**53, 2**63, 10**20]),
    "number": st.floats(allow_nan=False, allow_infinity=False) | st.sampled_from(NUMBERS),
    "money": st.decimals(-(10**20), 10**20, places=2),
    "share": st.decimals(-1, 1, places=6),
    "day": st.dates(),
    "at": st.times(),
    "moment": st.datetimes(),
    "on": st.booleans(),
}
TYPES: dict[str, Any] = {
    "text": "string", "lines": "string", "whole": "integer", "number": "double", "money": "decimal", "share": "decimal",
    "day": "date", "at": "time", "moment": "dateTime", "on": "boolean",
}  # fmt: skip
SAMPLE: dict[str, Any] = {
    "number": 0.5, "whole": 1, "money": Decimal("1.25"), "share": Decimal("0.5"), "day": date(2031, 5, 4), "at": time(9, 30),
    "moment": datetime(2031, 5, 4, 9, 30), "on": True, "text": "a", "lines": "a",
}  # fmt: skip
ROW = st.fixed_dictionaries({}, optional=VALUES)


def made(kind: str, folder: Path, postgresql: str) -> str:
    """Make a store of a kind, a database with one row; return its address."""
    plain = kind.removesuffix(" with schema")
    store = store_of(plain, folder, {"kept": [{"id": 1, **SAMPLE}]}, lambda: postgresql)
    if plain in ("csv", "workbook"):
        store.write([Change("remove", "kept", 1, {})])
    elif plain != "json lines":
        store.close()
    if kind == "csv with schema":
        columns = [{"name": name, "datatype": TYPES.get(name, "integer")} for name in ("id", *SAMPLE)]
        schema = json.dumps({"tableSchema": {"columns": columns, "primaryKey": "id"}})
        folder.joinpath("kept.csv-metadata.json").write_text(schema, encoding="utf-8")
    return address_of(plain, folder, lambda: postgresql)


def keep(store: Store, row: dict[str, Any]) -> dict[str, Any] | None:
    """Enter a row through the form; return what the form had, or None if it was refused."""
    with Desk(Scene(Kept, records=store)) as desk:
        form: Any = desk.at(Kept)
        form.records.new()
        for name, value in row.items():
            try:
                getattr(form, name).value = value
            except (TypeError, ValueError):
                return None
        had = {name: getattr(form, name).value for name in VALUES}
        desk.press("keep")
        if desk.prompt:
            assert desk.prompt.title == "Not saved" and "\n" not in desk.prompt.text
            desk.answer("Keep editing")
            assert {name: getattr(form, name).value for name in VALUES} == had, "what was entered is still there"
            return None
        return had


def all_kept(store: Store) -> list[dict[str, Any]]:
    """Return what the form shows of each record."""
    found = []
    with Desk(Scene(Kept, records=store)) as desk:
        form: Any = desk.at(Kept)
        for at in range(form.records.count):
            found.append({name: getattr(form, name).value for name in VALUES})
            if at + 1 < form.records.count:
                desk.record("next")
    return found


@pytest.mark.parametrize("kind", ["memory", "csv", "csv with schema", "json lines", "sqlite", "postgresql", "workbook"])
def test_values_come_back_equal_or_are_refused(kind: str, request: pytest.FixtureRequest) -> None:
    postgresql = request.getfixturevalue("postgresql") if kind == "postgresql" else ""

    @settings(
        max_examples=max(1, request.config.getoption("--values") // 20),
        deadline=None,
        suppress_health_check=list(HealthCheck),
    )
    @given(st.lists(ROW, min_size=1, max_size=4))
    def come_back(rows: list[dict[str, Any]]) -> None:
        with tempfile.TemporaryDirectory() as folder:
            if kind == "memory":
                store: Store = MemoryRecords({"kept": [{"id": 1, **SAMPLE}]})
                address = ""
            else:
                address = made(kind, Path(folder), postgresql)
                store = open_records(address)
            expected = all_kept(store) if store.read("kept") else []
            for row in rows:
                had = keep(store, row)
                expected += [had] if had is not None else []
            again = store if kind == "memory" else open_records(address)
            assert (all_kept(again) if expected else []) == expected
            for used in (store, again):
                if isinstance(used, SqlRecords):
                    used.close()

    come_back()


PROMISED: dict[str, list[tuple[str, Any]]] = {
    "a text in any script": [("text", "Møre 漢字 😀"), ("lines", "a\nb")],
    "a text like a number, a date or a formula": [("text", text) for text in ("007", "1e5", "2031-05-04", "TRUE", "=1+1")],
    "a text of 40,000 characters": [("text", "x" * 40_000)],
    "a return within a text": [("lines", "a\rb")],
    "a control character": [("lines", "a\x0bb")],
    "a zero character": [("lines", "a\x00b")],
    "half of a pair of characters": [("lines", "\ud800")],
    "a whole number of 20 digits": [("whole", 12345678901234567890)],
    "a number of any size": [("number", 1e300), ("number", 1e-7)],
    "an amount of 19 digits": [("money", Decimal("12345678901234567.89"))],
    "a day before 1900": [("day", date(1899, 12, 31))],
    "a time of day, a moment, a tick": [("at", time(23, 59, 59)), ("moment", datetime(2031, 5, 4)), ("on", True)],
}
"""The rows of the table in docs/records.md."""


def test_each_store_keeps_what_the_docs_promise(tmp_path: Path, postgresql: str) -> None:
    page = Path(__file__, "../../../docs/records.md").resolve().read_text(encoding="utf-8")
    head, _, *rows = (
        line.strip("| ").split(" | ") for line in page.splitlines() if line.startswith("|") and line.count("|") == 8
    )
    assert [row[0] for row in rows] == list(PROMISED)
    for kind, name in zip(("memory", "csv", "json lines", "sqlite", "postgresql", "workbook"), head[1:], strict=True):
        folder = tmp_path / kind
        folder.mkdir()
        address = made(kind, folder, postgresql) if kind != "memory" else ""
        store: Any = open_records(address) if address else MemoryRecords({"kept": [{"id": 1, **SAMPLE}]})
        for row in rows:
            had = [keep(store, {control: value}) for control, value in PROMISED[row[0]]]
            assert ("kept" if None not in had else "refused") == row[head.index(name)], (name, row[0])
