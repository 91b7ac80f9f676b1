"""Open stores by address: a folder of CSV or JSON Lines files, a workbook, or a database."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from fuselatch.core.engine.state.store import Store, StoreRefused

EXTRAS = {"openpyxl": "workbooks", "sqlalchemy": "sql", "psycopg": "postgresql"}


def open_records(address: str | Path, keys: Mapping[str, str] | None = None) -> Store:
    """Open a store: a folder (CSV, or JSON Lines if it has no CSV), an .xlsx file, a SQLite file, or postgresql://….

    `keys`: the key column of a source that doesn't declare one. Raises `StoreRefused`.
    """
    path = Path(address)
    try:
        if "://" not in str(address) and path.is_dir():
            from fuselatch.stores.csv_files import CsvRecords
            from fuselatch.stores.json_lines import JsonLinesRecords

            lines = any(path.glob("*.jsonl")) and not any(path.glob("*.csv"))
            return (JsonLinesRecords if lines else CsvRecords)(path, keys)
        if "://" not in str(address) and not path.exists():
            raise StoreRefused(
                f"{address} not found; give a folder of CSV or JSON Lines files, an .xlsx workbook, a SQLite file "
                "or a database address"
            )
        if path.suffix == ".xlsx":
            from fuselatch.stores.workbooks import WorkbookRecords

            return WorkbookRecords(path, keys)
        from fuselatch.stores.sql import SqlRecords

        return SqlRecords(address, keys)
    except ModuleNotFoundError as error:
        extra = EXTRAS.get(error.name or "", "sql")
        raise StoreRefused(f"{address} needs {error.name}; run: pip install 'fuse-latch[{extra}]'") from None
