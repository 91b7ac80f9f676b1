"""Forms bound to records: the current record, moving, saving, removing, filters, and forms that submit and continue."""

from __future__ import annotations

import re
from typing import Any, cast

import pytest
from small.boats import BOATS, Boats

from fuselatch import Button, Choice, DeclarationError, Form, Number, Text, UnknownName
from fuselatch.core.model.record_changes import Change
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.report.screen import screen
from fuselatch.scenes import Scene
from fuselatch.stores import MemoryRecords
from tests.helpers import act, told


def at_work(form: type[Form] = Boats, store: MemoryRecords | None = None) -> tuple[Desk, MemoryRecords]:
    store = store or MemoryRecords({"boats": BOATS}, keys={"boats": "number"})
    return Desk(Scene(form, records=store)), store


def test_leaving_a_changed_record_keeps_it_with_only_what_differs() -> None:
    desk, store = at_work()
    written: list[Change] = []
    store.refuse = written.extend
    with desk:
        form = desk.at(Boats)
        act(desk, "type boat 'Old Eider'", "untick paid", "record next")
        # The note's column is left alone: it is disabled.
        (change,) = written
        assert change[:5] == ("change", "boats", 1, {"boat": "Old Eider", "paid": False}, BOATS[0])
        assert {*(change.compared or ())} == {"state", "size", "boat", "note", "paid"}
        assert told(desk.trace, "write") == ["writes boats: 1: boat=Old Eider, paid=False"]
        act(desk, "record first", "clear boat", "record next")  # blocked: boat is blank
        assert (form.records.key, form.boat.marker.text, store.transactions) == (1, "Enter a value", 1)
        act(desk, "type boat Eider", "record save")
        assert store.transactions == 2


@pytest.mark.parametrize(
    ("call", "error", "message"),
    [
        (lambda form: form.records.where(sate=form.only), UnknownName, "'boats' has no column 'sate'; did you mean 'state'"),
        (lambda form: form.records.where(blank="some", state=form.only), ValueError, "use 'all' \\(a blank filter shows all rows\\) or 'none'"),
        (lambda form: form.records.where(state="in"), TypeError, "expected a control of an open form"),
        (lambda form: form.records.move("nxt"), UnknownName, "unknown move 'nxt'; did you mean 'next'"),
        (lambda form: form.records.at(7), UnknownName, "'boats' has no record 7; choose from 1, 2, 5"),
    ],
)  # fmt: skip
def test_a_wrong_filter_or_move_is_told(call: Any, error: type[Exception], message: str) -> None:
    desk, _ = at_work()
    with desk:
        form: Any = desk.form
        with pytest.raises(error, match=message):
            call(form)
        form.records.where(blank="none", state=form.only)
        assert form.records.count == 0


THEIRS = {**BOATS[0], "boat": "Theirs", "size": 7.0}


@pytest.mark.parametrize(
    ("theirs", "step", "answers", "shown", "left"),
    [
        (THEIRS, "save", ("Keep editing",), ("Mine", "1 of 3"), THEIRS),
        (THEIRS, "save", ("Use theirs",), ("Theirs", "1 of 3"), THEIRS),
        (BOATS[0], "previous", (), ("Mine", "1 of 3"), {**BOATS[0], "boat": "Mine"}),
        (THEIRS, "next", ("Use theirs",), ("Theirs", "1 of 3"), THEIRS),
        (THEIRS, "save", ("Keep mine",), ("Mine", "1 of 3"), {**THEIRS, "boat": "Mine"}),
        (THEIRS, "next", ("Keep mine",), ("Teal", "2 of 3"), {**THEIRS, "boat": "Mine"}),
        (THEIRS, "remove", ("Remove", "Keep mine"), ("Teal", "1 of 2"), None),
        (THEIRS, "remove", ("Remove", "Use theirs"), ("Theirs", "1 of 3"), THEIRS),
        (None, "save", ("Use theirs",), ("Teal", "1 of 2"), None),
        (None, "save", ("Keep mine",), ("Mine", "3 of 3"), {**BOATS[0], "boat": "Mine"}),
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
        form = desk.at(Boats)
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
        form = desk.at(Boats)
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
