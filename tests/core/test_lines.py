"""Lines: rows under a record, their events, rules and checks, and how they are saved with it."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

import pytest
from small.extras import EXTRAS, Extra, Visit, rows

from fuselatch import Button, DeclarationError, Form, Group, Lines, NotAllowedHere, Refused, Text, UnknownName
from fuselatch.rehearsal import Desk
from fuselatch.scenes import Scene
from fuselatch.stores import MemoryRecords
from tests.helpers import act


def opened(form: type[Form] = Visit, at: Any = 1) -> tuple[Desk, MemoryRecords, Any]:
    store = rows()
    desk = Desk(Scene(form, records=store, at=at)).__enter__()
    return desk, store, desk.form


class Refuses(Visit):
    """Lines that need a saved record, which can't be removed before them."""

    extras = Lines(Extra, "Extras", records="extras", key="booking", on_parent_remove="refuse")


def test_a_line_under_a_record_that_is_not_kept_is_refused_in_plain_words() -> None:
    desk, _, form = opened(Refuses)
    act(desk, "record new", "add_line extras")
    assert desk.session.view.notice == "Extras: save this record before adding lines" and not len(form.extras)


def test_rows_without_a_record_are_told_at_opening() -> None:
    store = MemoryRecords(
        {"bookings": [{"number": 1, "vessel": "Eider"}], "extras": EXTRAS}, keys={"bookings": "number", "extras": "id"}
    )
    with Desk(Scene(Visit, records=store)) as desk:
        assert desk.session.view.forms[0].message == "2 rows of extras have no record in bookings (3, 4)"


@pytest.mark.parametrize(("answer", "count"), [("Use theirs", 9), ("Keep mine", 3)])
def test_a_refused_store_leaves_lines_as_they_were_and_a_foreign_change_is_asked_about(answer: str, count: int) -> None:
    desk, store, form = opened()
    desk.type("extras[0].count", "3")
    store.sources["extras"][1] = {**EXTRAS[1], "count": 9, "price": Decimal(41)}
    store.versions["extras"] += 1
    act(desk, "record save")
    asked = "Extras, line 1, was changed by someone else while you were editing it.\n| Yours | Theirs\nCount | 3 | 9\nPrice | unchanged | 41.00"
    assert desk.prompt.in_words == asked
    desk.answer("Keep editing")
    assert form.extras[0].count.draft == "3"
    act(desk, "record save", f"answer '{answer}'")
    line = form.extras[0]
    assert (line.count.value, line.price.value, form.records.is_changed) == (count, 41, False)
    assert store.sources["extras"][1] == {**EXTRAS[1], "count": count, "price": 41}


def test_a_line_that_another_has_moved_to_another_record_is_asked_about() -> None:
    desk, store, _ = opened()
    desk.type("extras[0].count", "3")
    store.sources["extras"][1] = {**EXTRAS[1], "booking": 2}
    store.versions["extras"] += 1
    desk.record("save")
    assert desk.prompt.text.startswith("Extras, line 1, was changed by someone else")


def test_lines_without_records_are_the_outcome_and_go_with_a_submit() -> None:
    class Order(Form):
        extras = Lines(Extra, "Extras")
        more = Button("More", submits=True)
        ok = Button("OK", closes="accepted")

    with Desk(Scene(Order)) as desk:
        act(desk, "add_line extras", "pick 'extras[0].what' water", "press more")
        assert not len(desk.at(Order).extras)
        act(desk, "add_line extras", "pick 'extras[0].what' power", "press ok")
    assert desk.outcome is not None and [line["what"] for line in desk.outcome.values["extras"]] == ["power"]


@pytest.mark.parametrize(
    ("act", "message"),
    [
        (lambda desk: desk.type("extras[2].count", "1"), r"no line extras\[2\]; extras has 0 to 1"),
        (lambda desk: desk.type("extras[0].cont", "1"), r"has no control 'extras\[0\]\.cont'"),
        (lambda desk: desk.type("extras[0]", "1"), r"has no control 'extras\[0\]'"),
        (lambda desk: desk.remove_line("extras"), "isn't a line"),
        (lambda desk: desk.add_line("vessel"), "isn't a list of lines"),
        (lambda desk: desk.move_line("extras[0]", "first"), "'first' isn't a position; use a number, starting at 0"),
        (lambda desk: desk.form.extras.move(desk.form.extras[0], 2), "extras has no position 2; positions are 0 to 1"),
        (lambda desk: desk.form.extras.remove(desk.form), "isn't a line of Visit.extras"),
        (lambda desk: desk.form.extras.add(waht="x"), "extras: lines have no control 'waht'; did you mean 'what'"),
    ],
)
def test_a_wrong_use_is_told(act: Callable[[Desk], None], message: str) -> None:
    desk, _, form = opened()
    with pytest.raises((UnknownName, Refused, NotAllowedHere, ValueError, TypeError), match=message):
        act(desk)
    assert [line.what.value for line in form.extras] == ["crane", "power"]


class HearsForm(Group):
    """Handle an event that no line raises."""

    one = Text("One")

    @Form.accepting
    def hear(self) -> None: ...


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda: Lines(Form), "expected a class derived from Group"),  # type: ignore[type-var]
        (lambda: Lines(Extra, records="extras"), "records= needs key="),
        (lambda: Lines(Extra, new_parent="last"), "new_parent must be 'refuse' or 'save_first' or 'together', not 'last'"),  # type: ignore[arg-type]
        (lambda: Lines(Extra, on_parent_remove="never"), "on_parent_remove must be 'ask' or 'refuse' or 'cascade'"),  # type: ignore[arg-type]
        (lambda: Lines(HearsForm), "a line can't handle accepting; handle it on the form"),
        (lambda: type("G", (Group,), {"inner": Lines(Extra)}), "Lines can't be declared in a group; declare them on the form"),
        (lambda: type("F", (Form,), {"inner": Lines(Extra, records="e", key="k")}), "Lines with records= need a form with records="),
    ],
)  # fmt: skip
def test_a_wrong_declaration_is_told(make: Callable[[], Any], message: str) -> None:
    with pytest.raises(DeclarationError, match=message):
        make()
