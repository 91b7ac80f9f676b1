"""Lines: rows under a record, their events, rules and checks, and how they are saved with it."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

import pytest

from fuselatch import (
    Button,
    Choice,
    DeclarationError,
    Event,
    Form,
    Group,
    Integer,
    Lines,
    Money,
    NotAllowedHere,
    Refused,
    Text,
    UnknownName,
    check,
    on,
    warn,
)
from fuselatch.rehearsal import Desk
from fuselatch.scenes import Scene
from fuselatch.stores import Change, MemoryRecords
from tests.helpers import act

EXTRAS = [
    {"id": 1, "booking": 1, "what": "power", "count": 2, "price": Decimal("3.00"), "place": 2},
    {"id": 2, "booking": 1, "what": "crane", "count": 1, "price": Decimal("40.00"), "place": 1},
    {"id": 4, "booking": 2, "what": "water", "count": 1, "price": Decimal("1.00"), "place": 1},
]


class Extra(Group):
    """An extra of a booking."""

    what = Choice("What", choices=("power", "water", "crane"), required=True)
    count = Integer("Count", default=1, minimum=1)
    price = Money("Price", required=True)
    amount = Money("Amount", value=lambda line: (line.count.value or 0) * (line.price.value or Decimal(0)))

    @check(count, price)
    def affordable(self, count: int, price: Decimal) -> str | None:
        return "too dear" if count * price > 1000 else None

    @what.changed
    def fill_price(self) -> None:
        self.price.value = {"power": Decimal(3), "water": Decimal(1), "crane": None}[self.what.required_value]


class Stay(Form, title="Stay", records="bookings"):
    """A record with lines."""

    vessel = Text("Vessel", required=True)
    extras = Lines(Extra, "Extras", records="extras", key="booking", order="place", new_parent="save_first")
    total = Money("Total", value=lambda form: sum((line.amount.value or Decimal(0) for line in form.extras), Decimal(0)))
    log = Text("Log")
    four = Button("Four")
    fail = Button("Fail")
    keep = Button("Keep", submits=True, after_submit="same")
    ok = Button("OK", closes="accepted")

    @extras.line_adding
    def four_at_most(self, event: Event) -> None:
        if len(self.extras) == 4:
            event.block("four are enough")

    @extras.line_removing
    def never_the_crane(self, event: Event) -> None:
        if event.old.what.value == "crane":
            event.block("the crane stays")

    @on(extras.line_added, extras.line_changed)
    def note(self, event: Event) -> None:
        self.log.value += f"{event.name.removeprefix('line_')} {event.new.path} {event.new.amount.text}; "

    @four.clicked
    def add_until_held(self) -> None:
        while self.extras.add(what="water", count=2):
            pass

    @fail.clicked
    def fail_after_all(self) -> None:
        self.extras.remove(self.extras[1])
        self.extras.add(what="water")
        self.extras.move(self.extras[1], 0)
        raise ValueError("on purpose")


def opened(form: type[Form] = Stay, at: Any = 1) -> tuple[Desk, MemoryRecords, Any]:
    rows = {"bookings": [{"number": 1, "vessel": "Eider"}, {"number": 2, "vessel": "Teal"}], "extras": EXTRAS}
    store = MemoryRecords(rows, keys={"bookings": "number", "extras": "id"})
    desk = Desk(Scene(form, records=store, at=at)).__enter__()
    return desk, store, desk.form


def whats(form: Any) -> list[str]:
    return [line.what.value for line in form.extras]


def test_lines_start_move_and_go_and_are_called_by_their_places() -> None:
    desk, store, form = opened()
    desk.add_line("extras")
    assert form.extras[2].what.focused and form.extras[2].count.value == 1
    act(desk, "pick 'extras[2].what' water", "move_line 'extras[2]' 0")
    assert whats(form) == ["water", "crane", "power"] and form.extras[0].what.name == "extras[0].what"
    assert form.extras[0].what.focused
    for _ in range(4):
        desk.tab()
    assert form.extras[1].count.focused, "Tab goes by the places of the lines"
    desk.remove_line("extras[1]")
    assert desk.session.view.notice == "the crane stays" and len(form.extras) == 3
    act(desk, "focus 'extras[2].count'", "remove_line 'extras[2]'")
    assert whats(form) == ["water", "crane"] and form._state.focus is not None and form._state.focus._is_usable
    desk.record("save")
    assert [(row["id"], row["what"], row["place"]) for row in store.sources["extras"]] == [
        (2, "crane", 2),
        (4, "water", 1),
        (5, "water", 1),
    ]
    assert store.transactions == 1 and not form.records.is_changed
    act(desk, "type 'extras[0].count' 7", "record save")
    assert store.sources["extras"][2]["count"] == 7, "a line that was added is changed after that"


class Refuses(Stay):
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
    with Desk(Scene(Stay, records=store)) as desk:
        assert desk.session.view.forms[0].message == "1 row of extras has no record in bookings (4)"


def test_a_refused_store_leaves_lines_as_they_were_and_a_foreign_change_is_asked_about() -> None:
    desk, store, form = opened()
    desk.type("extras[0].count", "3")
    store.sources["extras"][1] = {**EXTRAS[1], "count": 9}
    store.versions["extras"] += 1
    act(desk, "record save")
    asked = "Extras, line 1, was changed by someone else while you were editing it.\n| Yours | Theirs\nCount | 3 | 9"
    assert desk.prompt.in_words == asked
    desk.answer("Keep editing")
    assert form.extras[0].count.draft == "3"
    act(desk, "record save", "answer 'Use theirs'")
    assert form.extras[0].count.value == 9 and not form.records.is_changed


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
        (lambda desk: desk.form.extras.remove(desk.form), "isn't a line of Stay.extras"),
        (lambda desk: desk.form.extras.add(waht="x"), "extras: lines have no control 'waht'; did you mean 'what'"),
    ],
)
def test_a_wrong_use_is_told(act: Callable[[Desk], None], message: str) -> None:
    desk, _, form = opened()
    with pytest.raises((UnknownName, Refused, NotAllowedHere, ValueError, TypeError), match=message):
        act(desk)
    assert whats(form) == ["crane", "power"]


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


class Together(Form, records="bookings"):
    """A booking that is written with its extras."""

    vessel = Text("Vessel")
    extras = Lines(Extra, "Extras", records="extras", key="booking", new_parent="together", min_items=1, max_items=2)
    keep = Button("Keep", submits=True, after_submit="same")


def test_a_new_record_and_its_lines_are_written_together_and_their_number_is_bounded() -> None:
    bookings = [{"number": 1, "vessel": "Eider"}, {"number": 2, "vessel": "Teal"}]
    store = MemoryRecords({"bookings": bookings, "extras": EXTRAS}, keys={"bookings": "number", "extras": "id"})
    written: list[Change] = []
    store.refuse = lambda changes: written.extend(changes)
    with Desk(Scene(Together, records=store)) as desk:
        form = desk.at(Together)
        act(desk, "record new", "type vessel New", "press keep")
        assert (desk.session.view.notice, written) == ("Extras: Too few. At least 1 needed", [])
        for place, what in enumerate(("water", "power")):
            act(desk, "add_line extras", f"pick 'extras[{place}].what' {what}", f"type 'extras[{place}].price' 2")
        act(desk, "add_line extras")
        assert (desk.session.view.notice, written) == ("Extras: at most 2 allowed", [])
        desk.press("keep")
        assert form.records.key == 3 and len(written) == 3 and not form.records.is_changed
        assert [row["booking"] for row in store.sources["extras"]] == [1, 1, 2, 3, 3]
        act(desk, "type 'extras[0].count' 4", "press keep")
        assert store.sources["extras"][3]["count"] == 4


class Party(Form, title="Party"):
    """Lines that a check looks at together."""

    seats = Integer("Seats", default=2)
    extras = Lines(Extra, "Extras", min_items=1)
    remark = Text("Remark")
    done = Button("Done", closes="accepted")

    @check(extras)
    def not_too_many(self, extras: tuple[Extra, ...]) -> str | None:
        return "more than seats" if sum(one.count.value or 0 for one in extras) > (self.seats.value or 0) else None

    @check(extras, seats, at=seats)
    def odd(self, extras: tuple[Extra, ...], seats: int) -> Any:
        return warn(f"{len(extras)} on {seats}") if len(extras) % 2 != seats % 2 else None


def test_lines_are_checked_together_and_have_a_marker() -> None:
    with Desk(Scene(Party)) as desk:
        form = desk.at(Party)
        assert [one.rule for one in form.extras.findings] == ["min_items"] and not form.extras.is_valid
        for gestures, marker in (
            (("press done",), "Too few. At least 1 needed"),
            (("add_line extras",), ""),
            (("pick extras[0].what power", "type extras[0].count 3"), ""),
            (("type seats 3",), "more than seats"),
        ):
            act(desk, *gestures)
            assert form.extras.marker.text == marker
        assert "not_too_many: more than seats" in desk.session.why("extras.marker")
        assert "more than seats" in str(desk.session.view) and not desk.session.idle()
        desk.press("done")
        assert desk.outcome is not None

    with Desk(Scene(Party)) as desk:
        form = desk.at(Party)
        act(desk, "add_line extras", "pick extras[0].what power", "type extras[0].count 5", "press done")
        assert desk.session.view.notice == "Extras: more than seats" and form.extras[0].what.focused
        act(desk, "type extras[0].count 1", "press done", 'answer "Go on"')
        assert desk.outcome is not None and [one.control for one in desk.outcome.overrides] == ["seats"]
