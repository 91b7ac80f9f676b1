"""Read and write the text of a CSV file (RFC 4180): records that don't change keep each of their characters."""

from __future__ import annotations

import csv
import io
import sys
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from itertools import islice
from pathlib import Path
from typing import Any, Final

from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Record, key_name
from fuselatch.core.model.values import Value, same, short
from fuselatch.stores.columns import COMMA as DECIMAL_COMMA
from fuselatch.stores.columns import (
    KINDS,
    NUMBERS,
    OF_TYPE,
    SAME,
    TEXT,
    Kind,
    comes_back,
    fitted,
    fitting_kinds,
    is_equal,
    kind_of,
)
from fuselatch.stores.snapshots import SourceSnapshot, altered, as_bytes, known_columns, trouble_with

HARMFUL: Final = ("=", "+", "-", "@", "\t", "\r")
"""Characters at the start of text that a spreadsheet may run as a formula."""
SEPARATORS: Final = (",", ";", "\t")
LONGEST_HEADER: Final = 100_000
FIRST_FEW: Final = 20
"""Records that are looked at to find what separates the columns."""


@dataclass(slots=True)
class Layout:
    """How a file is written.

    `texts`: the header and each record as they stand in the file, with the line ends and blank lines that follow.
    `kinds`: each column's kind; `guessed`: those that neither a schema nor a control declares.
    """

    encoding: str
    separator: str
    line_end: str
    texts: list[str]
    kinds: dict[str, Kind | None]
    guessed: frozenset[str]


# ---- reading


@contextmanager
def any_length(length: int) -> Iterator[None]:
    """Let the csv module read entries of any length."""
    before = csv.field_size_limit()
    csv.field_size_limit(min(max(before, length + 1), sys.maxsize))
    try:
        yield
    finally:
        csv.field_size_limit(before)


def entries_of(text: str, separator: str, name: str) -> tuple[list[list[str]], list[str]]:
    """Return a file's entries by record, the header first, and the text of each; raise `StoreRefused` with name and line."""
    lines = io.StringIO(text, newline="").readlines()
    lines_read: list[list[str]] = []
    texts: list[str] = []
    reader = csv.reader(lines, delimiter=separator, strict=True)
    before, width = 0, -1
    with any_length(len(text)):
        try:
            for entries in reader:
                now = reader.line_num
                record = lines[before] if now == before + 1 else "".join(lines[before:now])
                before = now
                if not entries and lines_read:
                    texts[-1] += record
                    continue
                if lines_read and len(entries) != width:
                    raise StoreRefused(f"{name}:{now}: {len(entries)} columns, but the header has {width}")
                width = len(entries)
                lines_read.append(entries)
                texts.append(record)
        except csv.Error as error:
            raise StoreRefused(f"{name}:{reader.line_num}: {error}") from None
    return lines_read, texts


def separator_of(text: str) -> str:
    """Return what separates a file's columns: what gives its first records the same number, and the most."""

    def found(separator: str) -> tuple[bool, int]:
        records = islice(csv.reader(io.StringIO(text[:LONGEST_HEADER], newline=""), delimiter=separator), FIRST_FEW)
        counts = [len(record) for record in records if record] or [0]
        return counts[0] > 1 and len({*counts}) == 1, counts[0]

    return max(SEPARATORS, key=found)


def parsed(
    path: Path,
    data: bytes,
    schema: Mapping[str, object],
    key: tuple[str, ...],
    types: Mapping[str, type | None],
    stamp: object,
) -> SourceSnapshot:
    """Return a file's rows; raise `StoreRefused` with name and line."""
    encoding = "utf-8-sig" if data.startswith(b"\xef\xbb\xbf") else "utf-8"
    try:
        text = data.decode(encoding)
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise StoreRefused(f"{path.name}:{line}: not valid UTF-8; save the file as UTF-8") from None
    separator = part(schema, "dialect").get("delimiter") or separator_of(text)
    if not isinstance(separator, str) or len(separator) != 1:
        raise StoreRefused(f"{path.name}-metadata.json: 'delimiter' must be one character, not {short(separator)}")
    entries, texts = entries_of(text, separator, path.name)
    header = entries.pop(0) if entries else []
    names, declared, captions = described(path, [title.strip() for title in header], schema)
    for name in names:
        if not name or names.count(name) > 1:
            raise StoreRefused(f"{path.name}:1: {f'column name {name!r} appears twice' if name else 'a column has no name'}")
    columns = list(zip(*entries, strict=True)) or [()] * len(names)
    kinds = kinds_of(names, columns, declared, types, separator == ";")
    values = []
    for name, column in zip(names, columns, strict=True):
        values.append(values_of(column, kinds[name] or TEXT, path, name))
    rows = tuple([dict(zip(names, row)) for row in zip(*values)])  # noqa: B905 (they are as long, and there are many)
    ends = "\r\n" if texts and texts[0].rstrip("\n").endswith("\r") else "\n"
    guessed = frozenset(name for name in names if name not in declared and types.get(name) is None)
    layout = Layout(encoding, separator, ends, texts, kinds, guessed)
    primary: Any = part(schema, "tableSchema").get("primaryKey") or names[:1]
    primary = tuple(primary) if isinstance(primary, list) else (str(primary),)
    wanted = known_columns(key or primary, names, f"{path.name} has no key column")
    trouble = trouble_with(rows, key_name(wanted), path.stem)
    return SourceSnapshot(rows, tuple(names), wanted, stamp, captions, layout, trouble)


def part(schema: Mapping[str, object], name: str) -> Mapping[str, Any]:
    """Return an object in a schema."""
    column = schema.get(name, {})
    return column if isinstance(column, Mapping) else {}


def described(
    path: Path, titles: list[str], schema: Mapping[str, object]
) -> tuple[list[str], dict[str, Kind], dict[str, str]]:
    """Return the columns' names, and the kinds and captions that a schema declares."""
    described: dict[str, Mapping[str, Any]] = {}
    given = part(schema, "tableSchema").get("columns", ())
    if not isinstance(given, list | tuple) or not all(isinstance(column, Mapping) for column in given):
        raise StoreRefused(f"{path.name}-metadata.json: 'columns' must be a list of objects")
    for column in given:
        for title in (column.get("titles"), column.get("name")):
            described.setdefault(str(title[0] if isinstance(title, list) and title else title), column)
    names, kinds, captions = [], {}, {}
    for title in titles:
        column = described.get(title, {})
        name = str(column.get("name", title))
        names.append(name)
        datatype = column.get("datatype")
        base = datatype.get("base", "string") if isinstance(datatype, Mapping) else datatype
        if base is not None:
            kind = KINDS.get(SAME.get(str(base), str(base)))
            if kind is None:
                raise StoreRefused(f"{path.name}-metadata.json: unknown datatype '{base}'; {suggest(str(base), KINDS)}")
            if isinstance(datatype, Mapping) and part(datatype, "format").get("decimalChar") == ",":
                kind = DECIMAL_COMMA.get(kind.type, kind)
            kinds[name] = kind
        if column and column.get("titles"):
            captions[name] = title
    return names, kinds, captions


def kinds_of(
    names: Sequence[str],
    columns: Sequence[Sequence[str]],
    declared: Mapping[str, Kind],
    types: Mapping[str, Any],
    comma: bool,
) -> dict[str, Kind | None]:
    """Return each column's kind. In a file with decimal commas, a column of whole numbers may get decimals after a comma."""
    kinds = {
        name: declared.get(name) or kind_of(column, types.get(name), comma)
        for name, column in zip(names, columns, strict=True)
    }
    if comma and any(kind in DECIMAL_COMMA.values() for kind in kinds.values()):
        for name, kind in kinds.items():
            if kind is not None and name not in declared and kind.type in DECIMAL_COMMA:
                at = columns[names.index(name)]
                kinds[name] = kind_of(at, kind.type, True) if any("." in text for text in at) else DECIMAL_COMMA[kind.type]
    return kinds


def values_of(column: Sequence[str], kind: Kind, path: Path, name: str) -> list[Value]:
    """Return a column's values; raise `StoreRefused` with the record."""
    if kind is TEXT:
        quoted = {entry: entry[1:] for entry in column if entry[:1] == "'" and shielded(entry[1:])}
        return [quoted.get(entry, entry) or None for entry in column] if quoted else [entry or None for entry in column]
    # The same text often stands in many rows.
    known: dict[str, Any] = {"": None}
    for entry in {*column} - {""}:
        try:
            known[entry] = kind.read(entry)
        except (ValueError, KeyError, OverflowError):
            at = column.index(entry) + 1
            raise StoreRefused(f"{path.name}: row {at}, column '{name}': {short(entry)} isn't {kind.what}") from None
    return [known[entry] for entry in column]


def shielded(text: str) -> bool:
    """Return True if text is written with a quote in front."""
    return text.startswith(HARMFUL) or (text.startswith("'") and shielded(text[1:]))


# ---- writing


def fitting(row: Mapping[str, object], snapshot: SourceSnapshot, source: str) -> dict[str, Any]:
    """Return a row's values as its source gives them back; raise `StoreRefused` for one that wouldn't come back equal."""
    values = {}
    layout: Layout = snapshot.more
    known_columns(row, snapshot.columns, f"'{source}' has no column")
    for column, value in row.items():
        where = f"column '{column}' of '{source}'"
        if column in layout.guessed:
            widen(layout, column, value, where)
        try:
            values[column] = fitted(value, layout.kinds[column], where)
        except ValueError as error:
            raise StoreRefused(str(error)) from None
        kind = layout.kinds[column] or TEXT
        if (
            column in layout.guessed
            and isinstance(value, str)
            and kind is not TEXT
            and value
            and not comes_back(kind, value)
        ):
            # Nothing declares that a text isn't meant.
            raise altered(where, value, values[column])
        must_come_back(values[column], kind, layout, where)
    return values


def widen(layout: Layout, column: str, value: object, where: str) -> None:
    """Let a guessed kind fit a new value: numbers become wider, and a column without texts gets its kind."""
    kind = layout.kinds[column]
    given = OF_TYPE.get(type(value))
    if value is None or value == "" or given is None or (kind is not None and kind.type is type(value)):
        return
    if kind is None or (kind.type in NUMBERS and type(value) in NUMBERS):
        text = entry_of(value, given)
        at = list(layout.kinds).index(column)
        texts = {record[at] for record in entries_of("".join(layout.texts), layout.separator, "")[0][1:]} - {""}
        wider = next(fitting_kinds({*texts, text}, layout.separator == ";"))
        if (kind is None or wider.type in NUMBERS) and is_equal(value, wider.read(text)):
            layout.kinds[column] = wider
            return
        if kind is None:
            raise altered(where, value, wider.read(text))


def must_come_back(value: object, kind: Kind, layout: Layout, where: str) -> None:
    """Refuse a value that isn't the same when it is read again."""
    if value is None:
        return
    try:
        record = record_of([entry_of(value, kind)], layout)
        (entries,), _ = entries_of(record, layout.separator, "")
        back = values_of(entries, kind, Path(), "")[0]
    except (StoreRefused, ValueError):
        back = None
    if not same(back, value):
        raise altered(where, value, back)
    as_bytes(record)


def entry_of(value: object, kind: Kind | None) -> str:
    """Return a value as a field's text."""
    if value is None:
        return ""
    if isinstance(value, str):
        return f"'{value}" if shielded(value) and kind in (None, TEXT) else value
    return (kind if kind is not None and kind.type is type(value) else OF_TYPE[type(value)]).write(value)


def record_of(entries: Sequence[str], layout: Layout) -> str:
    """Return the text of one record."""
    file = io.StringIO()
    # The csv module quotes a lone return only in files whose lines end in one.
    csv.writer(file, delimiter=layout.separator, lineterminator="\r\n").writerow(entries)
    return file.getvalue()[:-2] + layout.line_end


def record_text(row: Mapping[str, object], snapshot: SourceSnapshot, before: str, written: Iterable[str]) -> str:
    """Return the text of a row. `before`: the record as it is in the file, or ""; `written`: the columns that are written.

    Entries of other columns keep each of their characters: a number may have more digits than its kind can hold.
    """
    layout: Layout = snapshot.more
    entries = [entry_of(row.get(column), layout.kinds[column]) for column in snapshot.columns]
    if before:
        ((old,), _), changed = entries_of(before, layout.separator, ""), {*written}
        entries = [
            entry if column in changed else kept for column, entry, kept in zip(snapshot.columns, entries, old, strict=True)
        ]
    return record_of(entries, layout)


def bytes_of(layout: Layout) -> bytes:
    """Return a file's bytes."""
    texts = layout.texts
    for at, text in enumerate(texts[:-1]):
        if not text.endswith(("\n", "\r")):
            # The last line had no end before another followed it.
            texts[at] = text + layout.line_end
    return "".join(texts).encode(layout.encoding)


def reread(
    rows: Sequence[Mapping[str, object]], before: Mapping[str, Kind | None], layout: Layout, path: Path
) -> list[Record]:
    """Return rows with the values of columns whose guessed kind became wider."""
    read = [dict(row) for row in rows]
    for column, kind in layout.kinds.items():
        if kind is not None and before[column] is not kind:
            at = list(layout.kinds).index(column)
            texts = [record[at] for record in entries_of("".join(layout.texts), layout.separator, "")[0][1:]]
            for row, value in zip(read, values_of(texts, kind, path, column), strict=True):
                row[column] = value
    return [*read]


def copied(layout: Layout) -> Layout:
    """Return a layout that can be changed."""
    return replace(layout, texts=list(layout.texts), kinds=dict(layout.kinds))
