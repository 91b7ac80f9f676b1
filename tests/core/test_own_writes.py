"""A session is never in conflict with itself: no row under an old key, and nothing lost between gestures."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from small.ledger import BOATS, GEAR, Ledger

from fuselatch import Catalog, Choice, Form, Integer, Money, Text
from fuselatch.core.engine.records.storing import known_in
from fuselatch.core.model.record_changes import Change, NewKey
from fuselatch.rehearsal import Desk, read_cue_file, rehearse, run_cues
from fuselatch.rehearsal.loading import importing_from
from fuselatch.stores import CsvRecords, MemoryRecords, RecordError, SqlRecords
from tests.helpers import act, sqlite, store_of

SMALL = Path(__file__).parents[2] / "examples" / "small"


SOURCES = {"boats": BOATS, "gear": GEAR}


@pytest.fixture(params=["memory", "csv", "json lines", "sqlite"])
def store(request: pytest.FixtureRequest, tmp_path: Path) -> Any:
    return store_of(request.param, tmp_path, SOURCES)


@pytest.fixture
def desk(store: Any) -> Iterator[Desk]:
    with rehearse(Ledger, records=store) as desk:
        yield desk
        desk.close()


def rows(store: Any, source: str = "boats") -> list[dict[str, Any]]:
    store.look()
    return [dict(row) for row in store.read(source)]


def by_other(store: Any, change: Change) -> None:
    """Write as another user does."""
    store.write([change])


@pytest.mark.parametrize("sheet", ["ledger", "staged", "saved"])
@pytest.mark.parametrize("kind", ["csv", "sqlite"])
def test_cue_sheets_about_own_writes_pass_with_files_and_databases(sheet: str, kind: str, tmp_path: Path) -> None:
    with importing_from([SMALL]):
        for number, run in enumerate(read_cue_file(SMALL / f"{sheet}.cues").runs):
            (tmp_path / f"{number}").mkdir()
            assert run_cues(run, records=store_of(kind, tmp_path / f"{number}", SOURCES)).problems == []


def test_what_someone_else_has_changed_stays_a_conflict(desk: Desk, store: Any) -> None:
    by_other(store, Change("change", "boats", 1, {"name": "Theirs"}))
    act(desk, "type name Mine", "press charge", "record save")
    assert "was changed by someone else" in desk.prompt.text
    assert desk.prompt.table == (("", "Yours", "Theirs"), ("Name", "Mine", "Theirs")), (
        "the handler's own fee is no difference"
    )
    desk.answer("Use theirs")
    assert desk.at(Ledger).name.value == "Theirs"


def test_keep_mine_uses_the_edited_key_and_leaves_removed_lines_alone(desk: Desk, store: Any) -> None:
    act(desk, "type id 9", "tab")
    by_other(store, Change("remove", "boats", 1, {}))
    act(desk, "record save", "answer 'Keep mine'", "type name Gull", "record save")
    assert not desk.prompt and sorted(row["id"] for row in rows(store)) == [2, 9], "one row, under its new key"
    act(desk, "record first", "record 9", "add_line gear", "type gear[0].what oar", "record save")
    act(desk, "remove_line gear[0]", "type name Tern")
    by_other(store, Change("change", "boats", 9, {"fee": Decimal(1)}))
    act(desk, "record save", "answer 'Keep mine'")
    assert not desk.prompt and [row["name"] for row in rows(store) if row["id"] == 9] == ["Tern"]


def test_a_line_under_a_record_that_is_gone_is_a_question(desk: Desk, store: Any) -> None:
    by_other(store, Change("remove", "boats", 1, {}))
    act(desk, "add_line gear", "type gear[1].what new", "record save")
    assert "Record 1 (Name: Teal) was removed by someone else" in desk.prompt.text
    desk.answer("Keep mine")
    assert sorted((row["id"], row["name"]) for row in rows(store)) == [(1, "Teal"), (2, "Eider")]
    assert [row["what"] for row in rows(store, "gear")] == ["rope", "new"]


def test_a_blank_key_of_texts_is_refused_and_not_numbered(tmp_path: Path) -> None:
    class Piers(Form, records="piers"):
        name = Text("Name")
        length = Integer("Length")

    (tmp_path / "piers.csv").write_text("name,length\nNorth,4\n")
    with sqlite(tmp_path / "p.db") as database:
        database.execute("create table piers(name text primary key, length integer)")
    for store in (
        MemoryRecords({"piers": [{"name": "North", "length": 4}]}),
        CsvRecords(tmp_path),
        SqlRecords(tmp_path / "p.db"),
    ):
        with rehearse(Piers, records=store) as desk:
            act(desk, "record new", "type length 7", "record save")
            assert "needs its name" in desk.prompt.text
            desk.answer("Keep editing")
            act(desk, "type name South", "record save")
            assert not desk.prompt and desk.at(Piers).records.key == "South"
            desk.close()


SCHEMA = """
create table boats(id integer primary key, name text, fee numeric, small text generated always as (lower(name)) stored, touched integer default 0);
create trigger noted after update on boats when new.touched = old.touched begin update boats set touched = old.touched + 1 where id = new.id; end;
create table gear(id integer primary key, boat integer, what text);
create table rated(id integer primary key, stars integer check (stars < 6));
insert into boats(id, name, fee) values (1, 'Teal', 9.8), (2, 'Eider', 'free');
"""


class Touched(Form, records="boats"):
    """A boat with columns that the database makes."""

    name = Text("Name")
    small = Text("Small", required=True)
    touched = Integer("Touched")
    listed = Choice("Boat", choices=Catalog("boats", text="fee", value="id"))


class Rated(Form, records="rated"):
    """A row that a rule of the database guards."""

    stars = Integer("Stars")


def test_a_form_shows_what_the_database_has_made_of_a_row(tmp_path: Path) -> None:
    with sqlite(tmp_path / "b.db") as database:
        database.executescript(SCHEMA)
    store = SqlRecords(tmp_path / "b.db")
    with rehearse(Touched, records=store) as desk:
        form = desk.at(Touched)
        assert list(form.listed.choices.texts) == ["9.8", "free"], "a text in a column of numbers is shown as it is"
        for number, name in enumerate(("Wren", "Gull", "Tern"), 1):
            act(desk, f"type name {name}", "record save")
            assert not desk.prompt and (form.small.value, form.touched.value) == (name.lower(), number)
        act(desk, "type small other", "record save")
        assert "can't be saved; it would be read again as 'tern'" in desk.prompt.text
        act(desk, "answer 'Keep editing'", "key Escape", "record new", "type name Crane", "type small crane", "record save")
        assert not desk.prompt and form.small.value == "crane"
        desk.close()
    with rehearse(Ledger, records=store, at=1) as desk:
        with pytest.raises(RecordError):
            desk.record("2")
        assert (
            desk.session.notice == "Record 2 can't be shown: 'free' doesn't fit into Fee"
            and desk.at(Ledger).records.key == 1
        )
        desk.close()
    with rehearse(Rated, records=store) as desk:
        act(desk, "type stars 9", "record save")
        assert desk.prompt.text == "Couldn't save: a rule of the database refuses it"
        act(desk, "answer 'Keep editing'", "close")


def test_amounts_that_read_alike_are_no_difference(tmp_path: Path) -> None:
    with sqlite(tmp_path / "b.db") as database:
        database.executescript(
            "create table boats(id integer primary key, name text, fee real); insert into boats values (1, 'Teal', 9.8)"
        )
        database.executescript("create table gear(id integer primary key, boat integer, what text)")
    store = SqlRecords(tmp_path / "b.db")
    with rehearse(Ledger, records=store) as desk:
        by_other(store, Change("change", "boats", 1, {"name": "Wren", "fee": 7.5}))
        act(desk, "type name Gull", "record save")
        assert [*desk.prompt.table] == [("", "Yours", "Theirs"), ("Name", "Gull", "Wren"), ("Fee", "unchanged", "7.50")]
        desk.answer("Use theirs")
        by_other(store, Change("change", "boats", 1, {"name": "Tern"}))
        act(desk, "type name Gull", "record save")
        assert [*desk.prompt.table] == [("", "Yours", "Theirs"), ("Name", "Gull", "Tern")]
        desk.answer("Keep mine")
        assert rows(store) == [{"id": 1, "name": "Gull", "fee": 7.5}]
        desk.close()


def test_a_csv_entry_that_is_not_written_keeps_each_digit(tmp_path: Path) -> None:
    class Meters(Form, records="meters"):
        name = Text("Name")
        reading = Money("Reading")

    (tmp_path / "meters.csv").write_text("name,reading,other\nquay,1.5,12345678901234567890\npier,2.5,0.1\n")
    with rehearse(Meters, records=CsvRecords(tmp_path)) as desk:
        act(desk, "type reading 3", "record save")
        desk.close()
    assert (tmp_path / "meters.csv").read_text().splitlines()[1].endswith(",12345678901234567890")


def test_an_outcome_has_the_keys_that_the_store_gave_also_in_lines() -> None:
    new = NewKey("boats")
    held = ({"id": new, "deep": (new, 1)}, {"id": 2})
    assert known_in(held) is held
    new._value = 8
    assert known_in(held) == ({"id": 8, "deep": (8, 1)}, {"id": 2})
