"""Record stores: files from other programs, and the written bytes. What all stores promise is in the conformance kit."""

from __future__ import annotations

import errno
import json
import os
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from hypothesis import HealthCheck, given
from hypothesis import strategies as st
from openpyxl.styles import Font
from openpyxl.workbook.defined_name import DefinedName

from fuselatch.core.model.record_changes import Change
from fuselatch.stores import SqlRecords, StoreRefused
from fuselatch.stores.csv_files import CsvRecords
from fuselatch.stores.transactions import LIST, NEW
from fuselatch.stores.workbooks import NAMED, WorkbookRecords
from tests.helpers import examples, sqlite

VALUES: Any = st.fixed_dictionaries(
    {
        "text": st.one_of(st.text(max_size=12), st.sampled_from(["=1+1", "'=x", "''-1", "@SUM(A1)", "\tx", "+49", "a;b", 'say "x"', "a\nb"])),
        "integer": st.none() | st.integers(-(2**53), 2**53),
        "amount": st.none() | st.decimals(-10**9, 10**9, places=2),
        "day": st.none() | st.dates(date(1900, 3, 1)),
        "tick": st.none() | st.booleans(),
    }
).map(lambda row: {**row, "text": "".join(letter for letter in str(row["text"]) if letter.isprintable() or letter in "\t\n")})  # fmt: skip


@examples(0.6, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(VALUES, min_size=1, max_size=4))
def test_any_values_come_back_from_csv_as_they_were(tmp_path: Path, rows: list[dict[str, Any]]) -> None:
    kinds = {"key": "integer", "text": "string", "integer": "integer", "amount": "decimal", "day": "date", "tick": "boolean"}
    schema = {"tableSchema": {"columns": [{"name": name, "datatype": kind} for name, kind in kinds.items()]}}
    tmp_path.joinpath("t.csv").write_text(",".join(kinds) + "\n", encoding="utf-8")
    tmp_path.joinpath("t.csv-metadata.json").write_text(json.dumps(schema), encoding="utf-8")
    CsvRecords(tmp_path).write([Change("add", "t", None, row) for row in rows])
    blank = [{**row, "text": row["text"] or None} for row in rows]
    assert [{name: row[name] for name in blank[0]} for row in CsvRecords(tmp_path).read("t")] == blank


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"a,b\n1,2\n3\n", "t.csv:3: 1 columns, but the header has 2"),
        (b"a,a\n1,2\n", "t.csv:1: column name 'a' appears twice"),
        (b"a,\n1,2\n", "t.csv:1: a column has no name"),
        (b"a\n\xff\n", "t.csv:2: not valid UTF-8; save the file as UTF-8"),
        (b'a\n"x\n', "t.csv:2: unexpected end of data"),
    ],
)
def test_a_file_that_can_not_be_read_is_told_with_its_line(tmp_path: Path, data: bytes, message: str) -> None:
    tmp_path.joinpath("t.csv").write_bytes(data)
    with pytest.raises(StoreRefused) as refused:
        CsvRecords(tmp_path).read("t")
    assert str(refused.value) == message and tmp_path.joinpath("t.csv").read_bytes() == data


def test_csv_keeps_how_a_file_is_written_and_a_schema_names_its_columns(tmp_path: Path) -> None:
    data = "\ufeffNummer;Abfahrt\r\n1;2031-05-04\r\n".encode()
    tmp_path.joinpath("t.csv").write_bytes(data)
    columns: Any = [
        {"name": "number", "titles": "Nummer", "datatype": "integer"},
        {"name": "leaves", "titles": ["Abfahrt"], "datatype": {"base": "date"}},
    ]
    tmp_path.joinpath("t.csv-metadata.json").write_text(json.dumps({"tableSchema": {"columns": columns}}), encoding="utf-8")
    store = CsvRecords(tmp_path)
    assert store.captions("t") == {"number": "Nummer", "leaves": "Abfahrt"} and store.read("t")[0]["leaves"] == date(
        2031, 5, 4
    )
    store.write([Change("add", "t", None, {"leaves": date(2031, 5, 5)})])
    assert tmp_path.joinpath("t.csv").read_bytes() == data + b"2;2031-05-05\r\n"
    assert sorted(os.listdir(tmp_path)) == [".fuselatch-lock", "t.csv", "t.csv-metadata.json"]
    columns[0]["datatype"] = "integr"
    tmp_path.joinpath("t.csv-metadata.json").write_text(json.dumps({"tableSchema": {"columns": columns}}), encoding="utf-8")
    with pytest.raises(StoreRefused, match=r"t\.csv-metadata\.json: unknown datatype 'integr'; did you mean 'integer'"):
        CsvRecords(tmp_path).read("t")


def test_a_guessed_column_of_whole_numbers_may_turn_out_wider(tmp_path: Path) -> None:
    tmp_path.joinpath("t.csv").write_text("key,size\na,8\n", encoding="utf-8")
    store = CsvRecords(tmp_path)
    store.write([Change("add", "t", "b", {"key": "b", "size": 8.5})])
    assert [row["size"] for row in store.read("t")] == [Decimal(8), Decimal("8.5")]


@pytest.mark.parametrize(
    ("number", "words"), [(errno.ENOSPC, "the disk is full"), (errno.EROFS, "t.csv is on a read-only disk")]
)
def test_a_disk_that_takes_no_more_leaves_the_file_as_it_was(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, number: int, words: str
) -> None:
    tmp_path.joinpath("t.csv").write_text("key\n1\n", encoding="utf-8")
    store = CsvRecords(tmp_path)
    store.read("t")

    def full(handle: int) -> None:
        raise OSError(number, os.strerror(number), str(tmp_path / f"t.csv{NEW}"))

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(StoreRefused, match=words):
        store.write([Change("add", "t", None, {})])
    assert tmp_path.joinpath("t.csv").read_text(encoding="utf-8") == "key\n1\n" and not list(tmp_path.glob(f"*{NEW}"))


def test_a_gesture_that_was_listed_is_finished_by_whoever_comes_next_and_one_that_was_not_never_was(tmp_path: Path) -> None:
    for name in ("a", "b"):
        tmp_path.joinpath(f"{name}.csv").write_text("key\n1\n", encoding="utf-8")
        tmp_path.joinpath(f"{name}.csv{NEW}").write_text("key\n2\n", encoding="utf-8")
    assert CsvRecords(tmp_path).read("a")[0] == {"key": 1}
    tmp_path.joinpath(LIST).write_text('["a.csv", "b.csv"]', encoding="utf-8")
    tmp_path.joinpath(f"a.csv{NEW}").replace(tmp_path / "a.csv")  # killed after the first
    store = CsvRecords(tmp_path)
    assert (store.read("b"), store.read("a")) == (({"key": 2},), ({"key": 2},)) and not tmp_path.joinpath(LIST).exists()


def test_a_workbook_keeps_formats_and_formulas_and_is_widened(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    sheet: Any = book.active
    sheet.title = "stays"
    sheet.append(["number", "boat", "nights", "price", "sum"])
    sheet.append([1, "Eider", 2, 34.0, "=C2*D2"])
    sheet["D2"].number_format, sheet["B2"].font = "0.00", Font(bold=True)
    rates: Any = book.create_sheet("rates")
    rates["B1"], rates["B1"].number_format = 0.19, "0 %"
    book.defined_names["vat"] = DefinedName("vat", attr_text="rates!$B$1")
    book.defined_names["area"] = DefinedName("area", attr_text="rates!$A$1:$B$2")
    book.save(tmp_path / "w.xlsx")
    store = WorkbookRecords(tmp_path / "w.xlsx")
    assert store.sources() == ["stays", "rates", NAMED] and store.read(NAMED) == ({"workbook": "w", "vat": 0.19},)
    named = Change("change", NAMED, "w", {"vat": 0.2}, store.read(NAMED)[0])
    added = Change("add", "stays", None, {"boat": "=A boat with a long name", "nights": 3, "price": Decimal("12.50")})
    assert store.write([added, added._replace(row={"boat": "Teal"}), named]) == [2, 3, "w"]
    with pytest.raises(StoreRefused, match="cell E2 of 'stays' has a formula and can't be written"):
        store.write([Change("change", "stays", 1, {"sum": 3})])
    with pytest.raises(StoreRefused, match="named cells can be changed but not added or removed"):
        store.write([Change("remove", NAMED, "w", {})])
    store.write([Change("remove", "stays", 2, {})])
    assert [row["number"] for row in store.read("stays")] == [1, 3]
    store.write([Change("change", "stays", 3, {"boat": "Garganey"})])
    left: Any = openpyxl.load_workbook(tmp_path / "w.xlsx")
    cells = [[cell.value for cell in line] for line in left["stays"].iter_rows(min_row=2)]
    assert cells == [[1, "Eider", 2, 34, "=C2*D2"], [None] * 5, [3, "Garganey", None, None, "=C4*D4"]]
    assert left["stays"]["D4"].number_format == "0.00" and left["stays"]["B4"].font.b
    assert left["stays"].column_dimensions["B"].width == len("=A boat with a long name") + 2
    assert (left["rates"]["B1"].value, left["rates"]["B1"].number_format) == (0.2, "0 %")


def test_csv_keeps_each_character_of_the_columns_that_are_not_written(tmp_path: Path) -> None:
    columns = [{"name": "key"}, {"name": "size", "datatype": "double"}, {"name": "note"}]
    tmp_path.joinpath("t.csv-metadata.json").write_text(json.dumps({"tableSchema": {"columns": columns}}), encoding="utf-8")
    tmp_path.joinpath("t.csv").write_text("key,size,note\na,1.5000000000000000001,x\n", encoding="utf-8")
    store = CsvRecords(tmp_path)
    store.write([Change("change", "t", "a", {"note": "y"}, store.read("t")[0])])
    assert tmp_path.joinpath("t.csv").read_text(encoding="utf-8").splitlines()[1] == "a,1.5000000000000000001,y"


def test_a_database_says_which_rule_it_has_and_which_key_stands_twice(tmp_path: Path) -> None:
    path = tmp_path / "records.db"
    with sqlite(path) as database:
        for source, names in (("boats", ("Tern", "Tern")), ("ferries", ("Skua",))):
            database.execute(f"create table {source} (name text, length integer check (length > 0))")
            database.executemany(f"insert into {source} values (?, 8)", [(name,) for name in names])
    store = SqlRecords(path, keys={"boats": "name", "ferries": "name"})
    with pytest.raises(StoreRefused, match="records of 'boats' can't be changed here: name Tern stands in several"):
        store.write([Change("change", "boats", "Tern", {"length": 10}, store.read("boats")[0])])
    with pytest.raises(StoreRefused, match="a rule of the database refuses it"):
        store.write([Change("change", "ferries", "Skua", {"length": -1}, store.read("ferries")[0])])
    assert [row["length"] for source in ("boats", "ferries") for row in store.read(source)] == [8, 8, 8]
