"""All stores keep the promises of the conformance kit, which finds a store that breaks one."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import pytest

from fuselatch.core.model.record_changes import Change
from fuselatch.stores import CsvRecords, JsonLinesRecords, MemoryRecords, SqlRecords, Store, WorkbookRecords
from fuselatch.stores.conformance import CASES, KEY, ROWS, SOURCE, Case, NotConforming
from fuselatch.stores.memory import CopiedRecords
from tests.helpers import sqlite, store_of

KINDS = ("memory", "ragged", "copied", "csv", "declared", "json lines", "sqlite", "wal", "postgresql", "workbook")


def opener_of(kind: str, folder: Path, request: pytest.FixtureRequest) -> Callable[[], Store]:
    """Return a function that opens a new store of a kind, with the rows of the kit."""
    if kind == "ragged":
        rows = [{name: value for name, value in row.items() if value is not None} for row in ROWS]
        ragged = MemoryRecords({SOURCE: rows}, keys={SOURCE: KEY})
        return lambda: ragged
    plain = {"copied": "memory", "declared": "csv", "wal": "sqlite"}.get(kind, kind)
    made = store_of(plain, folder, {SOURCE: ROWS}, lambda: request.getfixturevalue("postgresql"))
    if kind == "declared":
        types = {"number": "integer", "boat": "string", "size": "double", "port": "string"}
        columns = [{"name": name, "datatype": kind} for name, kind in types.items()]
        schema = json.dumps({"tableSchema": {"columns": columns, "primaryKey": KEY}})
        (folder / f"{SOURCE}.csv-metadata.json").write_text(schema, encoding="utf-8")
    if kind in ("memory", "copied"):
        # In memory there are no other programs: all have the one store.
        one = CopiedRecords(made) if kind == "copied" else made
        return lambda: one
    if kind == "wal":
        made.close()
        with sqlite(folder / "records.db") as database:
            database.execute("pragma journal_mode = wal")
    openers: dict[str, Callable[[], Any]] = {
        "csv": lambda: CsvRecords(folder),
        "declared": lambda: CsvRecords(folder),
        "json lines": lambda: JsonLinesRecords(folder, keys={SOURCE: KEY}),
        "workbook": lambda: WorkbookRecords(folder / "records.xlsx"),
        "sqlite": lambda: SqlRecords(folder / "records.db"),
        "wal": lambda: SqlRecords(folder / "records.db"),
        "postgresql": lambda: SqlRecords(request.getfixturevalue("postgresql")),
    }
    return openers[kind]


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
