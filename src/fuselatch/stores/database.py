"""A database, through SQLAlchemy: a SQLite file or a PostgreSQL server."""

from __future__ import annotations

import weakref
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from sqlalchemy import Connection, create_engine
from sqlalchemy.exc import ArgumentError, DataError, IntegrityError, NoSuchModuleError, SQLAlchemyError
from sqlalchemy.pool import NullPool

from fuselatch.core.engine.store import StoreRefused
from fuselatch.core.model.texts import later

WAIT: Final = 30
"""Seconds to wait while another process writes."""
USABLE: Final = ("sqlite", "postgresql")


class Database:
    """A database by address, or a SQLite file by path. `what`: its name in messages.

    `keep_open`: keep one connection to a server open, and check it before each use. Otherwise each connection is
    closed, because a server may restart and a process may fork.
    """

    def __init__(self, address: str | Path, what: str, keep_open: bool = False) -> None:
        self.address = as_address(address)
        self.name = f"{what} {address}"
        try:
            if keep_open and not self.address.startswith("sqlite"):
                self.engine = create_engine(self.address, pool_size=1, pool_pre_ping=True)
            else:
                waits = {"timeout": WAIT} if self.address.startswith("sqlite") else {}
                self.engine = create_engine(self.address, poolclass=NullPool, connect_args=waits)
        except (ArgumentError, NoSuchModuleError, ImportError) as error:
            raise StoreRefused(f"can't open the database {address}: {error}") from None
        self.kind = self.engine.dialect.name
        weakref.finalize(self, self.engine.dispose)
        if self.kind not in USABLE:
            raise StoreRefused(f"{address}: {self.kind} is not supported; use {' or '.join(USABLE)}")

    @contextmanager
    def connected(self) -> Iterator[Connection]:
        """Open a connection with a transaction; raise `StoreRefused`."""
        try:
            with self.engine.begin() as database:
                yield database
        except SQLAlchemyError as error:
            raise StoreRefused(self.plain_words(error)) from error

    def plain_words(self, error: SQLAlchemyError) -> str:
        """Return an error in words for the user."""
        reason = " ".join(str(getattr(error, "orig", None) or error).split())
        low = reason.casefold()
        if isinstance(error, IntegrityError):
            if "unique" in low or "duplicate" in low:
                return later("store.key_taken", reason=reason)
            if "null" in low:
                return later("store.value_missing", reason=reason)
            return later("store.conflict", reason=reason)
        if isinstance(error, DataError):
            return later("store.misfit", reason=reason)
        if "full" in low:
            return later("store.full_of", reason=reason)
        if "readonly" in low or "read-only" in low:
            return later("store.locked", name=self.name, reason=reason)
        return later("store.unusable", name=self.name, reason=reason)


def exists(address: str | Path) -> bool:
    """Return True for a database address, or the path of an existing file."""
    return "://" in str(address) or Path(address).is_file()


def as_address(address: str | Path) -> str:
    return str(address) if "://" in str(address) else f"sqlite:///{address}"
