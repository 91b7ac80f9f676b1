"""The reach of a cue sheet. It may come from a stranger, so it names only files and modules of given folders."""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from functools import cache
from importlib.metadata import entry_points
from pathlib import Path
from typing import Final, Protocol

LARGEST: Final = 4 * 1024 * 1024
"""The most bytes of one cue sheet."""
DEEPEST: Final = 100
"""How deep cue sheets may include each other."""
MOST_FILES: Final = 10_000
"""How many files a cue sheet may include in all."""
MOST_TEXT: Final = 16 * LARGEST
"""The most characters of a cue sheet with all that it includes."""
GROUP: Final = "fuselatch.forms"
"""The entry points of installed packages whose forms and scenes cue sheets may open."""


class OutOfReach(ValueError):
    """A file or folder that a cue sheet may not use."""


def resolved(path: Path) -> Path:
    """Return a path without links; raise `OutOfReach` if there is none."""
    try:
        real = path.resolve()
        if os.path.islink(real):
            # From Python 3.13 on, links that lead in a circle are left as they are.
            raise RuntimeError("links lead in a circle")
        return real
    except (OSError, RuntimeError, ValueError) as error:
        why = "this isn't the name of a file" if isinstance(error, ValueError) else "links lead in a circle"
        raise OutOfReach(why) from None


def is_within(path: Path, folders: Iterable[Path]) -> bool:
    """Return True if a path is in or below one of the folders, also after links are followed."""
    real = resolved(path)
    return any(real.is_relative_to(folder.resolve()) for folder in folders)


def in_reach(path: Path, folders: Iterable[Path], named: str) -> Path:
    """Return a path that a cue sheet names; raise `OutOfReach` if it is outside of the folders."""
    if not is_within(path, folders):
        raise OutOfReach(f"'{named}' is outside the folders that a cue sheet may use; add its folder with --from FOLDER")
    return path


class Ledger(Protocol):
    """Is told each file that runs of cue sheets read: sheets, policies and Python files."""

    def saw(self, path: Path, data: bytes) -> None:
        """Note a file and its contents. What it raises stops the run, before the contents are used."""


_ledgers: list[Ledger] = []


@contextmanager
def told_to(ledger: Ledger) -> Iterator[None]:
    """Tell a ledger each file that is read in the block."""
    _ledgers.append(ledger)
    try:
        yield
    finally:
        _ledgers.remove(ledger)


def note(path: Path, data: bytes) -> bytes:
    """Tell the ledgers what was read; return it."""
    for ledger in _ledgers:
        ledger.saw(path, data)
    return data


def read_bytes(path: Path) -> bytes:
    """Return the contents of a regular file of at most 4 MB; raise `OSError`."""
    if "\0" in str(path):
        raise OSError(errno.EINVAL, "a file name can't contain NUL", "")
    status = path.stat()
    if stat.S_ISDIR(status.st_mode):
        raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), str(path))
    if not stat.S_ISREG(status.st_mode):
        raise OSError(errno.EINVAL, "not a regular file", str(path))
    with path.open("rb") as file:
        text = file.read(LARGEST + 1)
    if len(text) > LARGEST:
        raise OSError(errno.EFBIG, "larger than 4 MB", str(path))
    return note(path, text)


@cache
def declared_modules() -> tuple[str, ...]:
    """Return the modules whose forms and scenes installed packages offer to cue sheets."""
    return tuple(sorted({each.module for each in entry_points(group=GROUP)}))


def is_declared(module: str) -> bool:
    """Return True if an installed package offers a module to cue sheets."""
    return any(module == each or module.startswith(f"{each}.") for each in declared_modules())
