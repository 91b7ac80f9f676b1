"""Records in a folder of CSV files.

The format is RFC 4180. A schema beside a file ("berths.csv-metadata.json", W3C's "Metadata Vocabulary for Tabular Data")
can declare its columns' types, captions and key.

A gesture's files are written completely beside the old ones and flushed to the disk. Then a list of them is put in
place, each file replaces the old one, and the list is deleted. If a process is killed in between, the next one that
finds the list finishes the work.
"""

from __future__ import annotations

import csv
import io
import json
import os
import shutil
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from decimal import Decimal
from pathlib import Path
from typing import Any, Final, NamedTuple

from filelock import FileLock, Timeout

from fuselatch.core.engine.store import ChangedMeanwhile, StoreRefused
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Change
from fuselatch.core.model.texts import later
from fuselatch.stores.columns import KINDS, OF_TYPE, SAME, TEXT, Kind, fitted, kind_of
from fuselatch.stores.snapshots import Sources, SourceSnapshot, plain_words, write_row

WAIT: Final = 30
"""Seconds to wait while another process writes."""
LIST: Final = ".fuselatch-pending"
LOCK: Final = ".fuselatch-lock"
NEW: Final = ".fuselatch-new"
HARMFUL: Final = ("=", "+", "-", "@", "\t", "\r")
"""Characters at the start of text that a spreadsheet may run as a formula."""


NUMBERS: Final = (KINDS["integer"], KINDS["double"])
"""Guessed kinds that a new value may widen."""


class Layout(NamedTuple):
    """How a file is written: encoding, delimiter, line end, header and columns."""

    encoding: str
    delimiter: str
    line_end: str
    header: tuple[str, ...]
    kinds: Mapping[str, Kind | None]
    declared: bool


class CsvRecords(Sources):
    """A folder of CSV files: `CsvRecords("data")` has the source `berths` from `data/berths.csv`.

    `keys`: the key column of each source; default: the schema's, or the first. Without a schema, a column has the first type
    (whole number, number, amount, boolean, date, time) that reads and writes all its texts unchanged, or text. A text that a
    spreadsheet might run as a formula is written with a leading `'`. Raises `StoreRefused`.
    """

    def __init__(self, folder: str | Path, keys: Mapping[str, str] | None = None) -> None:
        super().__init__()
        self.folder = Path(folder)
        if not self.folder.is_dir():
            raise StoreRefused(f"folder {self.folder.name} not found")
        self.keys = dict(keys or {})
        self._lock = FileLock(self.folder / LOCK, timeout=WAIT)

    def sources(self) -> list[str]:
        """Return the sources' names, sorted."""
        return sorted(file.stem for file in self.folder.glob("*.csv"))

    def _path(self, source: str) -> Path:
        return self.folder / f"{source}.csv"

    def _stamp(self, source: str) -> Any:
        try:
            found = self._path(source).stat()
        except OSError:
            return None
        return found.st_mtime_ns, found.st_size, found.st_ino

    def _load(self, source: str) -> SourceSnapshot:
        path = self._path(source)
        with self._alone(reading=True):
            stamp = self._stamp(source)
            if stamp is None or Path(source).name != source:
                raise KeyError(source)
            try:
                data = path.read_bytes()
            except OSError as error:
                raise plain_words(error, path.name) from error
        return parsed(path, data, self._schema(source), self.keys.get(source, ""), stamp)

    def _schema(self, source: str) -> Mapping[str, Any]:
        path = self.folder / f"{source}.csv-metadata.json"
        if not path.exists():
            return {}
        try:
            found: Mapping[str, Any] = json.loads(path.read_text(encoding="utf-8"))
            return found
        except (OSError, ValueError) as error:
            raise StoreRefused(f"can't read {path.name}: {error}") from None

    @contextmanager
    def _alone(self, reading: bool = False) -> Iterator[None]:
        """Lock out other processes, and finish the work of a killed one."""
        if reading and not (self.folder / LIST).exists():
            yield
            return
        try:
            self._lock.acquire()
        except Timeout:
            raise StoreRefused(later("store.busy", name=self.folder.name, seconds=WAIT)) from None
        except OSError as error:
            if not reading:
                raise plain_words(error, self.folder.name) from error
            # A folder without write permission can still be read.
            yield
            return
        try:
            try:
                self._finish()
            except OSError as error:
                raise plain_words(error, self.folder.name) from error
            yield
        finally:
            self._lock.release()

    def _finish(self) -> None:
        """Finish the pending list of files."""
        pending = self.folder / LIST
        if pending.exists():
            for name in json.loads(pending.read_text(encoding="utf-8")):
                new = self.folder / (name + NEW)
                if new.exists():
                    os.replace(new, self.folder / name)
            flush_folder(self.folder)
            pending.unlink()

    def write(self, changes: Sequence[Change]) -> list[Any]:
        with self._alone():
            self.look()
            rows: dict[str, list[Any]] = {}
            keys = []
            for change in changes:
                try:
                    snapshot = self._known(change.source)
                except KeyError:
                    raise StoreRefused(later("store.gone", name=self._path(change.source).name)) from None
                if change.source not in rows:
                    rows[change.source] = list(snapshot.rows)
                fits = change._replace(row=fitting(change, snapshot))
                try:
                    keys.append(write_row(rows[change.source], fits, snapshot.key, bool(snapshot.key)))
                except ChangedMeanwhile as error:
                    raise ChangedMeanwhile(change, error.theirs) from None
            try:
                self._replace({self._path(source).name: bytes_of(self._known(source), rows[source]) for source in rows})
            except OSError as error:
                raise plain_words(error, Path(error.filename or self.folder).name.removesuffix(NEW)) from error
            except UnicodeEncodeError as error:
                character = error.object[error.start]
                raise StoreRefused(later("store.encoding", character=character, encoding=error.encoding)) from None
            finally:
                for source in rows:
                    self._forget(source)
        return keys

    def _replace(self, files: Mapping[str, bytes]) -> None:
        """Replace files, all or none."""
        new = [self.folder / (name + NEW) for name in files]
        try:
            for path, (name, data) in zip(new, files.items(), strict=True):
                write_through(path, data)
                shutil.copymode(self.folder / name, path)
            listed = self.folder / (LIST + NEW)
            write_through(listed, json.dumps(list(files)).encode())
            flush_folder(self.folder)
            os.replace(listed, self.folder / LIST)
        except OSError:
            for path in (*new, self.folder / (LIST + NEW)):
                path.unlink(missing_ok=True)
            raise
        flush_folder(self.folder)
        self._finish()


def write_through(path: Path, data: bytes) -> None:
    """Write a file to the disk."""
    with path.open("wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def flush_folder(folder: Path) -> None:
    """Flush a folder's entries to the disk, if the system can."""
    if os.name == "posix":
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def parsed(path: Path, data: bytes, schema: Mapping[str, Any], key: str, stamp: Any) -> SourceSnapshot:
    """Return a file's rows; raise `StoreRefused` with name and line."""
    encoding = "utf-8-sig" if data.startswith(b"\xef\xbb\xbf") else "utf-8"
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise StoreRefused(f"{path.name}:{line}: not valid UTF-8; save the file as UTF-8") from None
    first = text.partition("\n")[0]
    delimiter = schema.get("dialect", {}).get("delimiter") or max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    lines: list[list[str]] = []
    try:
        header = next(reader, [])
        for entries in reader:
            if entries and len(entries) != len(header):
                raise StoreRefused(
                    f"{path.name}:{reader.line_num}: {len(entries)} columns, but the header has {len(header)}"
                )
            if entries:
                lines.append(entries)
    except csv.Error as error:
        raise StoreRefused(f"{path.name}:{reader.line_num}: {error}") from None
    titles = [title.strip() for title in header]
    names, kinds, captions = described(path, titles, schema)
    for name in names:
        if not name or names.count(name) > 1:
            raise StoreRefused(f"{path.name}:1: {f'column name {name!r} appears twice' if name else 'a column has no name'}")
    columns = list(zip(*lines, strict=True)) or [()] * len(names)
    guessed = {name: kinds.get(name) or kind_of(column) for name, column in zip(names, columns, strict=True)}
    values = []
    for name, column in zip(names, columns, strict=True):
        kind = guessed[name] or TEXT
        values.append([None if not entry else read_entry(entry, kind, path, name, at) for at, entry in enumerate(column, 2)])
    rows = tuple([dict(zip(names, row, strict=True)) for row in zip(*values, strict=True)])
    layout = Layout(encoding, delimiter, "\r\n" if first.endswith("\r") else "\n", tuple(header), guessed, bool(kinds))
    wanted = key or str(schema.get("tableSchema", {}).get("primaryKey", "")) or (names[0] if names else "")
    if names and wanted not in names:
        raise StoreRefused(f"{path.name} has no key column '{wanted}'; {suggest(wanted, names)}")
    return SourceSnapshot(rows, tuple(names), wanted, stamp, captions, layout)


def described(path: Path, titles: list[str], schema: Mapping[str, Any]) -> tuple[list[str], dict[str, Kind], dict[str, str]]:
    """Return the columns' names, and the types and captions that a schema declares."""
    described: dict[str, Mapping[str, Any]] = {}
    for column in schema.get("tableSchema", {}).get("columns", ()):
        for title in (column.get("titles"), column.get("name")):
            described.setdefault(title[0] if isinstance(title, list) else str(title), column)
    names, kinds, captions = [], {}, {}
    for title in titles:
        column = described.get(title, {})
        name = str(column.get("name", title))
        names.append(name)
        datatype = column.get("datatype")
        base = datatype.get("base", "string") if isinstance(datatype, Mapping) else datatype
        if base is not None:
            kind = KINDS.get(SAME.get(base, base))
            if kind is None:
                raise StoreRefused(f"{path.name}-metadata.json: unknown datatype '{base}'; {suggest(base, KINDS)}")
            kinds[name] = kind
        if column and column.get("titles"):
            captions[name] = title
    return names, kinds, captions


def read_entry(entry: str, kind: Kind, path: Path, name: str, line: int) -> Any:
    """Return a field as a value."""
    if kind is TEXT:
        return entry[1:] if entry.startswith("'") and shielded(entry[1:]) else entry
    try:
        return kind.read(entry)
    except (ValueError, KeyError):
        raise StoreRefused(f"{path.name}: row {line - 1}, column '{name}': '{entry}' isn't {kind.what}") from None


def shielded(text: str) -> bool:
    """Return True if text is written with a quote in front."""
    return text.startswith(HARMFUL) or (text.startswith("'") and shielded(text[1:]))


def fitting(change: Change, snapshot: SourceSnapshot) -> Mapping[str, Any]:
    """Return a change's row as its source stores it; raise `StoreRefused`."""
    found = dict.fromkeys(snapshot.columns) if change.kind == "add" else {}
    if change.kind == "add" and change.key is None:
        found.pop(snapshot.key, None)
    for column, value in change.row.items():
        if column not in snapshot.columns:
            raise StoreRefused(f"'{change.source}' has no column '{column}'; {suggest(column, snapshot.columns)}")
        kind = snapshot.more.kinds[column]
        if not snapshot.more.declared and kind in NUMBERS and isinstance(value, int | float | Decimal) and value is not True:
            # The type was only guessed from the column's present texts.
            kind = None if isinstance(value, float | Decimal) and value != int(value) else kind
        try:
            found[column] = fitted(value, kind, f"column '{column}' of '{change.source}'")
        except ValueError as error:
            raise StoreRefused(str(error)) from None
    return found


def bytes_of(snapshot: SourceSnapshot, rows: Sequence[Mapping[str, Any]]) -> bytes:
    """Return a source's file with other rows."""
    layout: Layout = snapshot.more
    file = io.StringIO()
    writer = csv.writer(file, delimiter=layout.delimiter, lineterminator=layout.line_end)
    writer.writerow(layout.header)
    for row in rows:
        writer.writerow([entry_of(row.get(column), layout.kinds[column]) for column in snapshot.columns])
    return file.getvalue().encode(layout.encoding)


def entry_of(value: Any, kind: Kind | None) -> str:
    """Return a value as a field's text."""
    if value is None:
        return ""
    if isinstance(value, str):
        return f"'{value}" if shielded(value) and kind in (None, TEXT) else value
    return OF_TYPE[type(value)].write(value)
