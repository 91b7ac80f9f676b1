"""Replace files of a folder together: all or none, whoever is killed, and whoever else reads or writes.

Each new file is written completely beside the old one and flushed to the disk. Up to here, whatever goes wrong, the new
ones are deleted and nothing has changed. Then a list of the files is put in place: that moment decides. Each new file
replaces its old one, and the list is deleted. If a process is killed in between, the next one that finds the list does
the rest. A single file needs no list, since a file is replaced in one step.

Who writes holds a lock; who reads doesn't, and waits only while there is a list.
"""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from filelock import FileLock, Timeout

from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.texts import later
from fuselatch.stores.snapshots import plain_words

WAIT: Final = 10.0
"""Seconds to wait while another process writes."""
LIST: Final = ".fuselatch-pending"
LOCK: Final = ".fuselatch-lock"
NEW: Final = ".fuselatch-new"


class FileTransaction:
    """One write into a folder: all files or none. `only`: the one file it is about, or "" for any file of the folder."""

    def __init__(self, folder: Path, only: str = "", timeout: float = WAIT) -> None:
        self.folder = folder
        self.name = only or folder.name
        self._list = folder / (f"{LIST}-{only}" if only else LIST)
        self._lock = FileLock(folder / (f"{LOCK}-{only}" if only else LOCK), timeout=timeout)

    @property
    def is_pending(self) -> bool:
        """True while files are being replaced, or if a killed process has left some."""
        return self._list.exists()

    @contextmanager
    def alone(self, reading: bool = False) -> Iterator[None]:
        """Lock out other processes, and finish the work of a killed one. Raises `StoreRefused`."""
        try:
            self._lock.acquire()
        except Timeout:
            raise StoreRefused(later("store.busy", name=self.name, seconds=f"{self._lock.timeout:g}")) from None
        except OSError as error:
            if not reading:
                raise plain_words(error, self.name) from error
            # A folder without write permission can still be read.
            yield
            return
        try:
            try:
                self._finish()
            except OSError as error:
                raise plain_words(error, self.name) from error
            yield
        finally:
            self._lock.release()

    @contextmanager
    def finished(self) -> Iterator[None]:
        """Finish the work of a killed process, if there is some, before files are read."""
        if self.is_pending:
            with self.alone(reading=True):
                yield
        else:
            yield

    def replace(self, files: Mapping[str, bytes]) -> None:
        """Replace files by name, all or none, while others are locked out. A link stays one: its target is replaced.

        Raises `StoreRefused`; then the files are as they were.
        """
        real = {name: (self.folder / name).resolve() for name in files}
        new = {name: path.with_name(path.name + NEW) for name, path in real.items()}
        listed = self._list.with_name(self._list.name + NEW)
        try:
            for name, data in files.items():
                write_through(new[name], data)
                shutil.copymode(real[name], new[name])
            for folder in {path.parent for path in new.values()}:
                flush_folder(folder)
            if len(files) > 1:
                write_through(listed, json.dumps([*files]).encode())
                os.replace(listed, self._list)
                flush_folder(self.folder)
                self._finish()
            for name in files if len(files) == 1 else ():
                os.replace(new[name], real[name])
                flush_folder(real[name].parent)
        except OSError as error:
            if not self.is_pending:
                for path in (*new.values(), listed):
                    path.unlink(missing_ok=True)
            raise plain_words(error, Path(error.filename or self.name).name.removesuffix(NEW)) from error

    def _finish(self) -> None:
        """Replace the files of the list that aren't replaced yet, and delete the list."""
        if self.is_pending:
            for name in json.loads(self._list.read_text(encoding="utf-8")):
                real = (self.folder / name).resolve()
                new = real.with_name(real.name + NEW)
                if new.exists():
                    os.replace(new, real)
                # Also if the killed process has replaced it: the list may go only once that is on the disk.
                flush_folder(real.parent)
            self._list.unlink()


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
