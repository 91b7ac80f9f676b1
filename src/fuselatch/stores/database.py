"""A database, through SQLAlchemy: a SQLite file or a PostgreSQL server."""

from __future__ import annotations

import weakref
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from shutil import disk_usage
from time import monotonic
from typing import Any, Final

from sqlalchemy import Connection, create_engine, event
from sqlalchemy.engine import make_url
from sqlalchemy.exc import ArgumentError, DataError, IntegrityError, NoSuchModuleError, SQLAlchemyError
from sqlalchemy.pool import NullPool

from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.texts import later
from fuselatch.core.model.values import short
from fuselatch.core.model.visible import without_passwords

WAIT: Final = 10.0
"""Seconds to wait while another process writes."""
SOON: Final = 2.0
"""Seconds after such a wait in which the next one isn't waited for again: a gesture asks a store several times."""
SHORT: Final = 0.05
"""Seconds that are waited then."""
PAGE: Final = 65_536
"""Bytes that a file grows by: a disk with less is full."""
USABLE: Final = ("sqlite", "postgresql")


class Database:
    """A database by address, or a SQLite file by path. `what`: its name in messages.

    `keep_open`: keep one connection to a server open, and check it before each use. Otherwise each connection is
    closed, because a server may restart and a process may fork. `timeout`: seconds to wait while another process writes;
    an address may have its own, `sqlite:///marina.db?timeout=5`.
    """

    def __init__(self, address: str | Path, what: str, keep_open: bool = False, timeout: float = WAIT) -> None:
        self.what = what
        # True once a connection was tried, so that a file that is missing has gone.
        self.was_there = False
        self._hurries_until = 0.0
        shown = without_passwords(str(address))
        try:
            url = make_url(as_address(address))
            self.kind = url.get_backend_name()
            if self.kind not in USABLE:
                raise StoreRefused(f"{shown}: {self.kind} is not supported; use {' or '.join(USABLE)}")
            waits = self.timeout = seconds(url.query.get("timeout", timeout), shown)
            if self.kind == "sqlite":
                # Isolation is ours: a transaction that writes locks at once, so that what it compares can't change.
                settings: dict[str, Any] = {"timeout": waits, "isolation_level": None}
                self.engine = create_engine(
                    url.difference_update_query(["timeout"]), poolclass=NullPool, connect_args=settings
                )
                event.listen(self.engine, "connect", keep_foreign_keys)
            else:
                given = {"connect_args": {"options": f"-c lock_timeout={int(waits * 1000)}"}}
                pool: dict[str, Any] = {"pool_size": 1, "pool_pre_ping": True} if keep_open else {"poolclass": NullPool}
                self.engine = create_engine(url.difference_update_query(["timeout"]), **pool, **given)
        except (ArgumentError, NoSuchModuleError, ImportError, ValueError) as error:
            raise StoreRefused(f"can't open the database {shown}: {without_passwords(str(error))}") from None
        weakref.finalize(self, self.engine.dispose)

    @property
    def file(self) -> Path | None:
        """The file of a SQLite database; None for one in memory, or on a server."""
        name = self.engine.url.database or ""
        return (
            Path(name) if self.kind == "sqlite" and name not in ("", ":memory:") and not name.startswith("file:") else None
        )

    @contextmanager
    def connected(self, writes: bool = False, creates: bool = False) -> Iterator[Connection]:
        """Open a connection with a transaction; raise `StoreRefused`. `creates`: also a SQLite file that isn't there."""
        if self.file is not None and not creates and not self.file.exists():
            if not self.was_there:
                raise StoreRefused(f"{self.file.name} not found; SqlRecords.create makes a SQLite file")
            raise StoreRefused(later("store.gone", name=self.file.name))
        self.was_there = True
        try:
            with self.engine.connect() as database:
                if self.kind == "sqlite":
                    if monotonic() < self._hurries_until:
                        database.exec_driver_sql(f"pragma busy_timeout = {int(min(SHORT, self.timeout) * 1000)}")
                    database.exec_driver_sql("begin immediate" if writes else "begin")
                yield database
                database.commit()
                if self.kind == "sqlite" and database.connection.dbapi_connection.in_transaction:  # type: ignore[union-attr]
                    database.exec_driver_sql("commit")
        except SQLAlchemyError as error:
            raise self.refused(error) from error
        except (ArithmeticError, ValueError, TypeError) as error:
            # The driver can't pass a value on, such as a whole number of 20 digits, or half of a character; or it can't
            # read one, such as a text in a column of numbers.
            raise StoreRefused(later("store.misfit"), str(error)) from error

    def _has_no_room(self) -> bool:
        """Return True if the disk of a SQLite file is full, which in WAL mode is an input/output error."""
        with suppress(OSError):
            return self.file is not None and disk_usage(self.file.absolute().parent).free < PAGE
        return False

    def refused(self, error: SQLAlchemyError) -> StoreRefused:
        """Return an error in words for the user, with its details for the developer."""
        reason = without_passwords(" ".join(str(getattr(error, "orig", None) or error).split()))
        low = reason.casefold()
        name = self.file.name if self.file is not None else self.what
        if isinstance(error, IntegrityError):
            taken = "unique" in low or "duplicate" in low
            which = "store.key_taken" if taken else "store.value_missing" if "null" in low else "store.conflict"
            if "check constraint" in low:
                which = "store.check"
            return StoreRefused(later(which), reason)
        if isinstance(error, DataError):
            return StoreRefused(later("store.misfit"), reason)
        if "full" in low or "no space left" in low or ("disk i/o" in low and self._has_no_room()):
            return StoreRefused(later("store.full"), reason)
        if "locked" in low or "lock timeout" in low:
            self._hurries_until = monotonic() + SOON
            return StoreRefused(later("store.locked", name=name), reason)
        if "readonly" in low or "read-only" in low:
            return StoreRefused(later("store.read_only_data", name=name), reason)
        return StoreRefused(later("store.out_of_reach", name=name), reason)


def seconds(given: object, address: str) -> float:
    """Return how long to wait; raise `StoreRefused`."""
    try:
        return float(str(given))
    except ValueError:
        raise StoreRefused(f"{address}: timeout must be a number of seconds, not {short(given)}") from None


def keep_foreign_keys(connection: Any, _: object) -> None:
    connection.execute("pragma foreign_keys = on")


def exists(address: str | Path) -> bool:
    """Return True for a database address, or the path of an existing file."""
    return "://" in str(address) or Path(address).is_file()


def as_address(address: str | Path) -> str:
    return str(address) if "://" in str(address) else f"sqlite:///{address}"
