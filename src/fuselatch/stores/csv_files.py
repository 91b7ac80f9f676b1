"""Records in a folder of CSV files.

The format is RFC 4180. A schema beside a file ("berths.csv-metadata.json", W3C's "Metadata Vocabulary for Tabular Data")
can declare its columns' types, captions and key.
"""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any, ClassVar

from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.record_changes import Change, Key, Record, key_name, with_key
from fuselatch.stores.csv_text import bytes_of, copied, fitting, parsed, record_text, reread
from fuselatch.stores.folders import FolderRecords
from fuselatch.stores.snapshots import SourceSnapshot, write_row


class CsvRecords(FolderRecords):
    """A folder of CSV files: `CsvRecords("data")` has the source `berths` from `data/berths.csv`.

    `keys`: the key columns of each source; default: the schema's, or the first column. Without a schema, a column has the
    type of the control that shows it, or the first type (whole number, number, amount, boolean, date, time) that reads and
    writes all its texts unchanged, or text. A text that a spreadsheet might run as a formula is written with a leading `'`.
    `timeout`: seconds to wait while another process writes. Raises `StoreRefused`.
    """

    suffix: ClassVar[str] = ".csv"

    def _parsed(self, source: str, data: bytes, stamp: object) -> SourceSnapshot:
        types = self._types.get(source, {})
        return parsed(self._path(source), data, self._schema(source), self._key_of(source), types, stamp)

    def _schema(self, source: str) -> Record:
        path = self.folder / f"{source}.csv-metadata.json"
        if not path.exists():
            return {}
        try:
            schema: Any = json.loads(path.read_text(encoding="utf-8"))
        except (OSError, ValueError) as error:
            raise StoreRefused(f"can't read {path.name}: {error}") from None
        if not isinstance(schema, dict):
            raise StoreRefused(f"{path.name} must be an object with a 'tableSchema', not {type(schema).__name__}")
        return schema

    def _copied(self, snapshot: SourceSnapshot) -> SourceSnapshot:
        return replace(snapshot, more=copied(snapshot.more))

    def _bytes(self, source: str, snapshot: SourceSnapshot) -> bytes:
        return bytes_of(snapshot.more)

    def _put(self, change: Change, snapshot: SourceSnapshot) -> Key:
        rows, layout, key = list(snapshot.rows), snapshot.more, key_name(snapshot.key)
        row: Record = change.row
        if change.kind == "add":
            row = with_key(row, key, change.key) if change.key is not None else row
            row = {**dict.fromkeys(column for column in snapshot.columns if column not in snapshot.key), **row}
        kinds = dict(layout.kinds)
        row = fitting(row, snapshot, change.source)
        change_now = change._replace(key=None if change.kind == "add" else change.key, row=row)
        kind = layout.kinds.get(key) if isinstance(key, str) else None
        declared = kind.type if kind is not None and key not in layout.guessed else None
        given, at = write_row(rows, change_now, key, snapshot.trouble, declared)
        if change.kind == "remove":
            del layout.texts[at + 1]
        elif change.kind == "add" or row:
            rows[at] = {column: rows[at].get(column) for column in snapshot.columns}
            before = layout.texts[at + 1] if change.kind == "change" else ""
            layout.texts[at + 1 : at + 2] = [record_text(rows[at], snapshot, before, row)]
        if kinds != layout.kinds:
            rows = reread(rows, kinds, layout, self._path(change.source))
        snapshot.rows = tuple(rows)
        return given
