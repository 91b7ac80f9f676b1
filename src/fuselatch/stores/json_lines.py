"""Records in a folder of JSON Lines files: UTF-8, and on each line one object (RFC 8259) whose names are the columns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any, ClassVar

from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.json_text import Plain
from fuselatch.core.model.record_changes import Change, Key, key_name, with_key
from fuselatch.core.model.values import Value
from fuselatch.stores.columns import OF_TYPE, fitting_kinds, is_equal, is_read
from fuselatch.stores.folders import FolderRecords
from fuselatch.stores.json_text import object_of, text_of
from fuselatch.stores.snapshots import SourceSnapshot, altered, as_bytes, known_columns, trouble_with, write_row


class JsonLinesRecords(FolderRecords):
    """A folder of JSON Lines files: `JsonLinesRecords("data")` has the source `berths` from `data/berths.jsonl`.

    `keys`: the key columns of each source; default: the first name. A text is a date or time if the control that shows it
    says so, or if all texts of its column are. Lists and objects in a line aren't columns; they stay as they are, and so
    does each line that doesn't change. `timeout`: seconds to wait while another process writes. Raises `StoreRefused`.
    """

    suffix: ClassVar[str] = ".jsonl"

    def _parsed(self, source: str, data: bytes, stamp: object) -> SourceSnapshot:
        lines = {number: line for number, line in enumerate(data.split(b"\n"), 1) if line.strip()}
        objects: list[Plain] = []
        for number, line in lines.items():
            try:
                objects.append(object_of(line))
            except (ValueError, RecursionError) as error:
                raise StoreRefused(f"{source}.jsonl:{number}: {error}") from None
        nested = {name for one in objects for name, value in one.items() if isinstance(value, list | dict)}
        names = tuple(name for name in dict.fromkeys(name for one in objects for name in one) if name not in nested)
        columns = [self._values([one.get(name) for one in objects], self._types.get(source, {}).get(name)) for name in names]
        rows = tuple([{name: column[at] for name, column in zip(names, columns, strict=True)} for at in range(len(objects))])
        key = known_columns(self._key_of(source) or names[:1], names, f"{source}.jsonl has no key column")
        trouble = trouble_with(rows, key_name(key), source)
        return SourceSnapshot(rows, names, key, stamp, more=[list(lines.values()), objects], trouble=trouble)

    def _values(self, column: Sequence[Any], wanted: type | None) -> list[Value]:
        """Return a column's values. `wanted`: the type of the control that shows it."""
        texts = {value for value in column if isinstance(value, str)} - {""}
        guesses = [] if wanted is str or not texts else [*fitting_kinds(texts, False)]
        declared = OF_TYPE.get(wanted) if wanted is not None else None
        fit = [one for one in (declared, *guesses) if one is not None and all(is_read(one, text) for text in texts)]
        read = next((one.read for one in fit if one.type in (date, time, datetime)), str)
        exact = (int, Decimal) if wanted is Decimal else (Decimal,)
        number = Decimal if wanted is Decimal else float
        known = {text: read(text) for text in texts} | {"": None}
        return [known[one] if isinstance(one, str) else number(one) if type(one) in exact else one for one in column]

    def _copied(self, snapshot: SourceSnapshot) -> SourceSnapshot:
        return replace(snapshot, more=[list(each) for each in snapshot.more])

    def _put(self, change: Change, snapshot: SourceSnapshot) -> Key:
        rows, (lines, objects), key = list(snapshot.rows), snapshot.more, key_name(snapshot.key)
        known_columns(change.row, snapshot.columns, f"'{change.source}' has no column")
        change = change._replace(row={column: None if value == "" else value for column, value in change.row.items()})
        if change.kind == "add":
            row = with_key(change.row, key, change.key) if change.key is not None else change.row
            blank = [column for column in snapshot.columns if column not in snapshot.key]
            change = change._replace(key=None, row={**dict.fromkeys(blank), **row})
        given, at = write_row(rows, change, key, snapshot.trouble)
        if change.kind == "remove":
            del lines[at], objects[at]
        elif change.row:
            order = dict.fromkeys((*snapshot.columns, *snapshot.key, *rows[at]))
            written = order if change.kind == "add" else change.row
            before = objects[at] if change.kind == "change" else {}
            objects[at : at + 1] = [{**before, **{column: rows[at][column] for column in written}}]
            lines[at : at + 1] = [as_bytes(text_of(objects[at]))]
        snapshot.rows = tuple(rows)
        return given

    def _bytes(self, source: str, snapshot: SourceSnapshot) -> bytes:
        """Return a source's file, if it gives back what was written."""
        data = b"".join([line + b"\n" for line in snapshot.more[0]])
        again = self._parsed(source, data, snapshot.stamp)
        for row, back in zip(snapshot.rows, again.rows, strict=True):
            for column, value in row.items():
                if not is_equal(value, back.get(column)):
                    raise altered(f"column '{column}' of '{source}'", value, back.get(column))
        snapshot.rows, snapshot.columns, snapshot.key, snapshot.more = again.rows, again.columns, again.key, again.more
        return data
