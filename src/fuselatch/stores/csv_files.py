"""Records in a folder of CSV files.

The format is RFC 4180. A schema beside a file ("berths.csv-metadata.json", W3C's "Metadata Vocabulary for Tabular Data")
can declare its columns' types, captions and key.

A gesture's files are written completely beside the old ones and flushed to the disk. Then a list of them is put in
place, each file replaces the old one, and the list is deleted. If a process is killed in between, the next one that
finds the list finishes the work.
"""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any, BinaryIO, Final

from filelock import FileLock, Timeout

from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.record_changes import Change, key_name, with_key
from fuselatch.core.model.texts import later
from fuselatch.stores.csv_text import bytes_of, copied, fitting, parsed, record_text, reread
from fuselatch.stores.snapshots import Sources, SourceSnapshot, in_turn, plain_words, write_row

WAIT: Final = 10.0
"""Seconds to wait while another process writes."""
LIST: Final = ".fuselatch-pending"
LOCK: Final = ".fuselatch-lock"
NEW: Final = ".fuselatch-new"
TRIES: Final = 20
"""How often the files are opened again, until none of them was written in the meantime."""


class CsvRecords(Sources):
    """A folder of CSV files: `CsvRecords("data")` has the source `berths` from `data/berths.csv`.

    `keys`: the key columns of each source; default: the schema's, or the first column. Without a schema, a column has the
    type of the control that shows it, or the first type (whole number, number, amount, boolean, date, time) that reads and
    writes all its texts unchanged, or text. A text that a spreadsheet might run as a formula is written with a leading `'`.
    `timeout`: seconds to wait while another process writes. Raises `StoreRefused`.
    """

    def __init__(
        self, folder: str | Path, keys: Mapping[str, str | Sequence[str]] | None = None, timeout: float = WAIT
    ) -> None:
        super().__init__(keys)
        # The files as they were at one moment, open, until each is read. First of all, since `__del__` closes them.
        self._opened: dict[str, BinaryIO] = {}
        self.folder = Path(folder)
        if not self.folder.is_dir():
            raise StoreRefused(f"folder {self.folder.name} not found")
        self._lock = FileLock(self.folder / LOCK, timeout=timeout)
        self._types: dict[str, dict[str, type | None]] = {}

    def sources(self) -> list[str]:
        """Return the sources' names, sorted."""
        return sorted(file.stem for file in self.folder.glob("*.csv"))

    def expect_types(self, source: str, types: Mapping[str, type | None]) -> None:
        """Note the types that controls have for columns. A column that two show with different types is guessed again."""
        known = self._types.setdefault(source, {})
        before = dict(known)
        for column, kind in types.items():
            known[column] = kind if known.get(column, kind) is kind else None
        if known != before and source in self._snapshots:
            self._forget(source)

    def _path(self, source: str) -> Path:
        return self.folder / f"{source}.csv"

    def _stamp(self, source: str) -> Any:
        try:
            return stamp_of(self._path(source).stat())
        except OSError:
            return None

    def _load(self, source: str) -> SourceSnapshot:
        path = self._path(source)
        if Path(source).name != source or not path.exists():
            raise KeyError(source)
        try:
            if source not in self._opened:
                self._open()
            file = self._opened.pop(source, None)
            if file is None:
                raise KeyError(source)
            with file:
                stamp = stamp_of(os.fstat(file.fileno()))
                data = file.read()
        except OSError as error:
            raise plain_words(error, path.name) from error
        return parsed(path, data, self._schema(source), self._key_of(source), self._types.get(source, {}), stamp)

    def _open(self) -> None:
        """Open all files as they are at one moment, so that those of one gesture are read together."""
        for tries in range(TRIES):
            self._close()
            # Whoever writes puts a list in place, replaces the files, and deletes the list.
            with self._alone() if tries == TRIES - 1 else self._finished():
                for source in self.sources():
                    with suppress(FileNotFoundError):
                        self._opened[source] = self._path(source).open("rb")
                whole = not (self.folder / LIST).exists()
                there = {source: stamp_of(os.fstat(file.fileno())) for source, file in self._opened.items()}
                if whole and all(self._stamp(source) == stamp for source, stamp in there.items()):
                    break
        for source, snapshot in list(self._snapshots.items()):
            if there.get(source, snapshot.stamp) != snapshot.stamp:
                self._forget(source)

    def _close(self) -> None:
        for file in self._opened.values():
            file.close()
        self._opened.clear()

    def look(self) -> None:
        self._close()
        super().look()

    def __del__(self) -> None:
        self._close()

    def _schema(self, source: str) -> Mapping[str, Any]:
        path = self.folder / f"{source}.csv-metadata.json"
        if not path.exists():
            return {}
        try:
            found: Any = json.loads(path.read_text(encoding="utf-8"))
        except (OSError, ValueError) as error:
            raise StoreRefused(f"can't read {path.name}: {error}") from None
        if not isinstance(found, dict):
            raise StoreRefused(f"{path.name} must be an object with a 'tableSchema', not {type(found).__name__}")
        return found

    @contextmanager
    def _finished(self) -> Iterator[None]:
        """Finish the work of a killed process, if there is some."""
        if (self.folder / LIST).exists():
            with self._alone(reading=True):
                yield
        else:
            yield

    @contextmanager
    def _alone(self, reading: bool = False) -> Iterator[None]:
        """Lock out other processes, and finish the work of a killed one."""
        try:
            self._lock.acquire()
        except Timeout:
            raise StoreRefused(later("store.busy", name=self.folder.name, seconds=f"{self._lock.timeout:g}")) from None
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
                real = (self.folder / name).resolve()
                new = real.with_name(real.name + NEW)
                if new.exists():
                    os.replace(new, real)
            flush_folder(self.folder)
            pending.unlink()

    def write(self, changes: Sequence[Change]) -> list[Any]:
        with self._alone():
            self.look()
            written: dict[str, SourceSnapshot] = {}
            keys = in_turn(changes, lambda change: self._write(change, written))
            try:
                self._replace({self._path(source).name: bytes_of(snapshot.more) for source, snapshot in written.items()})
            except OSError as error:
                raise plain_words(error, Path(error.filename or self.folder).name.removesuffix(NEW)) from error
            for source, snapshot in written.items():
                self._forget(source)
                snapshot.stamp = self._stamp(source)
                self._snapshots[source] = snapshot
        return keys

    def _write(self, change: Change, written: dict[str, SourceSnapshot]) -> Any:
        """Write one change into copies of the sources; return its key."""
        source = change.source
        if source not in written:
            try:
                snapshot = self._known(source)
            except KeyError:
                raise StoreRefused(later("store.gone", name=self._path(source).name)) from None
            written[source] = replace(snapshot, more=copied(snapshot.more))
        snapshot = written[source]
        rows, layout, key = list(snapshot.rows), snapshot.more, key_name(snapshot.key)
        row: Mapping[str, Any] = change.row
        if change.kind == "add":
            row = with_key(row, key, change.key) if change.key is not None else row
            row = {**dict.fromkeys(column for column in snapshot.columns if column not in snapshot.key), **row}
        kinds = dict(layout.kinds)
        row = fitting(row, snapshot, source)
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
            rows = reread(rows, kinds, layout, self._path(source))
        snapshot.rows = tuple(rows)
        return given

    def _replace(self, files: Mapping[str, bytes]) -> None:
        """Replace files, all or none. A link stays one: the file that it means is replaced."""
        real = {name: (self.folder / name).resolve() for name in files}
        new = {name: path.with_name(path.name + NEW) for name, path in real.items()}
        try:
            for name, data in files.items():
                write_through(new[name], data)
                shutil.copymode(real[name], new[name])
            listed = self.folder / (LIST + NEW)
            write_through(listed, json.dumps(list(files)).encode())
            flush_folder(self.folder)
            os.replace(listed, self.folder / LIST)
        except OSError:
            for path in (*new.values(), self.folder / (LIST + NEW)):
                path.unlink(missing_ok=True)
            raise
        flush_folder(self.folder)
        self._finish()


def stamp_of(found: os.stat_result) -> tuple[int, int, int]:
    """Return what differs when a file was replaced."""
    return found.st_mtime_ns, found.st_size, found.st_ino


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
