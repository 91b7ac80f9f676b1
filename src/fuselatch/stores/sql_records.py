"""Records in a database, through SQLAlchemy."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any, Final
from warnings import catch_warnings, simplefilter

from sqlalchemy import (
    Boolean,
    Column,
    Connection,
    Date,
    DateTime,
    Delete,
    Double,
    Integer,
    MetaData,
    Numeric,
    String,
    Table,
    Time,
    TypeDecorator,
    Update,
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
from sqlalchemy.exc import NoSuchTableError, SAWarning
from sqlalchemy.types import BigInteger, UserDefinedType

from fuselatch.core.engine.state.store import ChangedMeanwhile, StoreRefused
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Change, Key, Record, key_name, shown_key, with_key
from fuselatch.core.model.texts import later
from fuselatch.core.model.values import KINDS, Value, adapted, short
from fuselatch.stores.columns import is_equal
from fuselatch.stores.database import WAIT, Database
from fuselatch.stores.snapshots import Sources, SourceSnapshot, in_turn, known_columns, trouble_with


class ExactText(UserDefinedType[str]):
    """The declared type of a SQLite column that stores amounts as text."""

    cache_ok = True

    def get_col_spec(self, **options: Any) -> str:
        return "DECIMAL_TEXT"


class Amount(TypeDecorator[Decimal]):
    """An amount in SQLite, which has no type for it: stored as text, so no digit is lost."""

    impl = ExactText
    cache_ok = True

    def process_bind_param(self, value: Decimal | None, dialect: object) -> Value:
        return None if value is None else f"{value:f}"

    def process_result_value(self, value: object, dialect: object) -> Value:
        try:
            return None if value is None else Decimal(str(value))
        except ArithmeticError:
            # SQLite stores any text in any column.
            return value


TYPES: Final[Mapping[type, Any]] = {
    int: BigInteger, float: Double, Decimal: Numeric, bool: Boolean,
    date: Date, datetime: DateTime, time: Time, str: SqlText,
}  # fmt: skip
"""The column type for each Python type, for tables that are created here."""


class Lenient(TypeDecorator[Any]):
    """A column of SQLite, which stores any value in any column: one that isn't of the declared type is read as it is."""

    impl = SqlText
    cache_ok = True

    def __init__(self, declared: Any, kind: type) -> None:
        super().__init__()
        self.declared = declared
        self.kind = kind
        self.impl = declared

    def load_dialect_impl(self, dialect: Any) -> Any:
        return dialect.type_descriptor(self.declared)

    def bind_processor(self, dialect: object) -> Any:
        return self.declared.dialect_impl(dialect).bind_processor(dialect)

    def result_processor(self, dialect: object, coltype: object) -> Any:
        read = READINGS[self.kind]

        def process(value: object) -> Value:
            try:
                return read(value) if value is not None and value != "" else value
            except (ValueError, TypeError, ArithmeticError):
                return value

        return process


def read_tick(value: object) -> bool:
    if value not in (0, 1):
        raise ValueError(value)
    return bool(value)


def read_day(value: str) -> date:
    return date.fromisoformat(value)


READINGS: Final[Mapping[type, Any]] = {
    bool: read_tick, date: read_day, datetime: datetime.fromisoformat, time: time.fromisoformat,
    Decimal: lambda value: Decimal(str(value)),
}  # fmt: skip
"""How SQLite's texts and numbers are read, by the declared type."""


class SqlRecords(Sources):
    """The tables of a database: `SqlRecords("marina.db")` or `SqlRecords("postgresql://…/marina")`.

    `keys`: the key columns of each table; default: its primary key, or its first column. A column's comment (PostgreSQL) is
    its caption. Every value is bound. Other users' changes are noticed by `look`, and when a row is written. `timeout`:
    seconds to wait while another process writes. Raises `StoreRefused`.
    """

    def __init__(
        self, address: str | Path, keys: Mapping[str, str | Sequence[str]] | None = None, timeout: float = WAIT
    ) -> None:
        super().__init__(keys)
        self._database = Database(address, "the database", keep_open=True, timeout=timeout)
        self._tables: dict[str, Table] = {}

    def close(self) -> None:
        """Close the connection to a server. It is opened again when it is needed."""
        self._database.engine.dispose()

    def sources(self) -> list[str]:
        """Return the names of tables and views, sorted."""
        with self._database.connected() as database:
            seen = inspect(database)
            return sorted({*seen.get_table_names(), *seen.get_view_names()})

    def create(self, source: str, rows: Iterable[Mapping[str, object]], key: str, unique: Sequence[str] = ()) -> None:
        """Create a table with the columns and rows of another source.

        `unique`: columns that are unique together. The database gives keys that are whole numbers.
        """
        given = [dict(row) for row in rows]
        names = list(dict.fromkeys(name for row in given for name in row))
        if key not in names:
            raise StoreRefused(f"table '{source}' needs key column '{key}'; {suggest(key, names)}")
        meta = MetaData()
        table = Table(source, meta, *[self._column(name, given, name == key) for name in names])
        with self._database.connected(writes=True, creates=True) as database:
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

    def _column(self, name: str, rows: Sequence[Record], is_key: bool) -> Column[Any]:
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
        try:
            return self._loaded(source)
        except StoreRefused:
            if self._tables.pop(source, None) is None:
                raise
            # Somebody may have altered the table.
            return self._loaded(source)

    def _loaded(self, source: str) -> SourceSnapshot:
        with self._database.connected() as database:
            table = self._tables.get(source)
            if table is None:
                table = self._tables[source] = self._reflected(database, source)
            names = tuple(column.name for column in table.columns)
            key = self._key_of(source) or tuple(column.name for column in table.primary_key.columns) or names[:1]
            known_columns(key, names, f"'{source}' has no key column")
            stamp = self._read_stamp(database, table, source)
            result = database.execute(select(table).order_by(*[table.c[column] for column in key]))
            rows = tuple([dict(row._mapping) for row in result])
            captions = {column.name: column.comment for column in table.columns if column.comment}
        return SourceSnapshot(rows, names, key, stamp, captions, table, trouble_with(rows, key_name(key), source))

    def _reflected(self, database: Connection, source: str) -> Table:
        """Return a table as the database declares it; raise `KeyError`."""
        try:
            with catch_warnings():
                # Of a type that SQLAlchemy doesn't know: its values are read as the driver gives them.
                simplefilter("ignore", SAWarning)
                table = Table(source, MetaData(), autoload_with=database, resolve_fks=False)
        except NoSuchTableError:
            raise KeyError(source) from None
        if self._database.kind == "sqlite":
            for column in table.columns:
                exact = is_exact(database, source, column.name)
                if exact or (isinstance(column.type, Numeric) and column.type.asdecimal):
                    column.type = Amount()
                elif type_of(column) in READINGS:
                    column.type = Lenient(column.type, type_of(column))
        return table

    def _stamp(self, source: str) -> Any:
        table = self._snapshots[source].more
        try:
            with self._database.connected() as database:
                return self._read_stamp(database, table, source)
        except StoreRefused:
            # It is told when it is read, or written.
            return None

    def _read_stamp(self, database: Connection, table: Table, source: str) -> Any:
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

    def write(self, changes: Sequence[Change]) -> list[Key]:
        for change in changes:
            self._table(change)
        try:
            with self._database.connected(writes=True) as database:
                return in_turn(changes, lambda change: self._write(database, change))
        finally:
            for source in {change.source for change in changes}:
                self._forget(source)

    def _table(self, change: Change) -> Table:
        try:
            snapshot = self._known(change.source)
        except KeyError:
            raise StoreRefused(f"unknown table '{change.source}'") from None
        table: Table = snapshot.more
        known_columns(change.row, table.c.keys(), f"'{change.source}' has no column")
        if change.kind != "add" and snapshot.trouble:
            raise StoreRefused(snapshot.trouble)
        return table

    def _write(self, database: Connection, change: Change) -> Key:
        table, source = self._table(change), change.source
        name = self.key(source)
        keys = [table.c[column] for column in ((name,) if isinstance(name, str) else name)]
        whole = {column: fitting(table.c[column], value, source) for column, value in change.row.items()}
        # A generated column is read and never written. Another value than the database's own doesn't come back.
        row = {column: value for column, value in whole.items() if table.c[column].computed is None}
        generated = {column: value for column, value in whole.items() if column not in row and value is not None}
        if change.kind == "add":
            if change.key is not None:
                row = with_key(row, name, change.key)
            row = {column: value for column, value in row.items() if value is not None or table.c[column] not in keys}
            must_have_key(table, keys, row, source)
            given = tuple(database.execute(insert(table).values(row).returning(*keys)).one())
            self._must_come_back(database, table, keys, given, {**row, **generated}, source)
            return given[0] if len(given) == 1 else given
        key = change.key if isinstance(change.key, tuple) else (change.key,)
        there = select(table).where(*[column == part for column, part in zip(keys, key, strict=True)])
        locked = database.execute(there.with_for_update()).all()
        theirs = dict(locked[0]._mapping) if locked else None
        if len(locked) > 1:
            raise StoreRefused(later("store.same_key", source=source, column=shown_key(name), key=shown_key(change.key)))
        if theirs is None or change.conflicts_with(theirs):
            raise ChangedMeanwhile(change, theirs)
        if change.kind == "change" and not whole:
            return change.key
        mine: Delete | Update = delete(table) if change.kind == "remove" else update(table).values(row)
        if row or change.kind == "remove":
            database.execute(mine.where(*[column == part for column, part in zip(keys, key, strict=True)]))
        if change.kind == "remove":
            return change.key
        now = tuple(row.get(column.name, part) for column, part in zip(keys, key, strict=True))
        self._must_come_back(database, table, keys, now, {**row, **generated}, source)
        return now[0] if len(now) == 1 else now

    def _must_come_back(
        self, database: Connection, table: Table, keys: Sequence[Key], key: Key, row: Record, source: str
    ) -> None:
        """Refuse what isn't the same when it is read again: the transaction is given up."""
        there = select(table).where(*[column == part for column, part in zip(keys, key, strict=True)])
        stored = database.execute(there).all()
        back = stored[0]._mapping if len(stored) == 1 else {}
        for column, value in row.items():
            if not is_equal(value, back.get(column)):
                where = f"column '{column}' of '{source}'"
                raise StoreRefused(later("store.comes_back", where=where, value=short(value), found=short(back.get(column))))


def must_have_key(table: Table, keys: Sequence[Key], row: Record, source: str) -> None:
    """Refuse a new row without a key, where the database gives none by itself: SQLite would store a blank one."""
    for column in keys:
        given = type_of(column) is int or column.server_default is not None or column.identity is not None
        if column.name not in row and not (given and len(keys) == 1):
            raise StoreRefused(later("store.needs_key", source=source, column=column.name))


def type_of(column: Any) -> type:
    """Return the Python type of a column's values; `object` if it has none."""
    try:
        kind: type = column.type.python_type
    except NotImplementedError:
        return object
    return kind


def is_exact(database: Connection, source: str, column: str) -> bool:
    """Return True if a SQLite column stores amounts as text."""
    declared = database.exec_driver_sql("select type from pragma_table_info(?) where name = ?", (source, column)).scalar()
    return declared == ExactText().get_col_spec()


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


def fitting(column: Any, value: Value, source: str) -> Value:
    """Return a value as a column stores it, a blank as NULL; raise `StoreRefused`."""
    if value is None or value == "":
        return None
    kind = column.type
    wanted = Decimal if isinstance(kind, Amount) else kind.kind if isinstance(kind, Lenient) else type_of(column)
    if wanted is dict and isinstance(value, str):
        # It would become a JSON text in place of the object that it looks like.
        raise StoreRefused(f"column '{column.name}' of '{source}' has JSON, which can't be written as text")
    try:
        return adapted(value, wanted) if wanted in KINDS or wanted is str else value
    except TypeError:
        raise StoreRefused(
            f"column '{column.name}' of '{source}' must be {KINDS.get(wanted, 'a text')}, but it is {short(value)}"
        ) from None
