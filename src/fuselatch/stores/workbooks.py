"""Records in a workbook (Office Open XML, .xlsx): each sheet is a source.

Needs openpyxl: `pip install 'fuse-latch[workbooks]'`.
"""

from __future__ import annotations

import io
import os
import shutil
from collections.abc import Iterator, Mapping, Sequence
from copy import copy
from datetime import datetime, time
from decimal import Decimal
from itertools import islice
from pathlib import Path
from typing import Any, Final

from filelock import FileLock, Timeout
from openpyxl import Workbook, load_workbook
from openpyxl.cell import Cell
from openpyxl.formula.translate import Translator
from openpyxl.utils import get_column_letter
from openpyxl.utils.exceptions import InvalidFileException
from openpyxl.worksheet.worksheet import Worksheet

from fuselatch.core.engine.store import StoreRefused
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Change
from fuselatch.core.model.texts import later
from fuselatch.stores.csv_files import HARMFUL, LOCK, NEW, WAIT, flush_folder, write_through
from fuselatch.stores.snapshots import Sources, SourceSnapshot, plain_words, write_row

NAMED: Final = "named cells"
"""The source with one row: a column for each named cell."""
FILE: Final = "workbook"
"""The key column of that source: the file's name."""
ROOM: Final = 2
"""Extra width of a column after it is widened, in characters."""


class WorkbookRecords(Sources):
    """The sheets of a workbook: `WorkbookRecords("season.xlsx", keys={"Bookings": "Number"})`.

    A sheet's first row has its columns' names and captions. `keys`: each sheet's key column; default: its first. A new row
    gets the formats and formulas of the row above. A column that is too narrow is widened. A cell with a formula is read as
    last calculated and never written. Text that starts like a formula stays text. A removed row leaves a blank line, so
    that formulas elsewhere stay right. The source "named cells" has one row, with a column for each named cell. Raises
    `StoreRefused`.
    """

    def __init__(self, path: str | Path, keys: Mapping[str, str] | None = None) -> None:
        super().__init__()
        self.path = Path(path)
        if not self.path.is_file():
            raise StoreRefused(f"workbook {self.path.name} not found")
        self.keys = dict(keys or {})
        self._read: tuple[Any, Workbook] | None = None
        self._lock = FileLock(self.path.with_name(f"{LOCK}-{self.path.name}"), timeout=WAIT)

    def sources(self) -> list[str]:
        """Return the sheets' names in order, then that of the named cells, if any."""
        book = self._open(worked_out=True)
        return [*book.sheetnames, *([NAMED] if named_cells(book) else [])]

    def _stamp(self, source: str) -> Any:
        try:
            found = self.path.stat()
        except OSError:
            return None
        return found.st_mtime_ns, found.st_size, found.st_ino

    def _open(self, worked_out: bool) -> Workbook:
        try:
            return load_workbook(io.BytesIO(self.path.read_bytes()), data_only=worked_out)
        except OSError as error:
            raise plain_words(error, self.path.name) from error
        except (InvalidFileException, KeyError, ValueError, EOFError, ArithmeticError) as error:
            raise StoreRefused(f"can't read {self.path.name} as a workbook: {error}") from None
        except Exception as error:
            # A file that isn't a zip archive or XML raises errors of other packages.
            raise StoreRefused(f"{self.path.name} isn't a valid .xlsx workbook: {error}") from None

    def _load(self, source: str) -> SourceSnapshot:
        stamp = self._stamp(source)
        if self._read is None or self._read[0] != stamp:
            # All sheets are in one file, so one read serves them all.
            self._read = stamp, self._open(worked_out=True)
        book = self._read[1]
        if source == NAMED:
            cells = named_cells(book)
            row = {FILE: self.path.stem, **{name: value_of(cell) for name, cell in cells.items()}}
            return SourceSnapshot((row,), tuple(row), FILE, stamp)
        if source not in book.sheetnames:
            raise KeyError(source)
        sheet = book[source]
        columns = headings(sheet, self.path.name)
        rows = tuple([dict(zip(columns, map(value_of, cells), strict=True)) for cells in body(sheet, len(columns))])
        key = self.keys.get(source) or (columns[0] if columns else "")
        if columns and key not in columns:
            raise StoreRefused(f"sheet '{source}' has no key column '{key}'; {suggest(key, columns)}")
        return SourceSnapshot(rows, columns, key, stamp)

    def write(self, changes: Sequence[Change]) -> list[Any]:
        try:
            self._lock.acquire()
        except Timeout:
            raise StoreRefused(later("store.busy", name=self.path.name, seconds=WAIT)) from None
        except OSError as error:
            raise plain_words(error, self.path.name) from error
        try:
            self.look()
            book = self._open(worked_out=False)
            keys = [self._write(book, change) for change in changes]
            self._replace(book)
            return keys
        finally:
            self._lock.release()
            for source in {change.source for change in changes}:
                self._forget(source)

    def _write(self, book: Workbook, change: Change) -> Any:
        try:
            snapshot = self._known(change.source)
        except KeyError:
            raise StoreRefused(f"{self.path.name} has no sheet '{change.source}'") from None
        for column in change.row:
            if column not in snapshot.columns:
                raise StoreRefused(f"'{change.source}' has no column '{column}'; {suggest(column, snapshot.columns)}")
        rows = list(snapshot.rows)
        key = write_row(rows, change, snapshot.key, unique=True)
        written = {**change.row, snapshot.key: key} if change.kind == "add" else change.row
        # Later changes of the gesture must see earlier ones.
        self._snapshots[change.source] = SourceSnapshot(tuple(rows), snapshot.columns, snapshot.key, snapshot.stamp)
        if change.source == NAMED:
            if change.kind != "change":
                raise StoreRefused(later("store.named_cells"))
            cells = named_cells(book)
            for name, value in written.items():
                put(cells[name], value)
            return key
        sheet = book[change.source]
        places = {name: at for at, name in enumerate(snapshot.columns, 1)}
        if change.kind == "add":
            line = append_line(sheet, len(snapshot.columns))
        else:
            at = next(at for at, row in enumerate(snapshot.rows) if row[snapshot.key] == change.key)
            line = next(islice(numbered(sheet, len(snapshot.columns)), at, None))[0]
        if change.kind == "remove":
            # The row stays, blank, so that formulas elsewhere stay right.
            for place in places.values():
                sheet.cell(line, place).value = None
            return key
        for name, value in written.items():
            put(sheet.cell(line, places[name]), value)
            widen(sheet, places[name], sheet.cell(line, places[name]))
        return key

    def _replace(self, book: Workbook) -> None:
        """Replace the file, completely or not at all."""
        held = io.BytesIO()
        book.save(held)
        new = self.path.with_name(self.path.name + NEW)
        try:
            write_through(new, held.getvalue())
            shutil.copymode(self.path, new)
            os.replace(new, self.path)
            flush_folder(self.path.parent)
        except OSError as error:
            new.unlink(missing_ok=True)
            raise plain_words(error, self.path.name) from error


def headings(sheet: Worksheet, file: str) -> tuple[str, ...]:
    """Return a sheet's columns: the texts of its first row up to the first blank."""
    found: list[str] = []
    for cell in next(sheet.iter_rows(min_row=1, max_row=1), ()):
        if cell.value is None:
            break
        name = str(cell.value).strip()
        if name in found:
            raise StoreRefused(f"{file}, sheet '{sheet.title}', cell {cell.coordinate}: column name '{name}' appears twice")
        found.append(name)
    return tuple(found)


def numbered(sheet: Worksheet, width: int) -> Iterator[tuple[int, Sequence[Any]]]:
    """Yield the lines below the headings that aren't blank, with their numbers."""
    if width:
        for line, cells in enumerate(sheet.iter_rows(min_row=2, max_col=width), 2):
            if any(cell.value is not None for cell in cells):
                yield line, cells


def body(sheet: Worksheet, width: int) -> Iterator[Sequence[Any]]:
    return (cells for _, cells in numbered(sheet, width))


def value_of(cell: Any) -> Any:
    """Return a cell's value: a date if its format shows no time."""
    value = cell.value
    if isinstance(value, datetime) and value.time() == time() and "h" not in cell.number_format.lower():
        return value.date()
    return value if value != "" else None


def named_cells(book: Workbook) -> dict[str, Any]:
    """Return the single cells that have a name."""
    found: dict[str, Any] = {}
    for name, defined in book.defined_names.items():
        places = list(defined.destinations)
        if len(places) == 1 and places[0][0] in book.sheetnames:
            cell = book[places[0][0]][places[0][1].replace("$", "")]
            if isinstance(cell, Cell):
                found[name] = cell
    return found


def put(cell: Any, value: Any) -> None:
    """Set a cell's value. Text stays text, whatever it starts with."""
    if cell.data_type == "f":
        raise StoreRefused(later("store.formula", cell=cell.coordinate, sheet=cell.parent.title))
    cell.value = float(value) if isinstance(value, Decimal) else value if value != "" else None
    if isinstance(value, str) and value.startswith(HARMFUL):
        cell.data_type = "s"
        cell.quotePrefix = True


def append_line(sheet: Worksheet, width: int) -> int:
    """Add a line with the formats and formulas of the one above; return its number."""
    last = max((line for line, _ in numbered(sheet, width)), default=1)
    for at in range(1, width + 1):
        above: Any = sheet.cell(last, at)
        below: Any = sheet.cell(last + 1, at)
        if last > 1:
            below._style = copy(above._style)
            if above.data_type == "f":
                below.value = Translator(str(above.value), above.coordinate).translate_formula(below.coordinate)
    height = sheet.row_dimensions[last].height
    if last > 1 and height is not None:
        sheet.row_dimensions[last + 1].height = height
    return last + 1


def widen(sheet: Worksheet, column: int, cell: Any) -> None:
    """Widen a column that is too narrow for an entry."""
    dimension = sheet.column_dimensions[get_column_letter(column)]
    needed = len(str(cell.value)) + ROOM if cell.value is not None else 0
    if needed > dimension.width:
        dimension.width = needed
