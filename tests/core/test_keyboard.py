"""The keyboard, as every front end has it: what is selected, and how one moves in lists."""

from __future__ import annotations

from typing import Any

import pytest

from fuselatch import Button, Catalog, Choice, Form, Number, Table, Text, Tick
from fuselatch.rehearsal import rehearse
from tests.helpers import act

BERTHS = {"berths": [{"name": name} for name in ("N1", "N2", "S1")]}


class Desk(Form):
    """An entry of each kind that a key treats in its own way."""

    count = Number("Count", default=1)
    berth = Choice("Berth", choices=tuple(f"Berth {number}" for number in range(1, 100)))
    wood = Choice("Wood", choices=("Ash", "Ashen", "Birch"), other=True)
    pier = Choice("Pier", choices=("North", "South", "West"), look="radio")
    extras = Choice("Extras", choices=("Power", "Water", "Waste"), multiple=True)
    fixed = Choice("Fixed", choices=("a", "b"), default="a", read_only=True)
    note = Text("Note", look="multi-line", default="one")
    places = Table("Places", rows=Catalog("berths", text="name"), columns=("name",))
    sure = Tick("Sure")
    ok = Button("OK")


# What is done after the focus was brought there by Tab, and what is seen then: text, list open, the item it is at, selected.
KEYS = [
    ("count", "", "1", False, "", True),
    ("count", "key 3", "3", False, "", False),
    ("count", "key End; key 3", "13", False, "", False),
    ("count", "focus count; key 3", "13", False, "", False),
    ("count", "key Delete", "", False, "", False),
    ("count", "key Right; key Delete", "1", False, "", False),
    ("count", "key Right; key Ctrl+A; key Backspace", "", False, "", False),
    ("count", "key 3; key Escape", "1", False, "", False),
    ("berth", "key Down", "", True, "Berth 1", True),
    ("berth", "key Down; key Down; key PageDown; key Up", "", True, "Berth 11", True),
    ("berth", "key Alt+Down; key End; key Enter", "Berth 99", False, "", True),
    ("berth", "key Alt+Down; key End; key Escape", "", False, "", True),
    ("berth", "key Alt+Down; key Alt+Up", "", False, "", True),
    ("berth", "pick berth 'Berth 50'; key Alt+Down; key Home", "Berth 50", True, "Berth 1", True),
    ("berth", "key Home", "", False, "", False),
    ("berth", "key 7", "7", True, "Berth 7", False),
    ("berth", "key 7; key Down", "7", True, "Berth 70", False),
    ("berth", "key 7; key Down; key Backspace", "", True, "", False),
    ("wood", "key a", "a", True, "", False),
    ("wood", "key a; key Down", "a", True, "Ash", False),
    ("wood", "key a; key Down; tab; back_tab", "Ash", False, "", True),
    ("pier", "key Down", "North", False, "", False),
    ("pier", "key Up", "West", False, "", False),
    ("pier", "key End; key PageUp; key Down", "South", False, "", False),
    ("pier", "key Alt+Down", "", False, "", False),
    ("extras", "key Down; key Space; key End; key Enter", "Power, Waste", True, "Waste", False),
    ("extras", "key Down; key Space; key Space; key x", "", True, "Power", False),
    ("extras", "key Down; key Space; tab; back_tab", "Power", False, "", False),
    ("fixed", "key Down; key Alt+Down; key End; key x; key Delete", "a", False, "", False),
    ("note", "key s", "ones", False, "", False),
    ("note", "key Ctrl+A; key Enter", "\n", False, "", False),
    ("places", "key Down; key Down", "N2", False, "", False),
    ("places", "key End", "S1", False, "", False),
    ("sure", "key Space; key Down", "yes", False, "", False),
    ("ok", "key Down; key Delete; key Ctrl+A", "", False, "", False),
]  # fmt: skip


@pytest.mark.parametrize(("name", "steps", "text", "is_open", "item", "selected"), KEYS)
def test_keys(name: str, steps: str, text: str, is_open: bool, item: str, selected: bool) -> None:
    with rehearse(Desk, records=BERTHS) as desk:
        while not desk.session.control(name).focused:
            desk.tab()
        act(desk, *(step.strip() for step in steps.split(";") if step))
        seen: Any = next(control for control in desk.session.view.forms[0].controls if control.name == name)
        listed, at_item = getattr(seen.part, "list_open", False), getattr(seen.part, "at_item", "")
        assert (seen.text, listed, at_item.lstrip("="), seen.selected) == (text, is_open, item, selected)
        assert not at_item or at_item in [choice.id for choice in seen.part.choices]
