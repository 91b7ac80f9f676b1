"""The office on every store: the same cue sheet, the same forms, the same rows in the end."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from saltmarsh import make_data

from fuselatch.cli import main
from fuselatch.rehearsal import read_cues, run_cues
from fuselatch.stores import Store
from fuselatch.stores.addresses import open_records
from fuselatch.stores.csv_files import CsvRecords
from tests.helpers import address_of, store_of

CUES = Path(make_data.__file__).parent / "cues" / "office.cues"
KEYS = {"bookings": "number", "extras": "number", "berths": "name", "vessels": "name", "services": "name"}


def rows(store: Store) -> dict[str, list[dict[str, Any]]]:
    """Return all rows of a store's sources by key, with numbers in their shortest form."""
    return {
        source: sorted((dict(row) for row in store.read(source)), key=lambda row: str(row[key]))
        for source, key in KEYS.items()
    }


def done_in_memory() -> dict[str, Any]:
    """The records that the cue sheet leaves in its scene."""
    run = run_cues(read_cues(CUES.read_text(encoding="utf-8"), "office.cues"))
    assert run.problems == [] and run.session is not None
    store: Any = run.session._state.store
    return rows(store)


@pytest.mark.parametrize("kind", ["csv", "sqlite", "postgresql"])
def test_the_same_cue_sheet_on_every_store(kind: str, tmp_path: Path, request: pytest.FixtureRequest) -> None:
    shipped = CsvRecords(make_data.DATA)
    if kind == "csv":
        shutil.copytree(make_data.DATA, tmp_path, dirs_exist_ok=True)
    else:
        sources = {source: shipped.read(source) for source in KEYS}
        store_of(kind, tmp_path, sources, lambda: request.getfixturevalue("postgresql"))
    address = address_of(kind, tmp_path, lambda: request.getfixturevalue("postgresql"))
    run = CliRunner().invoke(main, ["rehearse", "-q", "--from", str(CUES.parents[2]), "--records", address, str(CUES)])
    assert run.output == "1 cue sheet: 55 steps passed, 0 failed\n" and run.exit_code == 0
    assert rows(open_records(address)) == done_in_memory()
    assert rows(shipped)["extras"] != done_in_memory()["extras"], "the shipped data are as they were"


def test_records_at_no_address_are_told_in_one_line() -> None:
    run = CliRunner().invoke(main, ["rehearse", "-q", "--records", "nowhere.db", str(CUES)])
    assert run.exit_code == 2 and run.output.startswith(
        "fuselatch: nowhere.db not found; give a folder of CSV or JSON Lines files"
    )
