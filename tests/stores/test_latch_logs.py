"""Latch logs in memory, in a SQLite file and on a PostgreSQL server: the same in all."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text
from sqlalchemy.pool import NullPool

from fuselatch import Button, Form, HandlerFailed, Latch, Prompt, Text
from fuselatch.rehearsal import rehearse
from fuselatch.stores import LatchRecord, LatchStore, MemoryLatches
from fuselatch.stores.sql import SqlLatches
from tests.helpers import sqlite


def emptied(address: str) -> str:
    """Return the database's address, without the log of the previous test."""
    with create_engine(address, poolclass=NullPool).begin() as database:
        database.execute(text("drop table if exists latches"))
    return address


@pytest.fixture(params=["memory", "sqlite", "postgresql"])
def store(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[LatchStore]:
    if request.param == "memory":
        yield MemoryLatches()
        return
    sqlite = request.param == "sqlite"
    yield SqlLatches(tmp_path / "office.db" if sqlite else emptied(request.getfixturevalue("postgresql")))


class Daily(Form):
    """Ask each user once a day."""

    got = Text("Got")
    go = Button("Go")
    fails = Button("Fail")
    sure = Prompt("Sure?", buttons=("Yes", "No"), latch=Latch(per="user", every="day"), remember=("Yes",))

    @go.clicked
    def ask_it(self) -> None:
        self.got.value = self.ask(self.sure)

    @fails.clicked
    def ask_and_fail(self) -> None:
        self.ask_it()
        raise OSError("no ink")


def test_a_failing_gesture_gives_back_what_was_there_before(store: LatchStore) -> None:
    before = LatchRecord("Daily.sure", "imke", "", "Yes", "2031-05-03T09:30:00")
    store.set(before, None)
    with rehearse(Daily, user="imke", latches=store) as desk:
        desk.press("fails")
        with pytest.raises(HandlerFailed, match="no ink"):
            desk.answer("Yes")
        assert list(store.all()) == [before]


DESK = """
import sys
from fuselatch.stores import LatchRecord
from fuselatch.stores.sql import SqlLatches
from tests.helpers import sqlite
log = SqlLatches(sys.argv[1])
took = 0
for number in range(40):
    took += log.set(LatchRecord("L", "", f"shared {number}", sys.argv[2], ""), None)
    assert log.set(LatchRecord("L", sys.argv[2], f"own {number}", "", ""), None)
print(took)
"""


@pytest.mark.parametrize("kind", ["sqlite", "postgresql"])
def test_eight_processes_at_once_lose_none_and_double_none(
    kind: str, tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    address = str(tmp_path / "office.db") if kind == "sqlite" else emptied(request.getfixturevalue("postgresql"))
    desks = [
        subprocess.Popen([sys.executable, "-c", DESK, address, f"desk-{number}"], stdout=subprocess.PIPE, text=True)
        for number in range(8)
    ]
    told = [desk.communicate(timeout=300)[0] for desk in desks]
    assert [desk.returncode for desk in desks] == [0] * 8
    took = [int(line) for line in told]
    assert sum(took) == 40
    entries = SqlLatches(address).all()
    assert len(entries) == 40 + 8 * 40
    winners = [entry.answer for entry in entries if entry.key.startswith("shared")]
    assert sorted(winners.count(f"desk-{number}") for number in range(8)) == sorted(took)


def test_a_log_that_fails_on_the_way_is_told_and_the_gesture_may_be_done_again(tmp_path: Path) -> None:
    path = tmp_path / "office.db"
    with rehearse(Daily, user="imke", latches=SqlLatches(path)) as desk:
        with sqlite(path) as database:
            database.execute("drop table latches")
        desk.press("go")
        assert "can't use office.db" in desk.prompt.text
        desk.answer("Keep editing")
        assert desk.at(Daily).got.value == ""
        desk.press("go")
        SqlLatches(path)
        desk.answer("Try again")
        assert not desk.prompt.text.startswith("This could not be done")
        desk.answer("Yes")
