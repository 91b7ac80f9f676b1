"""Records in a workbook (Office Open XML, .xlsx): each sheet is a source.

openpyxl reads; `workbook_parts` writes. Needs both: `pip install 'fuse-latch[workbooks]'`.
"""

from __future__ import annotations

import io
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any, Final

from openpyxl import Workbook, load_workbook
from openpyxl.cell import Cell
from openpyxl.utils import get_column_letter
from openpyxl.utils.exceptions import InvalidFileException
from openpyxl.worksheet.worksheet import Worksheet

from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Change, Key, key_name
from fuselatch.core.model.texts import later
from fuselatch.core.model.values import Value
from fuselatch.stores.columns import is_equal
from fuselatch.stores.folders import stamp_of
from fuselatch.stores.snapshots import (
    Sources,
    SourceSnapshot,
    altered,
    in_turn,
    known_columns,
    plain_words,
    trouble_with,
    write_row,
)
from fuselatch.stores.transactions import WAIT, FileTransaction
from fuselatch.stores.workbook_parts import Parts, is_within, place_of

NAMED: Final = "named cells"
"""The source with one row: a column for each named cell."""
FILE: Final = "workbook"
"""The key column of that source: the file's name."""
ROOM: Final = 2
"""Extra width of a column after it is widened, in characters."""
DIGITS: Final = 15
"""A workbook keeps this many digits of a number."""
LONGEST_CELL: Final = 32_767
"""A cell has at most this many characters."""
NO_TEXT: Final = re.compile("[\x00-\x08\x0b-\x1f\ud800-\udfff\ufffe\uffff]|_x[0-9A-Fa-f]{4}_")
"""Parts of a text that no cell gives back: characters that XML can't have, returns, and what is read as such a character."""


class WorkbookRecords(Sources):
    """The sheets of a workbook: `WorkbookRecords("season.xlsx", keys={"Bookings": "Number"})`.

    A sheet's first row has its columns' names and captions. `keys`: each sheet's key columns; default: its first. A new row
    gets the formats and formulas of the row above, and a table grows by it. A column that is too narrow is widened. A cell
    with a formula is read as last calculated and never written. Text that starts like a formula stays text. A removed row
    leaves a blank line, so that formulas elsewhere stay right. Nothing else in the file is touched. The source "named cells"
    has one row, with a column for each named cell. `timeout`: seconds to wait while another process writes. Raises
    `StoreRefused`.
    """

    def __init__(
        self, path: str | Path, keys: Mapping[str, str | Sequence[str]] | None = None, timeout: float = WAIT
    ) -> None:
        super().__init__(keys)
        self.path = Path(path)
        if not self.path.is_file():
            raise StoreRefused(f"workbook {self.path.name} not found")
        self._read: tuple[Any, Workbook] | None = None
        self._file = FileTransaction(self.path.parent, self.path.name, timeout)

    def sources(self) -> list[str]:
        """Return the sheets' names in order, then that of the named cells, if any."""
        book = self._book()
        return [*[sheet.title for sheet in book.worksheets], *([NAMED] if named_cells(book) else [])]

    def _stamp(self, source: str) -> Any:
        try:
            return stamp_of(self.path.stat())
        except OSError:
            return None

    def _book(self) -> Workbook:
        """Return the workbook with its calculated values. All sheets are in one file, so one read serves them all."""
        stamp = self._stamp("")
        if self._read is None or self._read[0] != stamp:
            try:
                self._read = stamp, opened(self.path.read_bytes(), self.path.name)
            except OSError as error:
                raise plain_words(error, self.path.name) from error
        return self._read[1]

    def _load(self, source: str) -> SourceSnapshot:
        stamp = self._stamp(source)
        return self._snapshot(self._book(), source, stamp)

    def _snapshot(self, book: Workbook, source: str, stamp: object) -> SourceSnapshot:
        if source == NAMED:
            cells = named_cells(book)
            row = {FILE: self.path.stem, **{name: value_of(cell) for name, cell in cells.items()}}
            return SourceSnapshot((row,), tuple(row), (FILE,), stamp)
        if source not in [sheet.title for sheet in book.worksheets]:
            raise KeyError(source)
        sheet = book[source]
        columns = headings(sheet, self.path.name)
        by_number = dict(numbered(sheet, len(columns)))
        rows = tuple([dict(zip(columns, map(value_of, cells), strict=True)) for cells in by_number.values()])
        key = self._key_of(source) or columns[:1]
        for column in key:
            if column not in columns:
                raise StoreRefused(f"sheet '{source}' has no key column '{column}'; {suggest(column, columns)}")
        return SourceSnapshot(
            rows, columns, key, stamp, more=list(by_number), trouble=trouble_with(rows, key_name(key), source)
        )

    def write(self, changes: Sequence[Change]) -> list[Key]:
        try:
            with self._file.alone():
                self.look()
                try:
                    data = self.path.read_bytes()
                except OSError as error:
                    raise plain_words(error, self.path.name) from error
                book = self._book()
                parts = Parts(data)
                written: dict[str, SourceSnapshot] = {}
                values: dict[tuple[str, str], Value] = {}
                keys = in_turn(changes, lambda change: self._write(book, parts, change, written, values))
                packed = parts.packed()
                again = opened(packed, self.path.name)
                for (sheet, cell), value in values.items():
                    back = value_of(again[sheet][cell])
                    if not is_equal(value, back):
                        raise altered(f"'{sheet}' {cell}", value, back)
                self._file.replace({self.path.name: packed})
                self._read = self._stamp(""), again
        finally:
            for source in {change.source for change in changes}:
                self._forget(source)
        return keys

    def _write(
        self,
        book: Workbook,
        parts: Parts,
        change: Change,
        written: dict[str, SourceSnapshot],
        values: dict[tuple[str, str], Value],
    ) -> Key:
        """Write one change; return its key. `values`: what each cell has to give back."""
        source = change.source
        if source not in written:
            try:
                known = self._known(source)
            except KeyError:
                raise StoreRefused(f"{self.path.name} has no sheet '{source}'") from None
            written[source] = replace(known, more=list(known.more or ()))
        snapshot = written[source]
        known_columns(change.row, snapshot.columns, f"'{source}' has no column")
        rows = list(snapshot.rows)
        key, at = write_row(rows, change, key_name(snapshot.key), snapshot.trouble)
        row = (
            {column: value for column, value in rows[at].items() if column in change.row or change.kind == "add"}
            if at < len(rows)
            else {}
        )
        row = {} if change.kind == "remove" else row
        snapshot.rows = tuple(rows)
        if source == NAMED:
            if change.kind != "change":
                raise StoreRefused(later("store.named_cells"))
            cells = named_cells(book)
            for name, value in row.items():
                put(parts, cells[name].parent.title, place_of(cells[name].coordinate), value, values)
            return key
        lines, width, sheet = snapshot.more, len(snapshot.columns), parts.sheet(source)
        if change.kind == "remove":
            clear_line(parts, source, lines.pop(at), width, values)
            return key
        if change.kind == "add":
            last = max(lines, default=1)
            must_have_room(source, sheet, last + 1, width)
            if last > 1:
                sheet.copy_line(last, last + 1, width)
            sheet.grow(last + 1, width)
            lines.append(last + 1)
        for name, value in row.items():
            place = lines[at], snapshot.columns.index(name) + 1
            if change.kind == "add" and value is None and sheet.has_formula(*place):
                continue
            put(parts, source, place, value, values)
            sheet.widen(place[1], len(str(value)) + ROOM if value is not None else 0)
        return key


def opened(data: bytes, name: str) -> Workbook:
    """Return a workbook with its calculated values; raise `StoreRefused`."""
    try:
        return load_workbook(io.BytesIO(data), data_only=True)
    except (InvalidFileException, KeyError, ValueError, EOFError, ArithmeticError) as error:
        raise StoreRefused(f"can't read {name} as a workbook: {' '.join(str(error).split())}") from None
    except Exception as error:
        # A file that isn't a zip archive or XML raises errors of other packages.
        raise StoreRefused(f"{name} isn't a valid .xlsx workbook: {' '.join(str(error).split())}") from None


def headings(sheet: Worksheet, file: str) -> tuple[str, ...]:
    """Return a sheet's columns: the texts of its first row up to the first blank."""
    texts: list[str] = []
    for cell in next(sheet.iter_rows(min_row=1, max_row=1), ()):
        if cell.value is None:
            break
        name = str(cell.value).strip()
        if name in texts:
            raise StoreRefused(f"{file}, sheet '{sheet.title}', cell {cell.coordinate}: column name '{name}' appears twice")
        texts.append(name)
    return tuple(texts)


def numbered(sheet: Worksheet, width: int) -> Iterator[tuple[int, Sequence[Any]]]:
    """Yield the lines below the headings that aren't blank, with their numbers; of a table without its line of sums."""
    # A format somewhere far below makes a sheet long: only cells that are there count.
    filled = {cell.row for cell in sheet._cells.values() if cell.value is not None and (cell.column or 0) <= width}
    for table in sheet.tables.values():
        (top, left), (bottom, _) = map(place_of, table.ref.split(":"))
        if (top, left) == (1, 1):
            filled = {line for line in filled if line <= bottom - (table.totalsRowCount or 0)}
    for line in sorted(filled - {1}) if width else ():
        yield line, next(sheet.iter_rows(min_row=line, max_row=line, max_col=width))


def value_of(cell: Any) -> Value:
    """Return a cell's value: a date if its format shows no time."""
    value = cell.value
    if isinstance(value, datetime) and value.time() == time() and "h" not in cell.number_format.lower():
        return value.date()
    return value if value != "" else None


def named_cells(book: Workbook) -> dict[str, Any]:
    """Return the single cells that have a name."""
    cells: dict[str, Any] = {}
    for name, defined in book.defined_names.items():
        places = list(defined.destinations)
        if len(places) == 1 and places[0][0] in book.sheetnames:
            cell = book[places[0][0]][places[0][1].replace("$", "")]
            if isinstance(cell, Cell):
                cells[name] = cell
    return cells


def put(parts: Parts, name: str, place: tuple[int, int], value: object, values: dict[tuple[str, str], Value]) -> None:
    """Write a value into a cell, and note that it has to come back."""
    sheet = parts.sheet(name)
    cell = sheet.cell(*place)
    where = cell.get("r")
    if sheet.has_formula(*place):
        raise StoreRefused(later("store.formula", cell=where, sheet=name))
    if sheet.is_merged(*place):
        raise StoreRefused(later("store.merged", cell=where, sheet=name))
    must_fit(value, name, where)
    try:
        sheet.put(*place, value)
    except (ValueError, OverflowError):
        raise altered(f"'{name}' {where}", value, None) from None
    values[name, where] = value if value != "" else None


def clear_line(parts: Parts, name: str, line: int, width: int, values: dict[tuple[str, str], Value]) -> None:
    """Blank a line. It stays, so that formulas elsewhere stay right."""
    formulas = set()
    for column in range(1, width + 1):
        cell = f"{get_column_letter(column)}{line}"
        # What was written into it before in this gesture is gone.
        values.pop((name, cell), None)
        if parts.sheet(name).clear(line, column):
            formulas.add(cell)
    number = next(each.get("sheetId") for each in parts.book.iter() if each.get("name") == name)
    parts.forget_calculation({(number, cell) for cell in formulas})


def must_fit(value: object, sheet: str, cell: str) -> None:
    """Refuse a value that a workbook can't have."""
    if isinstance(value, str):
        character = NO_TEXT.search(value)
        if character is not None:
            raise StoreRefused(later("store.encoding", character=ascii(character[0])[1:-1], encoding="xlsx"))
        if len(value.encode("utf-16-le")) // 2 > LONGEST_CELL:
            raise StoreRefused(later("store.too_long", length=len(value), limit=LONGEST_CELL))
    elif isinstance(value, int | Decimal) and not isinstance(value, bool):
        digits = Decimal(value).normalize().as_tuple().digits
        if len(digits) > DIGITS or not Decimal(value).is_finite():
            raise StoreRefused(later("store.digits", value=value, limit=DIGITS))
    elif isinstance(value, date) and value.year < 1900:
        raise altered(f"'{sheet}' {cell}", value, None)
    elif isinstance(value, float) and value - value != 0:
        raise altered(f"'{sheet}' {cell}", value, None)


def must_have_room(name: str, sheet: Any, line: int, width: int) -> None:
    """Refuse to add a line where something stands, such as the sums under a table."""
    sums = any(
        is_within(table.get("ref"), line, 1) and table.get("totalsRowCount", "0") != "0" for table in sheet.tables().values()
    )
    if sums or any(sheet.is_filled(line, column) for column in range(1, width + 1)):
        raise StoreRefused(later("store.no_room", sheet=name, line=line))
