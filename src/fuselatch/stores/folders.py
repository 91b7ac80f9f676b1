"""Records in a folder with a file for each source: read as the files were at one moment, written together."""

from __future__ import annotations

import os
from abc import abstractmethod
from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any, BinaryIO, ClassVar, Final

from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.record_changes import Change, Key
from fuselatch.core.model.texts import later
from fuselatch.stores.snapshots import Sources, SourceSnapshot, in_turn, plain_words
from fuselatch.stores.transactions import WAIT, FileTransaction

TRIES: Final = 20
"""How often the files are opened again, until none of them was written in the meantime."""


class FolderRecords(Sources):
    """A folder of files. A format reads a file (`_parsed`), writes a change (`_put`), and returns a file (`_bytes`).

    `keys`: the key columns of each source. `timeout`: seconds to wait while another process writes. Raises `StoreRefused`.
    """

    suffix: ClassVar[str]
    """How the files' names end."""

    def __init__(
        self, folder: str | Path, keys: Mapping[str, str | Sequence[str]] | None = None, timeout: float = WAIT
    ) -> None:
        super().__init__(keys)
        # The files as they were at one moment, open, until each is read. First of all, since `__del__` closes them.
        self._opened: dict[str, BinaryIO] = {}
        self.folder = Path(folder)
        if not self.folder.is_dir():
            raise StoreRefused(f"folder {self.folder.name} not found")
        self._files = FileTransaction(self.folder, timeout=timeout)
        self._types: dict[str, dict[str, type | None]] = {}

    @abstractmethod
    def _parsed(self, source: str, data: bytes, stamp: object) -> SourceSnapshot:
        """Read a file; raise `StoreRefused` with its name and the line."""

    @abstractmethod
    def _put(self, change: Change, snapshot: SourceSnapshot) -> Key:
        """Write one change into a source's snapshot, whose `more` is the format's own copy; return the row's key."""

    @abstractmethod
    def _copied(self, snapshot: SourceSnapshot) -> SourceSnapshot:
        """Return a snapshot that can be changed."""

    @abstractmethod
    def _bytes(self, source: str, snapshot: SourceSnapshot) -> bytes:
        """Return a source's file."""

    def sources(self) -> list[str]:
        """Return the sources' names, sorted."""
        return sorted(file.stem for file in self.folder.glob(f"*{self.suffix}"))

    def expect_types(self, source: str, types: Mapping[str, type | None]) -> None:
        """Note the types that controls have for columns. A column that two show with different types is guessed again."""
        known = self._types.setdefault(source, {})
        before = dict(known)
        for column, kind in types.items():
            known[column] = kind if known.get(column, kind) is kind else None
        if known != before and source in self._snapshots:
            self._forget(source)

    def _path(self, source: str) -> Path:
        return self.folder / f"{source}{self.suffix}"

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
        return self._parsed(source, data, stamp)

    def _open(self) -> None:
        """Open all files as they are at one moment, so that those of one gesture are read together."""
        for tries in range(TRIES):
            self._close()
            # Whoever writes puts a list in place, replaces the files, and deletes the list.
            with self._files.alone() if tries == TRIES - 1 else self._files.finished():
                for source in self.sources():
                    with suppress(FileNotFoundError):
                        self._opened[source] = self._path(source).open("rb")
                whole = not self._files.is_pending
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

    def write(self, changes: Sequence[Change]) -> list[Key]:
        with self._files.alone():
            self.look()
            written: dict[str, SourceSnapshot] = {}
            keys = in_turn(changes, lambda change: self._put(change, self._for_writing(change.source, written)))
            self._files.replace({self._path(source).name: self._bytes(source, each) for source, each in written.items()})
            for source, snapshot in written.items():
                self._forget(source)
                snapshot.stamp = self._stamp(source)
                self._snapshots[source] = snapshot
        return keys

    def _for_writing(self, source: str, written: dict[str, SourceSnapshot]) -> SourceSnapshot:
        """Return a source's copy that this transaction writes into."""
        if source not in written:
            try:
                written[source] = self._copied(self._known(source))
            except KeyError:
                raise StoreRefused(later("store.gone", name=self._path(source).name)) from None
        return written[source]


def stamp_of(found: os.stat_result) -> tuple[int, int, int]:
    """Return what differs when a file was replaced."""
    return found.st_mtime_ns, found.st_size, found.st_ino
