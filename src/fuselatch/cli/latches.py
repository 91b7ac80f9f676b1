"""`fuselatch latches STORE`"""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.out import say, say_json, say_wrong

if TYPE_CHECKING:
    from collections.abc import Sequence

    from fuselatch.core.model.latch_records import LatchRecord


@click.command(name="latches")
@click.argument("store", metavar="STORE")
@click.option("--latch", metavar="NAME", help="Only this latch, for example BookingForm.owes.")
@click.option("--user", metavar="NAME", help="Only this user.")
@click.option("--key", metavar="KEY", help="Only this key.")
@click.option("--reset", is_flag=True, help="Reset the listed latches, so that users are asked again.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON Lines.")
def command(store: str, latch: str | None, user: str | None, key: str | None, reset: bool, as_json: bool) -> None:
    """List or reset remembered answers.

    STORE is a SQLite file or a database address (postgresql://…). Exit code 1: unknown latch, user or key. Exit code 2:
    the log can't be read.
    """
    from fuselatch.core.engine.state.store import StoreRefused

    try:
        from fuselatch.stores.database import exists
        from fuselatch.stores.sql import SqlLatches
    except ImportError:
        say_wrong("latch logs need SQLAlchemy; run: pip install 'fuse-latch[sql]' (or [postgresql])")
        sys.exit(Exit.UNREADABLE)
    if not store:
        raise click.UsageError("'' isn't a file; give a SQLite file or a database address (postgresql://…)")
    if not exists(store):
        say_wrong(f"{store}: file not found; give a SQLite file or a database address (postgresql://…)")
        sys.exit(Exit.UNREADABLE)
    try:
        log = SqlLatches(store, create=False)
        entries = log.all()
        chosen = select(entries, latch, user, key)
        show(chosen, as_json, "reset" if reset else "")
        for taken in chosen if reset else ():
            log.reset(taken)
    except StoreRefused as error:
        say_wrong(error)
        sys.exit(Exit.UNREADABLE)
    except LookupError as error:
        say_wrong(f"{store}: {error.args[0]}")
        sys.exit(Exit.FAILED)


def select(entries: Sequence[LatchRecord], latch: str | None, user: str | None, key: str | None) -> list[LatchRecord]:
    """Return the entries with these values; raise `LookupError` for an unknown value."""
    from fuselatch.core.model.names import suggest

    wanted = {"latch": latch, "user": user, "key": key}
    for field, value in wanted.items():
        there = {str(getattr(entry, field)) for entry in entries}
        if value is not None and value not in there:
            raise LookupError(f"no entry with {field} '{value}'; {suggest(value, sorted(there - {''}))}")
    return [entry for entry in entries if all(value in (None, getattr(entry, field)) for field, value in wanted.items())]


def show(entries: Sequence[LatchRecord], as_json: bool, word: str) -> None:
    if as_json:
        for entry in entries:
            say_json(entry._asdict(), None)
        return
    head = ("latch", "user", "key", "answer", "when")
    rows = [head, *([*entry[:4], entry.when] for entry in entries)]
    wide = [max(len(row[at]) for row in rows) for at in range(len(head))]
    for row in rows if entries else ():
        say("  ".join(cell.ljust(width) for cell, width in zip(row, wide, strict=True)).rstrip())
    count = f"{len(entries)} {'entry' if len(entries) == 1 else 'entries'}"
    say(f"{count} {word}".rstrip() if entries else "no entries")
