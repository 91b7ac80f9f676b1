"""Rows that handlers write: staged, seen by whoever reads, checked against what was read, with keys that come later."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import pytest

from fuselatch import Button, Catalog, Choice, Form, HandlerFailed, Integer, Label, NotAllowedHere, UnknownName
from fuselatch.rehearsal import rehearse
from fuselatch.stores import Change, MemoryRecords
from tests.bench import LOG, bench

SEATS: list[dict[str, Any]] = [
    {"id": 1, "Home port": "Vannermouth", "sold": False},
    {"id": 2, "Home port": "Ostrey", "sold": False},
]
Act = Callable[[Any], object]


def seats() -> MemoryRecords:
    """Return a store with two seats and an empty log."""
    return MemoryRecords({"seats": SEATS, "log": [{"n": 0, "seat": None}]}, keys={"seats": "id", "log": "n"})


WRITES: list[tuple[Act, list[dict[str, Any]], list[dict[str, Any]]]] = [
    (lambda r: r.change("seats", 1, {"sold": True}), [{**SEATS[0], "sold": True}, SEATS[1]], []),
    (lambda r: (r.change("seats", 1, {"sold": True}), r.change("seats", 1, {"Home port": ""})), [{"id": 1, "Home port": None, "sold": True}, SEATS[1]], []),
    (lambda r: r.change("seats", 2, {"id": 7}), [SEATS[0], {**SEATS[1], "id": 7}], []),
    (lambda r: (r.change("seats", 1, {"sold": True}), r.remove("seats", 1)), [SEATS[1]], []),
    (lambda r: r.add("log", {"seat": r.add("seats", {"Home port": "New"})}), [*SEATS, {"id": 3, "Home port": "New", "sold": None}], [{"n": 1, "seat": 3}]),
    (lambda r: r.change("seats", r.add("seats", {"sold": True}), {"Home port": "New"}), [*SEATS, {"id": 3, "Home port": "New", "sold": True}], []),
    (lambda r: r.remove("seats", r.add("seats", {"sold": True})), SEATS, []),
    (lambda r: r.change("seats", r.find("seats", {"Home port": "Ostrey"})["id"], {"sold": True}), [SEATS[0], {**SEATS[1], "sold": True}], []),
]  # fmt: skip


@pytest.mark.parametrize(("act", "rows", "log"), WRITES)
def test_what_a_handler_stages_is_written_together(act: Act, rows: list[dict[str, Any]], log: list[dict[str, Any]]) -> None:
    store = seats()
    with bench({"go": lambda form: act(form.session.records)}, records=store) as (desk, _):
        desk.press("go")
    assert (store.sources["seats"], store.sources["log"][1:], store.transactions) == (rows, log, 1)


class Picked(Form):
    """Picks a row that it has just added. Its rule fails without rows."""

    share = Label("Share", value=lambda form: f"1/{10 // len(form.session.records.rows('seats'))}")
    seat = Choice("Seat", choices=Catalog("seats", text="Home port", value="id", value_type=int))
    go = Button("Go")

    @go.clicked
    def add(self) -> None:
        added: Any = self.session.records.add("seats", {"Home port": "New"})
        self.seat.value = added


def test_a_control_gets_the_key_that_the_store_gives() -> None:
    with rehearse(Picked, records=seats()) as desk:
        desk.press("go")
        assert type(desk.at(Picked).seat.value) is int


def test_a_rule_that_fails_by_what_another_has_written_keeps_its_value() -> None:
    store = seats()
    with rehearse(Picked, records=store) as desk:
        store.sources["seats"].clear()
        store.versions["seats"] += 1
        with pytest.raises(HandlerFailed, match="its last value stays"):
            desk.wait("1m")
        assert desk.at(Picked).share.value == "1/5"


def test_a_new_key_is_known_after_the_write_and_what_is_staged_is_read_before() -> None:
    def go(form: Any) -> None:
        records = form.session.records
        new, named = records.add("seats", {"Home port": "New"}), records.add("seats", {"id": 9, "Home port": "Named"})
        records.change("seats", 1, {"sold": True})
        LOG.append(
            (
                named.value,
                records.read("seats", 1)["sold"],
                records.read("seats", new)["Home port"],
                records.read("seats", 8),
            )
        )
        with pytest.raises(
            NotAllowedHere, match="the new row of 'seats' isn't written yet; its key is known after a dialog"
        ):
            assert new.value
        form.afterwards(lambda: LOG.append((new.value, repr(new))))

    with bench({"go": go}, records=seats()) as (desk, _):
        desk.press("go")
    assert LOG == [(9, True, "New", None), (3, "3")]


@pytest.mark.parametrize(
    ("act", "error", "message"),
    [
        (lambda r: r.change("seats", 3, {"sold": True}), UnknownName, "'seats' has no record 3"),
        (lambda r: r.change("seats", 1, {"sodl": True}), UnknownName, "'seats' has no column 'sodl'; did you mean 'sold'"),
        (lambda r: r.find("seats", {"sodl": True}), UnknownName, "'seats' has no column 'sodl'; did you mean 'sold'"),
        (lambda r: r.remove("seats", None), UnknownName, "'seats' has no record None"),
        (lambda r: r.change("seats", 1, 5), TypeError, r"change\('seats', …\): expected a row"),
    ],
)
def test_a_row_that_is_not_there_is_told_in_one_line(act: Act, error: type[Exception], message: str) -> None:
    with bench({"go": lambda form: act(form.session.records)}, records=seats()) as (desk, _):
        with pytest.raises(HandlerFailed, match=message) as caught:
            desk.press("go")
        assert type(caught.value.error) is error
        with pytest.raises(NotAllowedHere, match="records can only be written in a handler"):
            desk.session.records.remove("seats", 1)


class Sale(Form, records="log"):
    """A sale that marks a seat, if it is free."""

    seat = Integer("Seat")
    sell = Button("Sell", submits=True, after_submit="same")

    @Form.submitted
    def mark(self) -> None:
        seat = self.session.records.read("seats", self.seat.value) or {}
        LOG.append(seat["sold"])
        if seat["sold"]:
            self.say("sold already")
        else:
            self.session.records.change("seats", self.seat.value, {"sold": True})


class TakesTheirs(Sale, on_conflict="theirs"):
    """A sale that doesn't ask."""


@pytest.mark.parametrize(("form", "answer"), [(Sale, "Keep mine"), (Sale, "Use theirs"), (TakesTheirs, "")])
def test_a_handler_runs_again_on_a_row_that_somebody_else_has_changed(form: type[Sale], answer: str) -> None:
    store = seats()

    def sold_first(changes: Sequence[Change]) -> None:
        if not store.sources["seats"][0]["sold"]:
            store.sources["seats"] = [{**SEATS[0], "sold": True}, SEATS[1]]
            store.versions["seats"] += 1

    store.refuse = sold_first
    LOG.clear()
    with rehearse(form, records=store) as desk:
        desk.type("seat", "1")
        desk.press("sell")
        if answer:
            assert desk.prompt.text == "Record 1 was changed by someone else while you were editing it."
            desk.answer(answer)
        assert not desk.prompt and LOG == ([False, True] if answer == "Keep mine" else [False])
        assert (desk.session.view.forms[0].message == "sold already") is (answer == "Keep mine")
