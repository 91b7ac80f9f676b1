"""Records in a database, through SQLAlchemy."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any, Final

from sqlalchemy import (
    Boolean,
    Column,
    Connection,
    Date,
    DateTime,
    Double,
    Integer,
    MetaData,
    Numeric,
    String,
    Table,
    Time,
    TypeDecorator,
    cast,
    delete,
    func,
    insert,
    inspect,
    literal_column,
    select,
    update,
)
from sqlalchemy import Text as SqlText
from sqlalchemy.exc import NoSuchTableError
from sqlalchemy.types import BigInteger, UserDefinedType

from fuselatch.core.engine.store import ChangedMeanwhile, StoreRefused
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Change
from fuselatch.core.model.values import KINDS, adapted, short
from fuselatch.stores.database import Database
from fuselatch.stores.snapshots import Sources, SourceSnapshot


class ExactText(UserDefinedType[str]):
    """The declared type of a SQLite column that stores amounts as text."""

    cache_ok = True

    def get_col_spec(self, **options: Any) -> str:
        return "DECIMAL_TEXT"


class Amount(TypeDecorator[Decimal]):
    """An amount in SQLite, which has no type for it: stored as text, so no digit is lost."""

    impl = ExactText
    cache_ok = True

    def process_bind_param(self, value: Decimal | None, dialect: Any) -> Any:
        return None if value is None else f"{value:f}"

    def process_result_value(self, value: Any, dialect: Any) -> Decimal | None:
        return None if value is None else Decimal(str(value))


TYPES: Final[Mapping[type, Any]] = {
    int: BigInteger, float: Double, Decimal: Numeric, bool: Boolean,
    date: Date, datetime: DateTime, time: Time, str: SqlText,
}  # fmt: skip
"""The column type for each Python type, for tables that are created here."""


class SqlRecords(Sources):
    """The tables of a database: `SqlRecords("marina.db")` or `SqlRecords("postgresql://…/marina")`.

    `keys`: the key column of each table; default: its primary key, or its first column. A column's comment (PostgreSQL) is
    its caption. Every value is bound. Other users' changes are noticed by `look`, and when a row is written. Raises
    `StoreRefused`.
    """

    def __init__(self, address: str | Path, keys: Mapping[str, str] | None = None) -> None:
        super().__init__()
        self._database = Database(address, "the database", keep_open=True)
        self._tables: dict[str, Table] = {}
        self.keys = dict(keys or {})

    def sources(self) -> list[str]:
        """Return the names of tables and views, sorted."""
        with self._database.connected() as database:
            seen = inspect(database)
            return sorted({*seen.get_table_names(), *seen.get_view_names()})

    def create(self, source: str, rows: Iterable[Mapping[str, Any]], key: str, unique: Sequence[str] = ()) -> None:
        """Create a table with the columns and rows of another source.

        `unique`: columns that are unique together. The database gives keys that are whole numbers.
        """
        given = [dict(row) for row in rows]
        names = list(dict.fromkeys(name for row in given for name in row))
        if key not in names:
            raise StoreRefused(f"table '{source}' needs key column '{key}'; {suggest(key, names)}")
        meta = MetaData()
        table = Table(source, meta, *[self._column(name, given, name == key) for name in names])
        with self._database.connected() as database:
            meta.create_all(database, checkfirst=False)
            if unique:
                quoted = self._database.engine.dialect.identifier_preparer.quote
                columns = ", ".join(map(quoted, unique))
                database.exec_driver_sql(f"create unique index {quoted(f'{source}_unique')} on {quoted(source)} ({columns})")
            if given:
                database.execute(insert(table), given)
            if self._database.kind == "postgresql" and isinstance(table.c[key].type, Integer):
                last = select(func.coalesce(func.max(table.c[key]), 0) + 1)
                numbers = func.pg_get_serial_sequence(self._database.engine.dialect.identifier_preparer.quote(source), key)
                database.execute(select(func.setval(numbers, last.scalar_subquery(), False)))

    def _column(self, name: str, rows: Sequence[Mapping[str, Any]], is_key: bool) -> Column[Any]:
        types = {type(row[name]) for row in rows if row.get(name) is not None}
        wanted = next((kind for kind in (Decimal, float, int) if kind in types and types <= {Decimal, float, int}), None)
        wanted = wanted or (types.pop() if len(types) == 1 else str)
        kind = TYPES.get(wanted, SqlText)
        if self._database.kind == "sqlite":
            # SQLite numbers rows only in a column declared as exactly "integer".
            kind = Amount if kind is Numeric else Integer if kind is BigInteger else kind
        elif is_key and kind is SqlText:
            kind = String
        return Column(name, kind(), primary_key=is_key)

    # ---- reading

    def _load(self, source: str) -> SourceSnapshot:
        with self._database.connected() as database:
            table = self._tables.get(source)
            if table is None:
                table = self._tables[source] = self._reflected(database, source)
            names = tuple(column.name for column in table.columns)
            primary = [column.name for column in table.primary_key.columns]
            key = self.keys.get(source) or (primary[0] if len(primary) == 1 else names[0] if names else "")
            if key not in names:
                raise StoreRefused(f"'{source}' has no key column '{key}'; {suggest(key, names)}")
            found = database.execute(select(table).order_by(table.c[key]))
            rows = tuple([dict(row._mapping) for row in found])
            captions = {column.name: column.comment for column in table.columns if column.comment}
            stamp = self._read_stamp(database, table, source)
        return SourceSnapshot(rows, names, key, stamp, captions, table)

    def _reflected(self, database: Connection, source: str) -> Table:
        """Return a table as the database declares it; raise `KeyError`."""
        try:
            table = Table(source, MetaData(), autoload_with=database)
        except NoSuchTableError:
            raise KeyError(source) from None
        if self._database.kind == "sqlite":
            for column in table.columns:
                exact = is_exact(database, source, column.name)
                if exact or (isinstance(column.type, Numeric) and column.type.asdecimal):
                    column.type = Amount()
        return table

    def _stamp(self, source: str) -> Any:
        table = self._snapshots[source].more
        with self._database.connected() as database:
            return self._read_stamp(database, table, source)

    def _read_stamp(self, database: Connection, table: Any, source: str) -> Any:
        """Return a mark that differs after a write: SQLite's file, or PostgreSQL's rows and transactions."""
        if self._database.kind == "sqlite":
            return changes_of(Path(self._database.engine.url.database or ""))
        wrote = cast(cast(literal_column("xmin"), SqlText), BigInteger)
        try:
            return tuple(database.execute(select(func.count(), func.max(wrote), func.sum(wrote)).select_from(table)).one())
        except Exception:
            # A view has no such column; it is read again at each look.
            return object()

    # ---- writing

    def write(self, changes: Sequence[Change]) -> list[Any]:
        for change in changes:
            self._table(change)
        try:
            with self._database.connected() as database:
                return [self._write(database, change) for change in changes]
        finally:
            for source in {change.source for change in changes}:
                self._forget(source)

    def _table(self, change: Change) -> Table:
        try:
            table: Table = self._known(change.source).more
        except KeyError:
            raise StoreRefused(f"unknown table '{change.source}'") from None
        for column in change.row:
            if column not in table.c:
                raise StoreRefused(f"'{change.source}' has no column '{column}'; {suggest(column, table.c.keys())}")
        return table

    def _write(self, database: Connection, change: Change) -> Any:
        table = self._table(change)
        key = table.c[self._known(change.source).key]
        row = {column: fitting(table.c[column], value, change.source) for column, value in change.row.items()}
        if change.kind == "add":
            if change.key is not None:
                row[key.name] = fitting(key, change.key, change.source)
            elif row.get(key.name) is None:
                row.pop(key.name, None)
            return database.execute(insert(table).values(row).returning(key)).scalar_one()
        as_read = [key == change.key]
        for name, value in (change.was or {}).items():
            as_read.append(table.c[name].is_not_distinct_from(value))
        statement: Any = delete(table) if change.kind == "remove" else update(table).values(row)
        if not database.execute(statement.where(*as_read).returning(key)).first():
            theirs = database.execute(select(table).where(key == change.key)).one_or_none()
            raise ChangedMeanwhile(change, dict(theirs._mapping) if theirs is not None else None)
        return row.get(key.name, change.key)


def is_exact(database: Connection, source: str, column: str) -> bool:
    """Return True if a SQLite column stores amounts as text."""
    found = database.exec_driver_sql("select type from pragma_table_info(?) where name = ?", (source, column)).scalar()
    return found == ExactText().get_col_spec()


def changes_of(file: Path) -> Any:
    """Return what differs after a write: the counter in the file's header, and its log.

    See "Database File Format" in SQLite's documentation, section 1.3.
    """
    try:
        with file.open("rb") as opened:
            header = opened.read(28)
        log = file.with_name(file.name + "-wal")
        written = log.stat() if log.exists() else None
    except OSError:
        return None
    return header[24:28], written and (written.st_size, written.st_mtime_ns)


def fitting(column: Any, value: Any, source: str) -> Any:
    """Return a value as a column stores it, a blank as NULL; raise `StoreRefused`."""
    if value is None or value == "":
        return None
    wanted = Decimal if isinstance(column.type, Amount) else column.type.python_type
    try:
        return adapted(value, wanted)
    except TypeError:
        raise StoreRefused(
            f"column '{column.name}' of '{source}' must be {KINDS.get(wanted, wanted.__name__)}, but it is {short(value)}"
        ) from None
