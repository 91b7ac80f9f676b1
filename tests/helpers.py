"""Looking at sessions in tests."""

from __future__ import annotations

import csv
import shlex
import sqlite3
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

import openpyxl
from hypothesis import settings

from fuselatch import HandlerFailed
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.form import controls_of
from fuselatch.core.model.words import phrase
from fuselatch.frontends import Session, TraceEntry, View
from fuselatch.stores import CsvRecords, JsonLinesRecords, MemoryRecords, SqlRecords, WorkbookRecords
from fuselatch.stores.json_text import text_of


def act(desk: Any, *steps: str) -> None:
    """Do steps at a desk, each written as in a cue sheet."""
    for step in steps:
        verb, *words = shlex.split(step)
        getattr(desk, verb)(*words)


def examples(share: float, **options: Any) -> settings:
    """Return settings for a test that tries so many times as many examples as others."""
    return settings(max_examples=max(1, round(share * settings().max_examples)), **options)


def told(entries: Iterable[TraceEntry], *kinds: str) -> list[str]:
    """Return entries in words, of all kinds or of the named ones."""
    return [phrase(entry) for entry in entries if not kinds or entry.kind in kinds]


def sound_view(session: Session) -> View:
    """Return the view; see that one which is made again as a whole would be equal."""
    view = session.view
    states = [form._state for form in session.forms]
    kept = [(state.shown, state.rearranged) for state in states], session._state.last_view
    for state in states:
        state.shown = None
    session._state.last_view = None
    whole = session.view
    for state, (shown, rearranged) in zip(states, kept[0], strict=True):
        state.shown, state.rearranged = shown, rearranged
    session._state.last_view = kept[1]
    assert view == whole
    return view


def read(control: Any, name: str) -> Any:
    """Return what is read of a control; if its rule fails, that failure."""
    try:
        return getattr(control, name, None)
    except HandlerFailed as error:
        return str(error)


def snapshot(session: Session) -> dict[str, Any]:
    """Return everything that the user and the developer see of a session, except the trace and the message line."""
    view = sound_view(session).to_dict()
    del view["notice"], view["serial"], view["failure"]
    values = {
        f"{number} {path}": (read(control, "value"), read(control, "text"), read(control, "findings"), control.focused)
        for number, form in enumerate(session.forms)
        for path, control in controls_of(form).items()
        if isinstance(control, LiveValue)
    }
    plain = [
        {name: value for name, value in vars(form).items() if name not in controls_of(form) and not name.startswith("_")}
        for form in session.forms
    ]
    return {"view": view, "values": values, "plain": plain, "outcome": session.outcome}


@contextmanager
def sqlite(path: str | Path) -> Iterator[sqlite3.Connection]:
    """Open a SQLite file as another program does; commit and close it."""
    with closing(sqlite3.connect(path)) as database, database:
        yield database


FILES = {"csv": "", "json lines": "", "sqlite": "records.db", "workbook": "records.xlsx"}


def address_of(kind: str, folder: Path, server: Callable[[], str] = str) -> str:
    """Return where `store_of` keeps the rows."""
    return server() if kind == "postgresql" else str(folder / FILES[kind])


def store_of(
    kind: str, folder: Path, sources: Mapping[str, Sequence[Mapping[str, Any]]], server: Callable[[], str] = str
) -> Any:
    """Return a store of a kind with these rows; the first column of each source is its key. `server`: returns an address."""
    keys = {source: next(iter(rows[0])) for source, rows in sources.items()}
    if kind == "memory":
        return MemoryRecords(sources, keys=keys)
    if kind == "csv":
        for source, rows in sources.items():
            with (folder / f"{source}.csv").open("w", newline="", encoding="utf-8") as file:
                writer = csv.DictWriter(file, rows[0], lineterminator="\n")
                writer.writeheader()
                writer.writerows(rows)
        return CsvRecords(folder)
    if kind == "json lines":
        for source, rows in sources.items():
            text = "".join(text_of(dict(row)) + "\n" for row in rows)
            (folder / f"{source}.jsonl").write_text(text, encoding="utf-8")
        return JsonLinesRecords(folder)
    if kind == "workbook":
        book = openpyxl.Workbook()
        book.remove(book.worksheets[0])
        for source, rows in sources.items():
            sheet = book.create_sheet(source)
            for line in (rows[0], *(row.values() for row in rows)):
                sheet.append(list(line))
        book.save(folder / "records.xlsx")
        return WorkbookRecords(folder / "records.xlsx")
    store = SqlRecords(folder / "records.db" if kind == "sqlite" else server())
    for source, rows in sources.items():
        with store._database.connected(writes=True, creates=True) as database:
            database.exec_driver_sql(f"drop table if exists {source}")
        store.create(source, rows, keys[source])
    return store
