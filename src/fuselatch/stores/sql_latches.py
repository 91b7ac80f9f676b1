"""Latch logs in a database, through SQLAlchemy."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Column, ColumnElement, Connection, MetaData, String, Table, and_, delete, inspect, select, update
from sqlalchemy.dialects import postgresql, sqlite
from sqlalchemy.schema import CreateTable

from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.latch_records import LatchRecord
from fuselatch.core.model.visible import without_passwords
from fuselatch.stores.database import WAIT, Database

MAKING = 7203041
"""The number of the server lock that is held while the table is created."""

META = MetaData()
LATCHES = Table(
    "latches",
    META,
    Column("latch", String, primary_key=True),
    Column("user", String, primary_key=True),
    Column("key", String, primary_key=True),
    Column("answer", String, nullable=False),
    Column("when", String, nullable=False),
)
INSERTS: dict[str, Any] = {"sqlite": sqlite.insert, "postgresql": postgresql.insert}


class SqlLatches:
    """A latch log in a database: `SqlLatches("office.db")` or `SqlLatches("postgresql://…/marina")`.

    `timeout`: seconds to wait while another process writes; several that write wait for each other.
    A SQLite file and the table, named `latches`, are created if needed; with `create=False`, it is refused that they are
    missing. Each call is one statement, so only one of several processes sets a latch first. Raises `StoreRefused`.
    """

    def __init__(self, address: str | Path, create: bool = True, timeout: float = WAIT) -> None:
        self._database = Database(address, "the latch log", timeout=timeout)
        self._insert = INSERTS[self._database.kind]
        if not create:
            with self._connected() as database:
                if not inspect(database).has_table(LATCHES.name):
                    raise StoreRefused(f"{without_passwords(str(address))} has no latch log (no table 'latches')")
            return
        with self._database.connected(writes=True, creates=True) as database:
            if self._database.kind == "postgresql":
                # Several processes may start at once and create the table together; even "if not exists" can collide.
                database.exec_driver_sql(f"select pg_advisory_xact_lock({MAKING})")
            database.execute(CreateTable(LATCHES, if_not_exists=True))

    @contextmanager
    def _connected(self, writes: bool = False) -> Iterator[Connection]:
        with self._database.connected(writes) as database:
            yield database

    def find(self, latch: str, user: str, key: str) -> LatchRecord | None:
        with self._connected() as database:
            row = database.execute(select(LATCHES).where(at(latch, user, key))).one_or_none()
        return None if row is None else LatchRecord(*row)

    def set(self, taken: LatchRecord, instead_of: LatchRecord | None) -> bool:
        statement: Any
        if instead_of is None:
            statement = self._insert(LATCHES).values(taken._asdict()).on_conflict_do_nothing()
        else:
            statement = update(LATCHES).where(exactly(instead_of)).values(answer=taken.answer, when=taken.when)
        with self._connected(writes=True) as database:
            return database.execute(statement.returning(LATCHES.c.latch)).first() is not None

    def reset(self, taken: LatchRecord) -> bool:
        with self._connected(writes=True) as database:
            gone = delete(LATCHES).where(exactly(taken)).returning(LATCHES.c.latch)
            return database.execute(gone).first() is not None

    def all(self) -> Sequence[LatchRecord]:
        order = (LATCHES.c.latch, LATCHES.c.user, LATCHES.c.key)
        with self._connected() as database:
            return [LatchRecord(*row) for row in database.execute(select(LATCHES).order_by(*order))]


def at(latch: str, user: str, key: str) -> ColumnElement[bool]:
    return and_(LATCHES.c.latch == latch, LATCHES.c.user == user, LATCHES.c.key == key)


def exactly(taken: LatchRecord) -> ColumnElement[bool]:
    """Return the condition for exactly this entry, not a later one."""
    return and_(at(*taken[:3]), LATCHES.c.when == taken.when, LATCHES.c.answer == taken.answer)
