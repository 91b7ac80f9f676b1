"""A session is never in conflict with itself: no row under an old key, and nothing lost between gestures."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from fuselatch import Button, Catalog, Choice, Form, Group, HandlerFailed, Integer, Label, Lines, Money, Text
from fuselatch.core.engine.storing import known_in
from fuselatch.core.model.record_changes import Change, NewKey
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.stores import CsvRecords, MemoryRecords, RecordError, SqlRecords
from tests.helpers import act

ROWS = ({"id": 1, "name": "Teal", "fee": Decimal("9.80")}, {"id": 2, "name": "Eider", "fee": None})
does: list[Callable[[Any], object]] = []
"""The action of the button Go; the last one counts."""


class Item(Group):
    """One line under a boat."""

    id = Integer("No")
    what = Text("What")


class Boats(Form, records="boats"):
    """A boat, with its key shown, and lines under it."""

    id = Integer("No")
    name = Text("Name")
    fee = Money("Fee")
    items = Lines(Item, records="items", key="boat")
    place = Label(value=lambda form: form.records.position_text)
    keep = Button("Keep", submits=True, after_submit="same")
    go = Button("Go")

    @go.clicked
    def do_it(self) -> None:
        does[-1](self)


class Side(Form):
    """A dialog."""

    ok = Button("OK", closes="accepted")


def as_memory(folder: Path) -> Any:
    return MemoryRecords(
        {"boats": ROWS, "items": [{"id": 7, "boat": 1, "what": "rope"}]}, keys={"boats": "id", "items": "id"}
    )


def as_csv(folder: Path) -> Any:
    (folder / "boats.csv").write_text("id,name,fee\n1,Teal,9.80\n2,Eider,\n")
    (folder / "items.csv").write_text("id,boat,what\n7,1,rope\n")
    return CsvRecords(folder)


def as_sqlite(folder: Path) -> Any:
    store = SqlRecords(folder / "boats.db")
    store.create("boats", ROWS, "id")
    store.create("items", [{"id": 7, "boat": 1, "what": "rope"}], "id")
    return store


@pytest.fixture(params=[as_memory, as_csv, as_sqlite], ids=["memory", "csv", "sqlite"])
def store(request: pytest.FixtureRequest, tmp_path: Path) -> Any:
    return request.param(tmp_path)


@pytest.fixture
def desk(store: Any) -> Iterator[Desk]:
    with rehearse(Boats, records=store) as desk:
        yield desk
        desk.close()


def rows(store: Any, source: str = "boats") -> list[dict[str, Any]]:
    store.look()
    return [dict(row) for row in store.read(source)]


def by_other(store: Any, change: Change) -> None:
    """Write as another user does."""
    store.write([change])


def test_a_new_record_shows_its_key_and_can_be_saved_again(desk: Desk, store: Any) -> None:
    form = desk.at(Boats)
    act(desk, "record new", "type name Wren", "press keep")
    assert (form.id.value, form.records.key) == (3, 3)
    act(desk, "type name Gull", "press keep", "type fee 2", "record save")
    assert not desk.prompt and [(row["id"], row["name"], row["fee"]) for row in rows(store)[2:]] == [(3, "Gull", Decimal(2))]


def test_a_handler_that_changes_the_shown_row_is_no_one_else(desk: Desk, store: Any) -> None:
    form = desk.at(Boats)
    does.append(lambda form: form.session.records.change("boats", 1, {"fee": Decimal(5)}))
    act(desk, "press go", "type name Wren", "record save", "press go", "record save")
    assert not desk.prompt and (form.fee.value, form.name.value) == (Decimal(5), "Wren") and rows(store)[0]["name"] == "Wren"
    does.append(lambda form: form.session.records.change("items", 7, {"what": "tar"}))
    act(desk, "press go", "type items[0].what wax", "record save")
    assert not desk.prompt and rows(store, "items")[0]["what"] == "wax"
    does.append(lambda form: form.session.records.change("boats", 1, {"id": 9}))
    act(desk, "press go", "type name Tern", "record save")
    assert (
        not desk.prompt and form.records.key == form.id.value == 9 and [row["id"] for row in rows(store)] in ([9, 2], [2, 9])
    )
    does.append(lambda form: form.session.records.remove("boats", 9))
    act(desk, "press go")
    assert form.records.key == form.id.value == 2 and not desk.prompt


def test_what_someone_else_has_changed_stays_a_conflict(desk: Desk, store: Any) -> None:
    by_other(store, Change("change", "boats", 1, {"name": "Theirs"}))
    does.append(lambda form: form.session.records.change("boats", 1, {"fee": Decimal(5)}))
    act(desk, "type name Mine", "press go", "record save")
    assert "was changed by someone else" in desk.prompt.text
    assert desk.prompt.table == (("", "Yours", "Theirs"), ("Name", "Mine", "Theirs")), (
        "the handler's own fee is no difference"
    )
    desk.answer("Use theirs")
    assert desk.at(Boats).name.value == "Theirs"


def test_keep_mine_uses_the_edited_key_and_leaves_removed_lines_alone(desk: Desk, store: Any) -> None:
    act(desk, "type id 9", "tab")
    by_other(store, Change("remove", "boats", 1, {}))
    act(desk, "record save", "answer 'Keep mine'", "type name Gull", "record save")
    assert not desk.prompt and sorted(row["id"] for row in rows(store)) == [2, 9], "one row, under its new key"
    act(desk, "record first", "record 9", "add_line items", "type items[0].what oar", "record save")
    act(desk, "remove_line items[0]", "type name Tern")
    by_other(store, Change("change", "boats", 9, {"fee": Decimal(1)}))
    act(desk, "record save", "answer 'Keep mine'")
    assert not desk.prompt and [row["name"] for row in rows(store) if row["id"] == 9] == ["Tern"]


STAGED: list[tuple[Callable[[Any], object], list[tuple[int, Any]]]] = [
    (lambda r: (r.add("boats", {"id": 5, "name": "a"}), r.change("boats", 5, {"id": 4})), [(1, "Teal"), (2, "Eider"), (4, "a")]),
    (lambda r: (r.add("boats", {"id": 5}), r.change("boats", 5, {"id": 4}), r.change("boats", 4, {"name": "b"})), [(1, "Teal"), (2, "Eider"), (4, "b")]),
    (lambda r: (r.change("boats", 2, {"name": "x"}), r.remove("boats", 2), r.add("boats", {"id": 2, "name": "y"}), r.change("boats", 2, {"name": "z"})), [(1, "Teal"), (2, "z")]),
    (lambda r: (r.change("boats", 2, {"id": 3}), r.change("boats", 3, {"name": "z"}), r.add("boats", {"id": 2, "name": "n"})), [(1, "Teal"), (2, "n"), (3, "z")]),
    (lambda r: (r.change("boats", 2, {"id": 3}), r.remove("boats", 3)), [(1, "Teal")]),
    (lambda r: (r.add("boats", {"id": 5}), r.remove("boats", 5), r.add("boats", {"id": 5, "name": "c"})), [(1, "Teal"), (2, "Eider"), (5, "c")]),
]  # fmt: skip


@pytest.mark.parametrize(("stages", "wanted"), STAGED)
def test_what_a_handler_stages_of_one_row_follows_in_order(desk: Desk, store: Any, stages: Any, wanted: list[Any]) -> None:
    seen: list[Any] = []

    def stage(form: Any) -> None:
        stages(form.session.records)
        seen.extend(form.session.records.rows("boats"))

    does.append(stage)
    desk.press("go")
    for found in (seen, rows(store)):
        assert sorted((row["id"], row["name"]) for row in found) == wanted


def test_a_new_line_that_a_handler_saves_twice_is_one_row(desk: Desk, store: Any) -> None:
    def twice(form: Any) -> None:
        line = form.items.add(what="oar")
        form.records.save()
        line.what.value = "oars"
        form.records.save()

    does.append(twice)
    desk.press("go")
    assert not desk.prompt and [row["what"] for row in rows(store, "items")] == ["rope", "oars"]
    assert desk.at(Boats).items.rows[1].id.value == rows(store, "items")[1]["id"]


def test_a_blank_key_of_texts_is_refused_and_not_numbered(tmp_path: Path) -> None:
    class Piers(Form, records="piers"):
        name = Text("Name")
        length = Integer("Length")

    (tmp_path / "piers.csv").write_text("name,length\nNorth,4\n")
    with sqlite3.connect(tmp_path / "p.db") as database:
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


SENT: list[str] = []


def test_what_was_saved_is_said_and_its_effects_are_offered_if_the_rest_fails(store: Any) -> None:
    def half(form: Any) -> None:
        form.session.records.add("boats", {"name": "Wren"})
        form.afterwards(SENT.append, "letter", caption="Send the letter")
        form.open(Side)
        form.name.value = "lost"
        raise KeyError("5/4/2031")

    does.append(half)
    for answer, sent in (("Skip", []), ("Do it now", ["letter"])):
        SENT.clear()
        with rehearse(Boats, records=store) as desk:
            act(desk, "press go", "press ok")
            saved = "Saved: boats: 1."
            assert (
                desk.prompt.text
                == f"{saved} But the rest didn't work, and was undone: KeyError: '5/4/2031'. Still to do: Send the letter. Do it now?"
            )
            with pytest.raises(HandlerFailed):
                desk.answer(answer)
            assert (SENT, desk.session.notice) == (sent, f"{saved} The rest didn't work, and was undone")
            assert desk.at(Boats).name.value == "Teal" and "5/4/2031" in desk.session.view.failure.error  # type: ignore[union-attr]
            desk.close()


def test_a_second_write_that_is_refused_says_what_the_first_has_saved() -> None:
    def twice(form: Any) -> None:
        form.session.records.add("boats", {"name": "Wren"})
        form.open(Side)
        form.session.records.add("boats", {"id": 1})

    does.append(twice)
    with rehearse(Boats, records=as_memory(Path())) as desk:
        act(desk, "press go", "press ok")
        assert desk.prompt.text == "Saved: boats: 1. But the rest couldn't be saved: 'boats' already has a record 1"
        assert desk.prompt.buttons == ("Try again", "Skip")
        desk.answer("Skip")
        assert desk.session.notice == "Saved: boats: 1. The rest couldn't be saved: 'boats' already has a record 1"
        desk.close()


SCHEMA = """
create table boats(id integer primary key, name text, fee numeric, small text generated always as (lower(name)) stored, touched integer default 0);
create trigger noted after update on boats when new.touched = old.touched begin update boats set touched = old.touched + 1 where id = new.id; end;
create table items(id integer primary key, boat integer, what text);
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
    with sqlite3.connect(tmp_path / "b.db") as database:
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
    with rehearse(Boats, records=store, at=1) as desk:
        with pytest.raises(RecordError):
            desk.record("2")
        assert (
            desk.session.notice == "Record 2 can't be shown: 'free' doesn't fit into Fee" and desk.at(Boats).records.key == 1
        )
        desk.close()
    with rehearse(Rated, records=store) as desk:
        act(desk, "type stars 9", "record save")
        assert desk.prompt.text == "Couldn't save: a rule of the database refuses it"
        act(desk, "answer 'Keep editing'", "close")


def test_amounts_that_read_alike_are_no_difference(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "b.db") as database:
        database.executescript(
            "create table boats(id integer primary key, name text, fee real); insert into boats values (1, 'Teal', 9.8)"
        )
        database.executescript("create table items(id integer primary key, boat integer, what text)")
    store = SqlRecords(tmp_path / "b.db")
    with rehearse(Boats, records=store) as desk:
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


def test_label_and_record_bar_agree_while_a_refusal_is_open() -> None:
    with rehearse(Boats, records=as_memory(Path())) as desk:
        act(desk, "record new", "type id 1", "record save")
        assert "already has a record 1" in desk.prompt.text
        bar = desk.session.view.forms[0].record
        assert bar is not None and bar.text == desk.at(Boats).place.value
        act(desk, "answer 'Keep editing'", "key Escape", "close")


def test_a_csv_entry_that_is_not_written_keeps_each_digit(tmp_path: Path) -> None:
    class Meters(Form, records="meters"):
        name = Text("Name")
        reading = Money("Reading")

    (tmp_path / "meters.csv").write_text("name,reading,other\nquay,1.5,12345678901234567890\npier,2.5,0.1\n")
    with rehearse(Meters, records=CsvRecords(tmp_path)) as desk:
        act(desk, "type reading 3", "record save")
        desk.close()
    assert (tmp_path / "meters.csv").read_text().splitlines()[1].endswith(",12345678901234567890")


class Berths(Form):
    """Takes a berth, whose row goes while the form is submitted."""

    berth = Choice("Berth", choices=Catalog("berths", text="name"), required=True)
    ok = Button("OK", closes="accepted")
    again = Button("Again", submits=True)


def taking(event: Any) -> type[Berths]:
    """Return a form that removes the row of its berth at an event."""

    class Taking(Berths):
        @event  # type: ignore[untyped-decorator]
        def take(self) -> None:
            self.session.records.remove("berths", self.berth.value)

        @Form.closed
        def note(self) -> None:
            SENT.append(str(self.berth.value))

    return Taking


@pytest.mark.parametrize("event", [Form.accepting, Form.submitted, Form.closing])
def test_a_choice_keeps_its_value_until_its_form_is_submitted(event: Any) -> None:
    SENT.clear()
    form = taking(event)
    with rehearse(form, records=MemoryRecords({"berths": [{"name": "N1"}, {"name": "N2"}]})) as desk:
        act(desk, "pick berth N2", "press ok")
        assert not desk.prompt and desk.outcome is not None and desk.outcome.values["berth"] == "N2" and SENT == ["N2"]


def test_an_outcome_has_the_keys_that_the_store_gave_also_in_lines() -> None:
    new = NewKey("boats")
    held = ({"id": new, "deep": (new, 1)}, {"id": 2})
    assert known_in(held) is held
    new._value = 8
    assert known_in(held) == ({"id": 8, "deep": (8, 1)}, {"id": 2})
