"""Nothing is lost: killed processes, eight sessions on one database, stores that stop working."""

from __future__ import annotations

import errno
import json
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

import pytest
from sqlalchemy import event

from fuselatch import Button, Form, HandlerFailed, Integer, Text
from fuselatch.core.model.record_changes import Change
from fuselatch.rehearsal import Desk
from fuselatch.scenes import Scene
from fuselatch.stores.addresses import open_records
from fuselatch.stores.csv_files import CsvRecords
from fuselatch.stores.sql import SqlRecords
from tests.helpers import FILES, address_of, sqlite, store_of

KILLED = """
import os, random, signal, sys, time
from decimal import Decimal
from fuselatch import Button, Form, Group, Lines, Text, Integer
from fuselatch.core.model.record_changes import Change
from fuselatch.rehearsal import Desk
from fuselatch.scenes import Scene
from fuselatch.stores.addresses import open_records

class Line(Group):
    what = Text("What")

class Stay(Form, records="stays"):
    vessel = Text("Vessel")
    serial = Integer("Serial")
    lines = Lines(Line, "Lines", records="lines", key="stay")
    keep = Button("Keep", submits=True, after_submit="same")

KEYS = {"stays": "number", "lines": "id"}

def work(address, told):
    with Desk(Scene(Stay, records=open_records(address, KEYS))) as desk:
        form = desk.at(Stay)
        while True:
            serial = (form.serial.value or 0) + 1
            form.serial.value = serial
            form.vessel.value = f"V{serial}" * 50
            for line in form.lines:
                line.what.value = f"V{serial}"
            if len(form.lines) < 3:
                form.lines.add(what=f"V{serial}")
            else:
                form.lines.remove(form.lines[0])
            desk.press("keep")
            os.write(told, b".")

def whole(address):
    store = open_records(address, KEYS)
    (stay,) = store.read("stays")
    serial = stay["serial"] or 0
    assert (stay["vessel"] or "") == (f"V{serial}" * 50 if serial else ""), stay
    lines = store.read("lines")
    assert len(lines) <= 3 and all(line["what"] == f"V{serial}" for line in lines), (serial, lines)
    return serial

address, times = sys.argv[1], int(sys.argv[2])
random.seed(7)
serial = 0
for _ in range(times):
    hears, tells = os.pipe()
    child = os.fork()
    if not child:
        work(address, tells)
    # Killed somewhere in the third gesture, or soon after, however fast the machine is.
    os.read(hears, 1)
    begun = time.perf_counter()
    os.read(hears, 1)
    if os.path.isdir(address):
        # Files that are written together are read together.
        for _ in range(3):
            whole(address)
    time.sleep(random.uniform(0, 1.5) * (time.perf_counter() - begun))
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    os.close(hears), os.close(tells)
    now = whole(address)
    assert now >= serial + 2, (now, serial)
    serial = now
print(serial)
"""


def run(script: str, *words: str) -> str:
    """Return the output of a script; fail if the script fails."""
    done = subprocess.run([sys.executable, "-c", script, *words], capture_output=True, text=True, timeout=1500, check=False)
    assert done.returncode == 0, done.stderr[-2000:]
    return done.stdout


def served(request: pytest.FixtureRequest) -> Callable[[], str]:
    return lambda: str(request.getfixturevalue("postgresql"))


@pytest.mark.parametrize("kind", ["csv", "json lines", "sqlite", "wal", "postgresql", "workbook"])
def test_a_process_killed_at_any_moment_leaves_all_of_a_gesture_or_none(
    tmp_path: Path, kind: str, request: pytest.FixtureRequest
) -> None:
    times, plain, server = request.config.getoption("--kills"), "sqlite" if kind == "wal" else kind, served(request)
    stays = [{"number": 1, "vessel": None, "serial": 0}]
    store = store_of(plain, tmp_path, {"stays": stays, "lines": [{"id": 1, "stay": 9, "what": "V0"}]}, server)
    store.write([Change("remove", "lines", 1, {})])
    address = address_of(plain, tmp_path, server)
    if kind == "wal":
        store.close()
        with sqlite(address) as database:
            database.execute("pragma journal_mode = wal")
    serial = int(run(KILLED, address, str(times)))
    assert serial >= 2 * times, "what a process had been told to be kept is there"


DESK = """
import json, random, sys
from fuselatch import Button, Form, Text
from fuselatch.core.model.record_changes import Change
from fuselatch.rehearsal import Desk
from fuselatch.scenes import Scene
from fuselatch.stores.addresses import open_records

class Book(Form, records="bookings"):
    berth = Text("Berth")
    desk = Text("Desk")
    keep = Button("Keep", submits=True, after_submit="new")

class Claim(Form, records="berths"):
    holder = Text("Holder")

def settled(desk):
    while desk.prompt and "another program" in desk.prompt.text:
        desk.answer("Try again")
    return not desk.prompt

address, me = sys.argv[1:]
store = open_records(address)
names = [row["name"] for row in store.read("berths")]
random.seed(me)
random.shuffle(names)
booked, claimed = [], []
with Desk(Scene(Book, records=store)) as desk:
    for name in names:
        if desk.form.records.key is not None:
            desk.record("new")
        desk.paste("berth", name)
        desk.paste("desk", me)
        desk.press("keep")
        if settled(desk):
            booked.append(name)
        else:
            assert "already" in desk.prompt.text, desk.prompt.text
            desk.answer("Keep editing")
    desk.clear("berth")
    desk.clear("desk")
with Desk(Scene(Claim, records=store)) as desk:
    for name in names:
        desk.record(name)
        if desk.form.holder.value:
            continue
        desk.paste("holder", me)
        desk.record("save")
        if settled(desk):
            claimed.append(name)
        else:
            desk.answer("Use theirs")
            assert desk.form.holder.value not in ("", me)
print(json.dumps([me, booked, claimed]))
"""


@pytest.mark.parametrize("kind", ["csv", "json lines", "sqlite", "postgresql", "workbook"])
def test_eight_desks_at_one_store_book_no_berth_twice_and_lose_no_booking(
    tmp_path: Path, kind: str, request: pytest.FixtureRequest
) -> None:
    berths: list[dict[str, Any]] = [{"name": f"N{number}", "holder": None} for number in range(1, 25)]
    sources = {"berths": berths, "bookings": [{"berth": "none", "desk": "none"}]}
    store_of(kind, tmp_path, sources, served(request))
    address = address_of(kind, tmp_path, served(request))
    desks = [
        subprocess.Popen(
            [sys.executable, "-c", DESK, address, f"desk-{number}"],
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )
        for number in range(8)
    ]
    told = []
    for desk in desks:
        out, errors = desk.communicate(timeout=1500)
        assert desk.returncode == 0, errors[-2000:]
        told.append(json.loads(out))
    store = open_records(address)
    booked = {berth: me for me, berths_of, _ in told for berth in berths_of}
    claimed = {berth: me for me, _, berths_of in told for berth in berths_of}
    rows = [row for row in store.read("bookings") if row["desk"] != "none"]
    assert {row["berth"]: row["desk"] for row in rows} == booked and len(rows) == len(booked) == 24
    assert {row["name"]: row["holder"] for row in store.read("berths")} == claimed
    assert sum(len(berths_of) for _, _, berths_of in told) == 24


class Boats(Form, records="boats"):
    """A form whose typed text must survive any failure of the store."""

    boat = Text("Boat")
    number = Integer("Number")
    ok = Button("OK", closes="accepted")


def gone(path: Path) -> None:
    """Replace a store by something that isn't one."""
    path.rename(path.with_name("moved away"))


def broken(path: Path) -> None:
    """Put something else in a store's place."""
    path.write_bytes(b"not what it was" * 100)


@pytest.mark.parametrize("kind", ["csv", "json lines", "sqlite", "workbook"])
@pytest.mark.parametrize("fate", [gone, broken])
def test_a_store_that_stops_working_is_told_and_what_was_typed_stays(tmp_path: Path, kind: str, fate: Any) -> None:
    store = store_of(kind, tmp_path, {"boats": [{"number": 1, "boat": "Eider"}]})
    path = tmp_path / (FILES[kind] or {"csv": "boats.csv"}.get(kind, "boats.jsonl"))
    with Desk(Scene(Boats, records=store)) as desk:
        desk.type("boat", "Old Eider")
        kept = path.read_bytes()
        fate(path)
        desk.press("ok")
        assert desk.prompt.buttons == ("Try again", "Keep editing") and "\n" not in desk.prompt.text
        desk.answer("Keep editing")
        assert desk.at(Boats).boat.draft == "Old Eider" and desk.at(Boats).is_open
        desk.press("ok")
        path.write_bytes(kept)
        desk.answer("Try again")
        if desk.prompt:  # a file that came back is another file: someone else may have changed it
            desk.answer("Keep mine")
    assert desk.outcome is not None and desk.outcome.accepted
    assert open_records(address_of(kind, tmp_path)).read("boats")[0]["boat"] == "Old Eider"


@pytest.mark.parametrize("kind", ["csv", "json lines", "workbook"])
@pytest.mark.parametrize("mode", [0o640, 0o600, 0o664])
def test_a_file_keeps_its_mode_and_a_link_stays_one(kind: str, mode: int, tmp_path: Path) -> None:
    store = store_of(kind, tmp_path, {"boats": [{"number": 1, "boat": "Eider"}]})
    path = tmp_path / (FILES[kind] or {"csv": "boats.csv"}.get(kind, "boats.jsonl"))
    real = path.rename(tmp_path / "real")
    path.symlink_to(real)
    real.chmod(mode)
    store.write([Change("change", "boats", 1, {"boat": "Old Eider"})])
    assert real.stat().st_mode & 0o777 == mode and path.is_symlink()
    assert {one.name for one in tmp_path.iterdir() if not one.name.startswith(".")} == {path.name, "real"}


FULL = """
create or replace function no_room() returns trigger language plpgsql as $$ begin
  raise exception 'could not extend file "base/1/2": No space left on device' using errcode = 'disk_full';
end $$;
create trigger no_room before update on boats for each row execute function no_room()
"""


@contextmanager
def full_disk(kind: str, store: Any) -> Iterator[None]:
    """Let a store's disk take no more: files are refused by the system, databases by their own engine."""
    if kind in ("csv", "json lines", "workbook"):
        with patch("os.fsync", side_effect=OSError(errno.ENOSPC, "No space left on device")):
            yield
    elif kind == "sqlite":
        engine = store._database.engine

        def full(connection: Any, _: object) -> None:
            connection.execute("pragma max_page_count = 1")

        event.listen(engine, "connect", full)
        yield
        event.remove(engine, "connect", full)
    else:
        with store._database.connected() as database:
            database.exec_driver_sql(FULL)
        yield
        with store._database.connected() as database:
            database.exec_driver_sql("drop trigger no_room on boats")


@pytest.mark.parametrize("kind", ["csv", "json lines", "sqlite", "postgresql", "workbook"])
def test_a_full_disk_loses_neither_what_is_stored_nor_what_was_typed(
    tmp_path: Path, kind: str, request: pytest.FixtureRequest
) -> None:
    store = store_of(kind, tmp_path, {"boats": [{"number": 1, "boat": "Eider"}]}, served(request))
    address = address_of(kind, tmp_path, served(request))
    with Desk(Scene(Boats, records=store)) as desk:
        desk.type("boat", "x" * 20_000)
        with full_disk(kind, store):
            desk.press("ok")
            assert (desk.prompt.text, desk.prompt.cancel) == ("Couldn't save: the disk is full", "Keep editing")
            desk.answer("Keep editing")
            assert desk.at(Boats).boat.draft == "x" * 20_000 and desk.at(Boats).is_open
            assert open_records(address).read("boats")[0]["boat"] == "Eider"
            desk.press("ok")
        desk.answer("Try again")
    assert desk.outcome is not None and open_records(address).read("boats")[0]["boat"] == "x" * 20_000


def test_a_store_that_can_not_be_read_when_a_form_opens_fails_in_one_line(tmp_path: Path) -> None:
    tmp_path.joinpath("boats.csv").write_text("number,boat\n1\n", encoding="utf-8")
    with pytest.raises(HandlerFailed, match=r"boats\.csv:2: 1 columns, but the header has 2"):
        Desk(Scene(Boats, records=CsvRecords(tmp_path))).__enter__()


def test_a_lost_server_is_told_and_comes_back(postgresql: str, tmp_path: Path) -> None:
    store = store_of("postgresql", tmp_path, {"boats": [{"number": 1, "boat": "Eider"}]}, lambda: postgresql)
    socket = next(Path(postgresql.partition("host=")[2]).glob(".s.PGSQL.*[0-9]"))
    with Desk(Scene(Boats, records=store)) as desk:
        desk.type("boat", "Old Eider")
        with SqlRecords(postgresql)._database.connected() as database:
            others = "select pg_terminate_backend(pid) from pg_stat_activity where pid <> pg_backend_pid() and datname = 'postgres'"
            database.exec_driver_sql(others)
        away = socket.rename(socket.with_name("away"))
        desk.press("ok")
        assert "can't use" in desk.prompt.text and "\n" not in desk.prompt.text
        desk.answer("Try again")
        away.rename(socket)
        desk.answer("Try again")
    assert desk.outcome is not None and SqlRecords(postgresql).read("boats")[0]["boat"] == "Old Eider"
