"""A database, through SQLAlchemy: a file of SQLite, or a PostgreSQL server."""

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
from fuselatch.core.model.texts import user_text

WAIT: Final = 30
"""Seconds to wait for a database that another process is writing to."""
USABLE: Final = ("sqlite", "postgresql")


class Database:
    """A database by its address, or the path of a SQLite file; `what` is what messages call that which is kept there.

    With `keep` one connection to a server stays open, and is looked at before it is used again; else none is kept,
    as a server may restart, and a process fork.
    """

    def __init__(self, address: str | Path, what: str, keep: bool = False) -> None:
        self.address = as_address(address)
        self.name = f"{what} {address}"
        try:
            if keep and not self.address.startswith("sqlite"):
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
        """A connection with a transaction, which is kept if all goes well; raises `StoreRefused` in plain words."""
        try:
            with self.engine.begin() as database:
                yield database
        except SQLAlchemyError as error:
            raise StoreRefused(self.plain_words(error)) from error

    def plain_words(self, error: SQLAlchemyError) -> str:
        """What went wrong, for people."""
        reason = " ".join(str(getattr(error, "orig", None) or error).split())
        low = reason.casefold()
        if isinstance(error, IntegrityError):
            if "unique" in low or "duplicate" in low:
                return user_text("store.key_taken", reason=reason)
            if "null" in low:
                return user_text("store.value_missing", reason=reason)
            return user_text("store.conflict", reason=reason)
        if isinstance(error, DataError):
            return user_text("store.misfit", reason=reason)
        if "full" in low:
            return user_text("store.full_of", reason=reason)
        if "readonly" in low or "read-only" in low:
            return user_text("store.locked", name=self.name, reason=reason)
        return user_text("store.unusable", name=self.name, reason=reason)


def exists(address: str | Path) -> bool:
    """Whether an address is that of a database, or a path that of a file which is there."""
    return "://" in str(address) or Path(address).is_file()


def as_address(address: str | Path) -> str:
    """A path as the address of a SQLite file; an address as it is."""
    return str(address) if "://" in str(address) else f"sqlite:///{address}"
