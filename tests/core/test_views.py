"""Views: pointing in pairs, the form's surface, passwords, messages, choices in reach."""

from __future__ import annotations

import threading
from collections.abc import Iterable
from types import new_class
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fuselatch import (
    Button,
    Catalog,
    Choice,
    Choices,
    Form,
    Group,
    HandlerFailed,
    Label,
    NotAllowedHere,
    Number,
    Picture,
    Row,
    Text,
    Tick,
    UnknownName,
)
from fuselatch.core.model.choices import item_id, position_of_id
from fuselatch.core.model.properties import PROPERTIES, ROWS
from fuselatch.core.model.typing_ahead import Scan, folded
from fuselatch.core.model.view import ControlView
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.stores import MemoryRecords, StoreRefused
from tests.helpers import examples, told


class Side(Form):
    """A dialog of one button."""

    ok = Button("OK", closes="accepted")


class Berths(Group):
    """A group with a row."""

    count = Number("Count", unit="m", placeholder="how many")
    kind = Choice("Kind", choices=tuple(range(200)), look="list")
    both = Row("Side by side", count, kind)


def pointing(desk: Desk, start: int) -> list[str]:
    """Return the pointer events since an entry."""
    return [line for line in told(desk.trace[start:], "event") if "hovered" in line]


def test_a_rule_can_not_read_the_clock() -> None:
    class Clock(Form):
        a = Label("A", value=lambda form: str(form.session.now()))

    with pytest.raises(HandlerFailed, match=r"a rule can't read now\(\), which differs at each moment"):
        rehearse(Clock).__enter__()


# ---- what a view shares, and what it never does


class Boats(Form, records="boats"):
    """Follows what others write, by a rule that fails on a blank name."""

    boat = Text("Boat")
    initials = Label("Initials", value=lambda form: " ".join(row["boat"][0] for row in form.session.records.rows("boats")))
    many = Choice("Many", choices=Catalog("boats", text="boat", value="id"), multiple=True)
    other = Choice("Other", choices=Catalog("boats", text="boat", value="id"))


def at_work(boats: Iterable[str] = ("Eider", "Teal", "Teal")) -> tuple[Session, MemoryRecords]:
    store = MemoryRecords(
        {"boats": [{"id": number, "boat": boat} for number, boat in enumerate(boats, 1)]}, keys={"boats": "id"}
    )
    return Session(Boats, records=store), store


def test_a_store_that_is_gone_does_not_take_the_view_with_it() -> None:
    session, store = at_work()
    with session:
        session.feed(Gesture(verb="type", control="boat", text="Old Eider"))

        def gone(*given: object) -> Any:
            raise StoreRefused("the disk is gone")

        for name in ("version", "read", "write"):
            setattr(store, name, gone)
        session.feed(Gesture(verb="record", text="save"))
        view = session.view
        assert (
            view.prompt
            and view.prompt.title == "Not saved"
            and view.forms[0].record
            and view.forms[0].record.text == "1 of 3"
        )
        assert view.forms[0].changed and view.forms[0].record.changed


VALUES = st.one_of(
    st.text(max_size=5), st.integers(), st.decimals(allow_nan=False), st.dates(), st.booleans(), st.floats(allow_nan=False), st.tuples(st.integers())
)  # fmt: skip


@given(st.lists(VALUES, min_size=1, max_size=9, unique_by=lambda value: (type(value), value)))
def test_an_id_leads_to_its_item(values: list[Any]) -> None:
    choices = Choices(values)
    for at, value in enumerate(values):
        found = position_of_id(choices, item_id(choices, at))
        assert found is not None and values[found] == value


@examples(0.25)
@given(st.lists(st.text("abé -", max_size=6), min_size=60, max_size=200), st.integers(1, 70))
def test_idle_work_changes_no_result(texts: list[str], items: int) -> None:
    at_once, in_parts = Choices(range(len(texts)), texts), Choices(range(len(texts)), texts)
    while in_parts.index_some(items):
        assert not in_parts.is_indexed()
    scan = Scan(texts, folded)
    for typed in ("", "a", "b", "é", "ab", "ab", "a b", " ", "b"):
        assert at_once.ahead(typed) == in_parts.ahead(typed)
        counted = at_once.ahead_index().count(typed.strip())
        assert counted == len(at_once.ahead(typed, 1000)) == scan.count(typed.strip())
        for most in (1, 3, 50):
            assert scan.find(typed.strip(), most) == at_once.ahead_index().find(typed.strip(), most)
        assert sorted(scan.exact(folded(typed))) == sorted(at_once.ahead_index().exact(folded(typed)))


@given(st.lists(VALUES, min_size=1, max_size=30), VALUES)
def test_long_lists_find_items_as_short_ones_do(values: list[Any], other: Any) -> None:
    short = Choices(values)
    long = Choices((*values, *range(-30_000, 0)))
    for item in (*values, other, [1]):
        for _ in range(2):
            found = long.position(item)
            assert found == short.position(item) or (found is not None and found >= len(values))
    while long.index_some(700):
        pass
    assert [long.position(item) for item in values] == [short.position(item) for item in values]


def test_only_the_sessions_thread_may_look() -> None:
    session, _ = at_work([f"Boat {number}" for number in range(100)])
    said: list[str] = []

    def look() -> None:
        for what in (lambda: session.view, lambda: session.trace, lambda: session.why("boat"), session.idle):
            try:
                what()
            except NotAllowedHere as error:
                said.append(str(error))

    thread = threading.Thread(target=look)
    thread.start()
    thread.join(300)
    assert said == ["a session can only be used from the thread that created it"] * 4
    with session:
        assert session.idle(10)
        while session.idle(1000):
            pass
        assert len(session.choices(session.control("other"), 90, 200)) == 10
        session.feed(Gesture(verb="to_front", text="Boats"))
        with pytest.raises(UnknownName, match="'Bots' isn't open"):
            session.feed(Gesture(verb="to_front", text="Bots"))


class Limits(Form):
    """Texts of several lengths, and a list that takes other texts."""

    some = Text("Some", max_length=2_500)
    more = Text("More", max_length=2_501)
    listed = Choice("Listed", look="list", choices=("port", "bow"))
    other = Choice("Other", look="list", choices=("port", "bow"), other=True)


def part_of(control: ControlView) -> Any:
    return control.part


def test_the_view_says_how_long_a_text_may_be_and_which_keys_a_list_takes() -> None:
    with rehearse(Limits) as desk:
        some, more, listed, other = desk.session.view.forms[0].controls
        assert (part_of(some).longest, part_of(more).longest) == (10_000, 48_000)
        assert {"Home", "End", "Down"} <= {*listed.takes} and {*other.takes} & {"Home", "End", "Down"} == {"Down"}
        desk.close()


PLANS = {"port": Picture(b"GIF89a port"), "starboard": Picture(b"\x89PNG\r\n\x1a\n starboard")}


class Pier(Form, tabs=True):
    """A form with a picture that a rule chooses, and entries that rules disable."""

    side = Choice("Side", choices=("port", "starboard"))
    lit = Tick("Lit", default=True)
    plan = Label("Plan", picture=lambda form: PLANS.get(form.side.value), alt=lambda form: f"To {form.side.value}")
    lamps = Number("Lamps", enabled=lambda form: form.lit.value and form.side.value is not None)
    berths = Berths("Berths", enabled=lambda form: form.lit.value)


SHOWN: list[tuple[Any, dict[str, Any], dict[str, Any]]] = [
    (
        Text,
        {},
        {"enabled": False, "required": True, "read_only": True, "caption": "Ship", "help": "as painted", "tone": "warning"},
    ),
    (
        Text,
        {},
        {
            "autocomplete": "email",
            "inputmode": "email",
            "spellcheck": True,
            "placeholder": "as painted",
            "keys": "Ctrl+R",
            "max_length": 3,
            "pattern": "[A-Z]+",
        },
    ),
    (Number, {"default": 1.5}, {"minimum": 2.0, "maximum": 20.0, "decimals": 3, "unit": "m", "value": 9.5}),
    (Choice, {"choices": ("port", "bow")}, {"choices": ("bow",), "look": "list", "placeholder": "side"}),
    (
        Label,
        {"picture": PLANS["port"], "alt": "To port"},
        {"picture": PLANS["starboard"], "alt": "Aft", "value": "seen from above"},
    ),
    (Button, {}, {"closes": "accepted", "tone": "danger", "visible": False}),
]


def test_each_option_is_shown_by_its_own_field() -> None:
    def shown(kind: Any, options: dict[str, Any]) -> dict[str, Any]:
        if "value" in options and kind is not Label:
            options = {**options, "default": options["value"]}
            del options["value"]
        control = kind(options.pop("caption", "Hull"), **options)
        with rehearse(new_class("Ship", (Form,), {}, lambda body: body.update(first=Text("First"), hull=control))) as desk:
            controls: list[dict[str, Any]] = desk.session.view.to_dict()["forms"][0]["controls"]
        return next((each for each in controls if each["name"] == "hull"), {})

    # The number of decimals is in the text, too.
    fields = {row.field for row in ROWS} - {"text"}
    for kind, usual, options in SHOWN:
        for option, value in options.items():
            before, after = shown(kind, dict(usual)), shown(kind, {**usual, option: value})
            field = PROPERTIES[option].field
            differs = {each for each in before if before[each] != after.get(each)}
            assert field in differs and not differs & fields - {field} if field else not after, (kind, option, differs)


def test_a_picture_and_why_a_control_is_disabled_are_in_the_view() -> None:
    with rehearse(Pier) as desk:
        session = desk.session

        def seen(name: str) -> Any:
            return next(each for each in session.view.forms[0].controls if each.name == name)

        assert session.view.forms[0].tabs and (seen("plan").part.picture, seen("plan").part.alt) == ("", "")
        assert seen("lamps").disabled_by == ("Lit", "Side") and not seen("lamps").enabled
        desk.untick("lit")
        assert seen("lamps").disabled_by == ("Lit",), "it is still disabled, but by less"
        desk.at(Pier).lit.caption = "On"
        assert seen("lamps").disabled_by == seen("berths.count").disabled_by == ("On",)
        desk.tick("lit")
        desk.pick("side", "port")
        assert (seen("plan").part.picture, seen("plan").part.alt) == (PLANS["port"].id, "To port")
        assert session.picture(PLANS["port"].id) is PLANS["port"] and session.picture(PLANS["starboard"].id) is None
        assert seen("lamps").disabled_by == () and (seen("plan").takes_focus, seen("side").takes_focus) == (False, True)
        desk.untick("lit")
        assert seen("berths.count").disabled_by == ("On",)
        desk.at(Pier).plan.visible = False
        assert session.picture(PLANS["port"].id) is None
    assert PLANS["port"] == Picture(b"GIF89a port") != PLANS["starboard"] and len({*PLANS.values()}) == 2
    with pytest.raises(TypeError, match=r"expected bytes, as Path.read_bytes\(\) returns them, not 'a.png'"):
        Picture("a.png")  # type: ignore[arg-type]
    for data, message in (
        (b"plain text", "not a picture"),
        (b"GIF8" + b"x" * (4 << 20), "4,194,308 bytes; the most is 4,194,304"),
    ):
        with pytest.raises(ValueError, match=message):
            Picture(data)
