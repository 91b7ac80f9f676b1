"""Latch logs in a database, through SQLAlchemy: a file of SQLite, or a PostgreSQL server."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Column, Connection, MetaData, String, Table, and_, delete, select, update
from sqlalchemy.dialects import postgresql, sqlite
from sqlalchemy.schema import CreateTable

from fuselatch.core.model.latch_records import LatchRecord
from fuselatch.stores.database import Database

MAKING = 7203041
"""A number that stands for the making of the table, among the locks of a server."""

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
    """A latch log in a database: `SqlLatches("desk.db")`, or `SqlLatches("postgresql://…/marina")`.

    Takes the path of a SQLite file, which is made where it is not there, or a database's address;
    the table is named `latches`. Each call is one statement, so that of several processes that
    take the same latch one is told that it was first. Raises `StoreRefused`.
    """

    def __init__(self, address: str | Path) -> None:
        self._database = Database(address, "the latch log")
        self._insert = INSERTS[self._database.kind]
        with self._connected() as database:
            if self._database.kind == "postgresql":
                # Of several processes that begin at once, one makes the table; here "if not exists" may collide.
                database.exec_driver_sql(f"select pg_advisory_xact_lock({MAKING})")
            database.execute(CreateTable(LATCHES, if_not_exists=True))

    @contextmanager
    def _connected(self) -> Iterator[Connection]:
        with self._database.connected() as database:
            yield database

    def find(self, latch: str, user: str, key: str) -> LatchRecord | None:
        """The entry of a latch for a user and key, or None."""
        with self._connected() as database:
            row = database.execute(select(LATCHES).where(at(latch, user, key))).one_or_none()
        return None if row is None else LatchRecord(*row)

    def set(self, taken: LatchRecord, instead_of: LatchRecord | None) -> bool:
        """Put an entry in place of exactly that one (None: of none); False where somebody else was faster."""
        statement: Any
        if instead_of is None:
            statement = self._insert(LATCHES).values(taken._asdict()).on_conflict_do_nothing()
        else:
            statement = update(LATCHES).where(exactly(instead_of)).values(answer=taken.answer, when=taken.when)
        with self._connected() as database:
            return database.execute(statement.returning(LATCHES.c.latch)).first() is not None

    def reset(self, taken: LatchRecord) -> bool:
        """Take exactly that entry away; False where it is not there."""
        with self._connected() as database:
            gone = delete(LATCHES).where(exactly(taken)).returning(LATCHES.c.latch)
            return database.execute(gone).first() is not None

    def all(self) -> Sequence[LatchRecord]:
        """Every entry, in order of latch, user and key."""
        order = (LATCHES.c.latch, LATCHES.c.user, LATCHES.c.key)
        with self._connected() as database:
            return [LatchRecord(*row) for row in database.execute(select(LATCHES).order_by(*order))]


def at(latch: str, user: str, key: str) -> Any:
    """The place of an entry."""
    return and_(LATCHES.c.latch == latch, LATCHES.c.user == user, LATCHES.c.key == key)


def exactly(taken: LatchRecord) -> Any:
    """One entry and no later one in its place."""
    return and_(at(*taken[:3]), LATCHES.c.when == taken.when, LATCHES.c.answer == taken.answer)
