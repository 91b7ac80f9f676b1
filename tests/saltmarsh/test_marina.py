"""The marina: its data, its forms, and what random gestures do to them."""

from __future__ import annotations

import csv
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from saltmarsh import make_data, scenes, tables, tides
from saltmarsh.forms import BookingForm, VesselSearch
from saltmarsh.office import BerthTable, OfficeForm

from fuselatch import Refused, UnknownName
from fuselatch.core.forms.form import controls_of
from fuselatch.core.kinds.choice import LiveChoice
from fuselatch.core.model.gestures import VERBS
from fuselatch.rehearsal import rehearse
from tests.helpers import snapshot

DATA = Path(make_data.DATA)


def test_the_data_is_what_the_script_makes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(make_data, "DATA", tmp_path)
    make_data.main()
    made = {file.name: file.read_text() for file in tmp_path.iterdir()}
    assert made == {file.name: file.read_text() for file in DATA.iterdir()}
    counts = {name: len(list(csv.DictReader(text.splitlines()))) for name, text in made.items()}
    assert counts["piers.csv"] >= 6 and counts["berths.csv"] >= 60
    assert counts["vessels.csv"] == 250 and counts["bookings.csv"] == 400


def test_no_berth_is_booked_twice_for_a_night() -> None:
    nights = [(one.berth, one.arrival.toordinal() + night) for one in tables.bookings() for night in range(one.nights)]
    assert len(nights) == len(set(nights))


@pytest.mark.parametrize(
    ("length", "nights", "price"),
    [(7.9, 1, "27.20"), (8.0, 2, "54.40"), (8.1, 1, "34.00"), (31.0, 1, "102.00"), (None, 1, None), (8.0, None, None)],
)
def test_the_price_of_a_stay(length: float | None, nights: int | None, price: str | None) -> None:
    tariff = tables.tariff_on(scenes.quiet_monday().now.date())
    assert tariff.price(length, nights) == (None if price is None else Decimal(price))


WORDS = st.sampled_from(
    ["", " ", "3", "0", "44", "11.4", "1,5", "Ki", "North", "Outer", "N7", "O6", "Kittiwake", "Saltwort", "x" * 41, "é"]
)
OF_LINES = ["extras[0].what", "extras[0].count", "extras[1].price", "extras[2].what", "extras[0]", "extras[1]"]
FORMS = (BookingForm, VesselSearch, OfficeForm, BerthTable)
NAMES = [*(name for form in FORMS for name in form._plan.controls), *OF_LINES, "nothing"]
ANSWERS = [
    "Book anyway", "Change berth", "Go on", "Go back", "OK", "Book it", "Send to the office",
    "Save", "Don't save", "Cancel", "Remove",
]  # fmt: skip
RECORDS = ["next", "previous", "first", "last", "new", "save", "remove", "1004", "1037", "7"]
CELLS = st.lists(
    st.lists(st.sampled_from(["", "water", "power", "2", "4.50", "x"]), min_size=1, max_size=4), max_size=3
).map(lambda rows: "\n".join("\t".join(cells) for cells in rows))
GESTURES = st.one_of(
    st.tuples(st.just("type"), st.sampled_from(NAMES), WORDS),
    st.tuples(st.just("pick"), st.sampled_from(NAMES), st.one_of(WORDS, st.integers(0, 60))),
    st.tuples(st.sampled_from(["press", "focus", "tick", "untick", "clear"]), st.sampled_from(NAMES)),
    st.tuples(st.just("answer"), st.sampled_from(ANSWERS)),
    st.tuples(st.sampled_from(["tab", "back_tab", "close", "unhover", "press", "double"])),
    st.tuples(st.sampled_from(["hover", "double"]), st.sampled_from(NAMES)),
    st.tuples(st.just("record"), st.sampled_from(RECORDS)),
    st.tuples(st.just("to_front"), st.sampled_from(["BookingForm", "VesselSearch", "nothing"])),
    st.tuples(st.sampled_from(["add_line", "remove_line"]), st.sampled_from(["extras", *OF_LINES])),
    st.tuples(st.just("move_line"), st.sampled_from(OF_LINES), st.integers(0, 3)),
    st.tuples(st.sampled_from(["take_back", "cancel_call"])),
    st.tuples(st.just("paste_rows"), st.sampled_from(["extras", *OF_LINES]), CELLS),
    st.tuples(st.just("sort"), st.just("berths"), st.sampled_from(["name", "length", "beam"])),
    st.tuples(
        st.just("key"), st.sampled_from(["Enter", "Escape", "Backspace", "Space", "4", "Ctrl+R", "Shift+Tab", "nokey"])
    ),
)


@pytest.mark.parametrize(
    "answer", [b"<html>", b"[]", b"{}", b'{"metres": null}', b'{"metres": "low"}', b'{"metres": "NaN"}']
)
def test_a_wrong_answer_of_the_tide_office_is_one_kind_of_error(answer: bytes) -> None:
    with pytest.raises(ValueError):
        tides.metres_in(answer)


def test_the_tide_office_answers_over_http_and_fails_at_every_fifth_request(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(tides.ADDRESS, tides.stand_in(0))
    told: list[Any] = []
    for nights in range(1, 2 * tides.EVERY + 1):
        try:
            told.append(tides.lowest_water(date(2031, 5, 5), nights) == tides.predicted(date(2031, 5, 5), nights))
        except OSError as error:
            told.append(str(error))
    assert told == [*[True] * (tides.EVERY - 1), "HTTP Error 503: Service Unavailable"] * 2
    with pytest.raises(OSError, match="400"):
        tides.lowest_water(date(2031, 5, 5), "x")  # type: ignore[arg-type]
    assert tides.predicted(tides.SPRING_TIDE, 7) == Decimal("-0.5") < tides.predicted(date(2031, 5, 12), 1)


@given(st.lists(GESTURES, max_size=25), st.sampled_from([scenes.quiet_monday, scenes.office]))
def test_random_gestures_raise_only_what_is_declared(gestures: list[tuple[Any, ...]], scene: Any) -> None:
    desk = rehearse(scene)
    desk.__enter__()
    session = desk.session
    for verb, *words in gestures:
        if verb == "pick" and isinstance(words[1], int) and session.forms:
            words[1] = one_of_its_choices(desk.form, *words)
        before, lines = snapshot(session), len(desk.trace)
        try:
            getattr(desk, verb)(*words)
        except (Refused, UnknownName) as error:
            assert snapshot(session) == before, str(error)
            assert len(desk.trace) - lines <= 1 or verb == "paste_rows", "rows are tried before they are refused"
        assert all(entry.cause < entry.number for entry in desk.trace[lines:])
        sound(session)
    session.close()


def one_of_its_choices(form: Any, name: str, number: int) -> str:
    """Return the text of some choice, if there is one."""
    control = controls_of(form).get(name)
    choices = control.choices.shown() if isinstance(control, LiveChoice) else []
    return choices[number % len(choices)] if choices else "none"


def sound(session: Any) -> None:
    """Check the invariants after any gesture."""
    if not session.forms:
        return
    for control in controls_of(session.front).values():
        if isinstance(control, LiveChoice):
            assert control.value is None or control.value in control.choices or control.findings
        if control.focused:
            assert control.enabled and control.visible
    form = session.forms[0]
    if isinstance(form, BookingForm):
        assert form.price.value == form.price_of_stay()
    if isinstance(form, OfficeForm):
        assert form.total.value == form.sum_up()
        assert [line.path for line in form.extras] == [f"extras[{at}]" for at in range(len(form.extras))]


def test_every_verb_is_among_the_random_gestures() -> None:
    made = "type pick press focus tick untick answer tab back_tab close hover unhover double key open to_front record sort"
    assert set(VERBS) == {*made.split(), "add_line", "remove_line", "move_line", "take_back", "cancel_call", "paste_rows"}
