"""Stores of records and latches: memory, CSV, JSON Lines, SQL and workbooks."""

from typing import TYPE_CHECKING

from fuselatch.lazily import lazily

if TYPE_CHECKING:
    from fuselatch.core.engine.state.store import ChangedMeanwhile as ChangedMeanwhile
    from fuselatch.core.engine.state.store import Store as Store
    from fuselatch.core.engine.state.store import StoreRefused as StoreRefused
    from fuselatch.core.model.errors import RecordError as RecordError
    from fuselatch.core.model.latch_records import LatchRecord as LatchRecord
    from fuselatch.core.model.latch_records import LatchStore as LatchStore
    from fuselatch.core.model.record_changes import Change as Change
    from fuselatch.core.model.record_changes import NewKey as NewKey
    from fuselatch.stores.addresses import open_records as open_records
    from fuselatch.stores.csv_files import CsvRecords as CsvRecords
    from fuselatch.stores.json_lines import JsonLinesRecords as JsonLinesRecords
    from fuselatch.stores.memory import MemoryLatches as MemoryLatches
    from fuselatch.stores.memory import MemoryRecords as MemoryRecords
    from fuselatch.stores.sql import SqlLatches as SqlLatches
    from fuselatch.stores.sql import SqlRecords as SqlRecords
    from fuselatch.stores.workbooks import WorkbookRecords as WorkbookRecords

WHERE = {
    "fuselatch.core.model.errors": ("RecordError",),
    "fuselatch.core.engine.state.store": ("ChangedMeanwhile", "Store", "StoreRefused"),
    "fuselatch.core.model.latch_records": ("LatchRecord", "LatchStore"),
    "fuselatch.core.model.record_changes": ("Change", "NewKey"),
    "fuselatch.stores.addresses": ("open_records",),
    "fuselatch.stores.csv_files": ("CsvRecords",),
    "fuselatch.stores.json_lines": ("JsonLinesRecords",),
    "fuselatch.stores.memory": ("MemoryLatches", "MemoryRecords"),
    "fuselatch.stores.sql": ("SqlLatches", "SqlRecords"),
    "fuselatch.stores.workbooks": ("WorkbookRecords",),
}
"""The module of each public name."""

if not TYPE_CHECKING:
    __getattr__, __dir__ = lazily(
        __name__, WHERE, {"fuselatch.stores.sql": "sqlalchemy", "fuselatch.stores.workbooks": "openpyxl"}
    )
