"""The last change is taken back, and rows are pasted as one gesture."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import pytest
from small.extras import Visit, rows

from fuselatch import Button, Form, Group, Integer, Latch, Lines, Refused, Text, Tick, derive
from fuselatch.core.engine.acting.pasting import cells_of
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.scenes import Scene
from tests.helpers import act, told


class Berth(Form, title="Berth", idle=60):
    """A berth: what its handlers set besides values, what can't be taken back, and what leaves that alone."""

    nights = Integer("Nights", default=1)
    price = Integer("Price", value=derive(lambda nights: (nights or 0) * 34, nights))
    port = Text("Port")
    big = Tick("Big")
    send = Button("Send")
    keep = Button("Keep")
    told = 0
    asked = Latch(per="session")

    @nights.changed
    def hear(self) -> None:
        """Set an attribute, a property and the message."""
        self.told += 1
        self.port.caption = f"Port {self.told}"
        self.say("changed")

    @Form.idle
    def rest(self) -> None:
        """Run when time passes."""

    @send.clicked
    def send_it(self) -> None:
        """Do what can't be undone."""
        self.afterwards(len, "sent")

    @keep.clicked
    def latch_it(self) -> None:
        """Set a latch."""
        self.asked.set("yes")


def test_the_last_change_is_taken_back_without_events_and_rules_follow() -> None:
    with rehearse(Berth) as desk:
        act(desk, "type nights 3", "tab")
        form: Any = desk.form
        assert (form.price.value, form.told, form.port.caption) == (102, 1, "Port 1")
        act(desk, "hover send", "unhover", "tab", "focus port")
        before = len(desk.trace)
        assert desk.session.view.takes_back
        desk.take_back()
        assert (form.nights.value, form.price.value, form.told, form.port.caption) == (1, 34, 0, "Port")
        view = desk.session.view
        assert (view.forms[0].message, view.notice) == ("", "Undone: Nights")
        assert not told(desk.trace[before:], "event", "handler")
        with pytest.raises(Refused, match="nothing was changed in Berth that can be taken back"):
            desk.take_back()
        desk.close()


@pytest.mark.parametrize("step", ["press send", "press keep", "wait 90s"])
def test_what_ends_the_last_change(step: str) -> None:
    with rehearse(Berth) as desk:
        act(desk, "type nights 3", "tab", step, "key Ctrl+Z")
        form: Any = desk.form
        assert form.nights.value == 3 and not desk.session.view.takes_back
        desk.close()


def test_only_the_last_change_is_taken_back() -> None:
    with rehearse(Berth) as desk:
        act(desk, "type nights 3", "tab", "tick big", "key Ctrl+Z", "key Ctrl+Z")
        form: Any = desk.form
        assert (form.nights.value, form.big.value) == (3, False)
        desk.close()


def test_a_text_that_is_not_entered_is_taken_back_first() -> None:
    with rehearse(Berth) as desk:
        act(desk, "type nights 3", "tab", "type port Salt")
        assert not desk.session.view.takes_back
        with pytest.raises(Refused, match="'port' has text that isn't entered yet"):
            desk.take_back()
        act(desk, "key Escape", "key Ctrl+Z")
        form: Any = desk.form
        assert form.nights.value == 1
        desk.close()


def test_an_unreadable_text_goes_when_its_value_comes_back() -> None:
    with rehearse(Berth) as desk:
        act(desk, "type nights 3", "tab", "focus nights", "type nights x", "focus port", "take_back")
        form: Any = desk.form
        assert (form.nights.value, form.nights.text) == (3, "3") and not form.nights.marker
        desk.close()


class Other(Form, title="Other"):
    boat = Text("Boat")

    @Form.opened
    def fill(self) -> None:
        self.boat.value = "Skua"


class Opens(Form, title="Opens"):
    """A form that changes something, and shows another one."""

    boat = Text("Boat")
    show_it = Button("Show it")

    @show_it.clicked
    def open_other(self) -> None:
        self.boat.value = "Tern"
        self.show(Other)


def test_a_form_that_was_opened_stays_as_it_is() -> None:
    with rehearse(Opens) as desk:
        act(desk, "press show_it", "to_front Opens", "take_back")
        other: Any = desk.session.find(Other)
        assert (desk.at(Opens).boat.value, other.boat.value) == ("", "Skua")
        act(desk, "close", "close")


def visit() -> Desk:
    return Desk(Scene(Visit, records=rows(), at=1)).__enter__()


def lines_of(desk: Desk) -> list[tuple[Any, ...]]:
    form: Any = desk.form
    return [(line.what.value, line.count.value, line.price.value) for line in form.extras]


AS_STORED = [("crane", 1, Decimal(40)), ("power", 2, Decimal(3))]


def test_a_removed_line_comes_back_with_what_was_in_it() -> None:
    desk = visit()
    act(desk, "remove_line extras[1]", "focus vessel", "take_back")
    assert lines_of(desk) == AS_STORED
    act(desk, "type extras[1].count 7", "focus vessel", "record save")
    assert desk.session.view.notice == "" and not desk.session.view.takes_back


@pytest.mark.parametrize(
    ("where", "cells", "after"),
    [
        ("extras[1].what", "water\t3\t5\npower\t2", [AS_STORED[0], ("water", 3, Decimal(5)), ("power", 2, Decimal(3))]),
        ("extras[0].count", "4\r\n5\r\n", [("crane", 4, Decimal(40)), ("power", 5, Decimal(3))]),
        ("extras", '"water"\t3\t\t', [*AS_STORED, ("water", 3, None)]),
        ("extras[1].count", '"4"\n', [AS_STORED[0], ("power", 4, Decimal(3))]),
        ("extras", "", AS_STORED),
    ],
)
def test_rows_are_pasted_as_if_they_were_typed_and_taken_back_as_one(where: str, cells: str, after: list[Any]) -> None:
    desk = visit()
    desk.paste_rows(where, cells)
    assert lines_of(desk) == after
    if cells:
        desk.take_back()
    assert lines_of(desk) == AS_STORED


@pytest.mark.parametrize(
    ("where", "cells", "why"),
    [
        ("extras[1].count", "2\nx", "row 2: Count: 'x' isn't a whole number"),
        ("extras[1].count", "2\t3\t9", "row 1: Amount can't be filled in"),
        ("extras[1].count", "2\t3\t\t1", "row 1 has 4 cells, and from here on a line has 3 entries"),
        ("extras", "water\nwater\nwater", "row 3: four are enough"),
        ("extras", "\n" * 1001, "1001 rows are more than the 1000 that can be pasted at once"),
        ("extras", "x" * 48_001, "this is more than 48000 bytes"),
    ],
)
def test_what_does_not_fit_is_refused_in_words_and_nothing_changes(where: str, cells: str, why: str) -> None:
    desk = visit()
    with pytest.raises(Refused) as refused:
        desk.paste_rows(where, cells)
    assert refused.value.reason == desk.session.view.notice
    assert why in refused.value.reason
    assert lines_of(desk) == AS_STORED and not desk.session.view.takes_back


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("a\tb\nc\r\n", [["a", "b"], ["c"]]),
        ("a\t\n\n\tb", [["a", ""], [""], ["", "b"]]),
        ('"two\nlines"\t"say ""ho"""\r5" pipe', [["two\nlines", 'say "ho"'], ['5" pipe']]),
        ('"open', [['"open']]),
        ('"a" b\t', [['"a" b', ""]]),
        ("", []),
    ],
)
def test_cells_are_read_as_spreadsheets_copy_them(text: str, rows: list[list[str]]) -> None:
    assert cells_of(text) == rows


class Guest(Group):
    """A guest, with a number that is masked."""

    name = Text("Name")
    pin = Text("PIN", look="password")
    stays = Tick("Stays")
    call = Button("Call")


class Guests(Form, title="Guests"):
    """Guests in lines."""

    guests = Lines(Guest, "Guests")
    name = Text("Name")


def test_pasted_passwords_are_masked_and_cells_tick_boxes() -> None:
    with rehearse(Guests) as desk:
        desk.add_line("guests")
        desk.paste_rows("guests[0].name", "Abel\t4711\tyes\nBerta\t4712\tno")
        form: Any = desk.form
        assert [line.stays.value for line in form.guests] == [True, False]
        assert "4711" not in desk.trace.to_jsonl() + desk.as_cues()
        for elsewhere in ("name", "guests[0].call"):
            with pytest.raises(Refused, match="isn't in a list of lines"):
                desk.paste_rows(elsewhere, "a\tb")
        with pytest.raises(Refused, match="'perhaps' isn't yes or no"):
            desk.paste_rows("guests[0].stays", "perhaps")
        desk.close()


class Crowd(Guests):
    """Guests whose handler runs for each of them."""

    seen = 0

    @Guests.guests.line_changed
    def see(self) -> None:
        """Count."""
        self.seen += 1


def test_a_thousand_rows_blow_no_fuse() -> None:
    with rehearse(Crowd, max_runs=50) as desk:
        desk.paste_rows("guests", "Abel\n" * 1000)
        form: Any = desk.form
        assert (len(form.guests), form.seen) == (1000, 1000)
        desk.take_back()
        assert not len(form.guests) and not form.seen
        desk.close()
