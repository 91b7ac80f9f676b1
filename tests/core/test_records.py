"""Forms bound to records: the current record, moving, saving, removing, filters, and forms that submit and continue."""

from __future__ import annotations

import re
from typing import Any, cast

import pytest

from fuselatch import (
    Button,
    Choice,
    DeclarationError,
    Event,
    Form,
    Latch,
    Number,
    Prompt,
    Text,
    Tick,
    UnknownName,
    first_choice,
)
from fuselatch.core.model.record_changes import Change
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.report.screen import screen
from fuselatch.scenes import Scene
from fuselatch.stores import MemoryRecords
from tests.helpers import act, told


def rows() -> list[dict[str, Any]]:
    return [
        {"number": 1, "boat": "Eider", "size": 9.5, "state": "in", "paid": True, "note": "old"},
        {"number": 2, "boat": "Teal", "size": None, "state": "gone", "paid": False, "note": None},
        {"number": 5, "boat": "Heron", "size": 12, "state": "lost", "paid": False, "note": ""},
    ]


class Scores(Form, title="Scores", records="boats"):
    """A form bound to records."""

    boat = Text("Boat", required=True)
    size = Number("Size", default=8)
    whereabouts = Choice("State", column="state", choices=("in", "gone"), default=first_choice())
    paid = Tick("Paid")
    double = Number("Double", value=lambda form: (form.size.value or 0) * 2)
    note = Text("Note", enabled=lambda form: form.paid.value)
    shown = Text("Shown")
    only = Text("Only")
    place = Text("Place", value=lambda form: form.records.position_text)
    many = Number("Many", value=lambda form: form.records.count)
    filter_it = Button("Filter")
    once = Button("Once")
    keep_it = Button("Save", submits=True)
    new_one = Button("Save, new", submits=True, after_submit="new")
    same_one = Button("Save, same", submits=True, after_submit="same")
    ok = Button("OK", closes="accepted")
    leave = Button("Leave", closes="cancelled")
    sure = Prompt("Sure?", buttons=("Yes", "No"), latch=Latch(per="record"), remember=("Yes",))

    @Form.record_shown
    def say_where(self, event: Event) -> None:
        self.shown.value = f"{event.new} {self.records.position_text}"

    @filter_it.clicked
    def filter_by_state(self) -> None:
        self.records.where(state=self.only)

    @once.clicked
    def ask_once(self) -> None:
        self.ask(self.sure)

    @boat.changed
    def never_by_a_record(self, event: Event) -> None:
        assert event.by == "user" or event.new != "Teal"


def at_work(form: type[Form] = Scores, store: MemoryRecords | None = None) -> tuple[Desk, MemoryRecords]:
    store = store or MemoryRecords({"boats": rows()}, keys={"boats": "number"})
    return Desk(Scene(form, records=store)), store


def test_moving_takes_records_in_hand_without_changed_and_derived_values_follow() -> None:
    desk, store = at_work()
    with desk:
        form = desk.at(Scores)
        assert (form.records.key, form.boat.value, form.size.value, form.double.value, form.paid.value) == (
            1,
            "Eider",
            9.5,
            19,
            True,
        )
        for word, key, shown in (
            ("next", 2, "2 of 3"), ("previous", 1, "1 of 3"), ("previous", 1, "1 of 3"), ("last", 5, "3 of 3"),
            ("next", None, "new record (3 saved)"), ("first", 1, "1 of 3"), ("5", 5, "3 of 3"), ("new", None, "new record (3 saved)"),
            ("previous", 5, "3 of 3"), ("2", 2, "2 of 3"),
        ):  # fmt: skip
            desk.record(word)
            assert (form.records.key, form.records.position_text, form.shown.value) == (key, shown, f"{key} {shown}")
            record = desk.session.view.forms[0].record
            assert record and (record.text, record.can_remove, record.changed) == (shown, key is not None, False)
        assert (form.boat.value, form.size.value, form.double.value, form.note.value) == ("Teal", None, 0, "")
        assert not form.records.is_changed and store.transactions == 0
        assert not [line for line in told(desk.trace, "event") if line == "boat.changed"]
        with pytest.raises(UnknownName, match=r"'boats' has no record '7'; choose from 1, 2, 5"):
            desk.record("7")
        records: Any = form.records
        with pytest.raises(UnknownName, match="unknown move 'nxt'; did you mean 'next'"):
            records.move("nxt")


def test_leaving_a_changed_record_keeps_it_with_only_what_differs() -> None:
    desk, store = at_work()
    written: list[Change] = []
    store.refuse = written.extend
    with desk:
        form = desk.at(Scores)
        act(desk, "type boat 'Old Eider'", "untick paid", "record next")
        # The note's column is left alone: it is disabled.
        (change,) = written
        assert change[:5] == ("change", "boats", 1, {"boat": "Old Eider", "paid": False}, rows()[0])
        assert {*(change.compared or ())} == {"state", "size", "boat", "note", "paid"}
        assert told(desk.trace, "write") == ["writes boats: 1: boat=Old Eider, paid=False"]
        act(desk, "record first", "clear boat", "record next")  # blocked: boat is blank
        assert (form.records.key, form.boat.marker.text, store.transactions) == (1, "Enter a value", 1)
        act(desk, "type boat Eider", "record save")
        assert store.transactions == 2


def test_filters_follow_settled_values_and_a_blank_one_is_all() -> None:
    desk, _ = at_work()
    with desk:
        form: Any = desk.at(Scores)
        desk.press("filter_it")
        for only, place, count in (
            ("", "1 of 3", 3),
            ("gone", "new record (1 saved)", 1),
            ("nowhere", "new record (0 saved)", 0),
        ):
            form.only.value = only
            # A rule that reads the place follows the filter.
            assert (form.records.position_text, form.place.value, form.many.value) == (place, place, count)
        form.only.value = "gone"
        desk.record("first")
        assert (form.records.key, form.records.position_text) == (2, "1 of 1")
        form.only.value = ""
        form.records.where(blank="none", state=form.only)
        assert form.records.count == 0
        for filters, error, message in (
            ({"sate": form.only}, UnknownName, "'boats' has no column 'sate'; did you mean 'state'"),
            ({"blank": "some", "state": form.only}, ValueError, "use 'all' \\(a blank filter shows all rows\\) or 'none'"),
            ({"state": "in"}, TypeError, "expected a control of an open form"),
        ):
            with pytest.raises(error, match=message):
                form.records.where(**filters)


THEIRS = {**rows()[0], "boat": "Theirs", "size": 7.0}


@pytest.mark.parametrize(
    ("theirs", "step", "answers", "shown", "left"),
    [
        (THEIRS, "save", ("Keep editing",), ("Mine", "1 of 3"), THEIRS),
        (THEIRS, "save", ("Use theirs",), ("Theirs", "1 of 3"), THEIRS),
        (THEIRS, "next", ("Use theirs",), ("Theirs", "1 of 3"), THEIRS),
        (THEIRS, "save", ("Keep mine",), ("Mine", "1 of 3"), {**THEIRS, "boat": "Mine"}),
        (THEIRS, "next", ("Keep mine",), ("Teal", "2 of 3"), {**THEIRS, "boat": "Mine"}),
        (THEIRS, "remove", ("Remove", "Keep mine"), ("Teal", "1 of 2"), None),
        (THEIRS, "remove", ("Remove", "Use theirs"), ("Theirs", "1 of 3"), THEIRS),
        (None, "save", ("Use theirs",), ("Teal", "1 of 2"), None),
        (None, "save", ("Keep mine",), ("Mine", "3 of 3"), {**rows()[0], "boat": "Mine"}),
        (None, "remove", ("Remove", "Keep mine"), ("Teal", "1 of 2"), None),
    ],
)  # fmt: skip
def test_of_a_row_that_somebody_else_changed_meanwhile_a_person_says_whose_counts(
    theirs: dict[str, Any] | None, step: str, answers: tuple[str, ...], shown: tuple[str, str], left: dict[str, Any] | None
) -> None:
    desk, store = at_work()
    with desk:
        act(desk, "type boat Mine", "tab")
        store.sources["boats"][:1] = [theirs] if theirs is not None else []
        store.versions["boats"] += 1
        desk.record(step)
        for answer in answers:
            desk.answer(answer)
        form = desk.at(Scores)
        assert (form.boat.value, form.records.position_text) == shown and not desk.prompt
        assert next((row for row in store.sources["boats"] if row["number"] == 1), None) == left


def test_what_is_compared_names_the_columns_as_people_call_them() -> None:
    desk, store = at_work()
    with desk:
        desk.type("boat", "Mine")
        store.sources["boats"][0] = {**THEIRS, "note": None}
        store.versions["boats"] += 1
        desk.record("save")
        assert desk.prompt.text == "Record 1 (Boat: Eider) was changed by someone else while you were editing it."
        assert desk.prompt.table == (
            ("", "Yours", "Theirs"),
            ("Boat", "Mine", "Theirs"),
            ("Size", "unchanged", "7"),
            ("Note", "unchanged", "blank"),
        )
        assert "Size  unchanged  7" in "\n".join(screen(desk.session.view))
        desk.answer("Keep mine")
        form = desk.at(Scores)
        assert (form.boat.value, form.size.value) == ("Mine", 7.0), "what the user left as it was is theirs"
        assert store.sources["boats"][0] == {**THEIRS, "boat": "Mine", "note": None}


def test_what_is_declared_wrongly() -> None:
    for make, message in (
        (lambda: Button("x", submits=True, closes="accepted"), "use submits= or closes=, not both"),
        (
            lambda: Button("x", submits=True, after_submit=cast(Any, "lst")),
            "after_submit must be 'next', 'new' or 'same', not 'lst'",
        ),
        (lambda: type("Wrong", (Form,), {}, on_leave="keep"), "on_leave must be 'save' or 'ask', not 'keep'"),
        (
            lambda: type("Wrong", (Form,), {}, on_conflict="mine"),
            "on_conflict must be 'ask', 'theirs' or 'refuse', not 'mine'",
        ),
    ):
        with pytest.raises(DeclarationError, match=message):
            make()

    class Wrong(Form, records="boats"):
        size = Number("Size", column="sise")

    with (
        pytest.raises(UnknownName, match=r"Wrong.size: 'boats' has no column 'sise'; did you mean 'size'"),
        at_work(Wrong)[0],
    ):
        pass


class Gate(Form, title="Gate", records="gates"):
    """A record with a password, a choice and a long text."""

    code = Text("Code", look="password")
    pier = Choice("Pier", choices=((1, "North"), (2, "South")))
    note = Text("Note")


def test_a_conflict_shows_what_the_fields_show_and_no_password() -> None:
    store = MemoryRecords({"gates": [{"id": 1, "code": "4711", "pier": 1, "note": "x"}]}, keys={"gates": "id"})
    with rehearse(Gate, records=store) as desk:
        act(desk, "type code 1234", "pick pier South")
        store.write([Change("change", "gates", 1, {"code": "9999", "note": "y" * 900}, dict(store.read("gates")[0]))])
        desk.record("save")
        assert desk.prompt.table[1:3] == (("Code", "•", "•"), ("Pier", "South", "North"))
        assert desk.prompt.table[3] == ("Note", "unchanged", "y" * 199 + "…")
        assert not {"4711", "1234", "9999"} & set(re.findall(r"\d{4}", f"{desk.session.view}{desk.trace}"))
        desk.answer("Use theirs")
        act(desk, "pick pier South")
        store.write([Change("change", "gates", 1, {"pier": None}, dict(store.read("gates")[0]))])
        desk.record("save")
        assert desk.prompt.table[1:] == (("Pier", "South", "blank"),)
        desk.answer("Keep editing")
