"""All stores keep the promises of the conformance kit, which finds a store that breaks one."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import openpyxl
import pytest

from fuselatch.core.model.record_changes import Change
from fuselatch.stores import CsvRecords, MemoryRecords, SqlRecords, Store, WorkbookRecords
from fuselatch.stores.conformance import CASES, KEY, ROWS, SOURCE, Case, NotConforming
from fuselatch.stores.memory import CopiedRecords

KINDS = ("memory", "ragged", "copied", "csv", "declared", "sqlite", "postgresql", "workbook")


def opener_of(kind: str, folder: Path, request: pytest.FixtureRequest) -> Callable[[], Store]:
    """Return a function that opens a new store of a kind, with the rows of the kit."""
    if kind in ("memory", "ragged", "copied"):
        rows = [{name: value for name, value in row.items() if kind != "ragged" or value is not None} for row in ROWS]
        made = MemoryRecords({SOURCE: rows}, keys={SOURCE: KEY})
        store = CopiedRecords(made) if kind == "copied" else made
        # In memory, others are forks that are told by hand; here all have the one store.
        return lambda: store
    if kind in ("csv", "declared"):
        lines = [
            ",".join(ROWS[0]),
            *(",".join("" if value is None else str(value) for value in row.values()) for row in ROWS),
        ]
        (folder / "boats.csv").write_text("\n".join(lines) + "\n", encoding="utf-8")
        if kind == "declared":
            types = {"number": "integer", "boat": "string", "size": "double", "port": "string"}
            columns = [{"name": name, "datatype": kind} for name, kind in types.items()]
            schema = json.dumps({"tableSchema": {"columns": columns, "primaryKey": KEY}})
            (folder / "boats.csv-metadata.json").write_text(schema, encoding="utf-8")
        return lambda: CsvRecords(folder)
    if kind == "workbook":
        book = openpyxl.Workbook()
        sheet: Any = book.active
        sheet.title = SOURCE
        sheet.append(list(ROWS[0]))
        for row in ROWS:
            sheet.append(list(row.values()))
        book.save(folder / "w.xlsx")
        return lambda: WorkbookRecords(folder / "w.xlsx")
    address = str(folder / "w.db") if kind == "sqlite" else request.getfixturevalue("postgresql")
    first = SqlRecords(address)
    with first._database.connected(writes=True, creates=True) as database:
        database.exec_driver_sql(f"drop table if exists {SOURCE}")
    first.create(SOURCE, ROWS, KEY)
    return lambda: SqlRecords(address)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
def test_each_store_keeps_each_promise(case: Case, kind: str, tmp_path: Path, request: pytest.FixtureRequest) -> None:
    case.check(opener_of(kind, tmp_path, request))


class Broken(MemoryRecords):
    """A store with one fault of its own."""

    fault = ""

    def write(self, changes: Sequence[Change]) -> list[Any]:
        if self.fault == "writes half":
            return [key for change in changes for key in super(Broken, self).write([change])]
        if self.fault == "compares nothing":
            changes = [change._replace(was=None) for change in changes]
        if self.fault == "takes any column":
            changes = [change._replace(row={k: v for k, v in change.row.items() if k in ROWS[0]}) for change in changes]
        found = super().write(changes)
        if self.fault == "forgets its version":
            self.versions = dict.fromkeys(self.versions, 0)
        return [0 for _ in found] if self.fault == "returns no keys" else found


FAULTS = ("writes half", "compares nothing", "takes any column", "forgets its version", "returns no keys")


@pytest.mark.parametrize("fault", FAULTS)
def test_the_kit_finds_a_store_that_breaks_a_promise(fault: str) -> None:
    found = []
    for case in CASES:
        store = Broken({SOURCE: ROWS}, keys={SOURCE: KEY})
        store.fault = fault
        try:
            case.check(lambda store=store: store)  # type: ignore[misc]
        except NotConforming as problem:
            found.append(str(problem))
    assert found
