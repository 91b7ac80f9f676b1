"""A form whose handlers write rows of its own source: it is never in conflict with itself, and says what was saved."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from fuselatch import Button, Choice, Form, Group, Integer, Label, Lines, Money, Text
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords

BOATS = ({"id": 1, "name": "Teal", "fee": Decimal("9.80")}, {"id": 2, "name": "Eider", "fee": None})
GEAR = ({"id": 7, "boat": 1, "what": "rope"},)
sent: list[str] = []
"""The letters that went out."""


class Gear(Group):
    """One piece of gear."""

    id = Integer("No")
    what = Text("What")


class Noted(Form, title="Noted"):
    """Tells the clerk that something was noted."""

    ok = Button("OK", closes="accepted")


def add_and_rekey(records: Any) -> None:
    """Add a row, and give it other keys before it is written."""
    records.add("boats", {"id": 5, "name": "a"})
    records.change("boats", 5, {"id": 4})
    records.change("boats", 4, {"name": "b"})


def replace(records: Any) -> None:
    """Change a row, remove it, add it again, and change the new one."""
    records.change("boats", 2, {"name": "x"})
    records.remove("boats", 2)
    records.add("boats", {"id": 2, "name": "y"})
    records.change("boats", 2, {"name": "z"})


def swap_keys(records: Any) -> None:
    """Give a row another key, and its old key to a new row."""
    records.change("boats", 2, {"id": 3})
    records.change("boats", 3, {"name": "z"})
    records.add("boats", {"id": 2, "name": "n"})


def come_and_go(records: Any) -> None:
    """Add and remove a row, remove one whose key was edited, and add one again."""
    records.add("boats", {"id": 5})
    records.remove("boats", 5)
    records.change("boats", 2, {"id": 3})
    records.remove("boats", 3)
    records.add("boats", {"id": 5, "name": "c"})


STAGED: dict[str, Callable[[Any], None]] = {
    "rekey": add_and_rekey, "replace": replace, "swap": swap_keys, "come and go": come_and_go,
}  # fmt: skip


class Ledger(Form, title="Ledger", records="boats"):
    """The boats and their gear, with handlers that write the same rows."""

    id = Integer("No")
    name = Text("Name")
    fee = Money("Fee")
    gear = Lines(Gear, "Gear", records="gear", key="boat")
    place = Label("Place", value=lambda form: form.records.position_text)
    seen = Label("Seen", value="")
    keep = Button("Keep", submits=True, after_submit="same")
    charge = Button("Charge", enabled=lambda form: form.records.key is not None)
    rename = Button("Rename the gear")
    renumber = Button("Renumber", enabled=lambda form: form.records.key is not None)
    scrap = Button("Scrap", enabled=lambda form: form.records.key is not None)
    rig = Button("Rig")
    half = Button("Note and fail")
    again = Button("Note twice")
    way = Choice("Way", choices=tuple(STAGED))
    stage = Button("Stage")

    @charge.clicked
    def charge_five(self) -> None:
        """Change the shown row."""
        self.session.records.change("boats", self.records.key, {"fee": Decimal(5)})

    @rename.clicked
    def rename_gear(self) -> None:
        """Change the row of a line that is shown."""
        self.session.records.change("gear", 7, {"what": "tar"})

    @renumber.clicked
    def give_nine(self) -> None:
        """Change the key of the shown row."""
        self.session.records.change("boats", self.records.key, {"id": 9})

    @scrap.clicked
    def remove_own(self) -> None:
        """Remove the shown row."""
        self.session.records.remove("boats", self.records.key)

    @rig.clicked
    def save_twice(self) -> None:
        """Add a line, save, change it, and save again."""
        line = self.gear.add(what="oar")
        self.records.save()
        if line is not None:
            line.what.value = "oars"
        self.records.save()

    @half.clicked
    def fail_after_a_dialog(self) -> None:
        """Save a row, promise a letter, and fail once the dialog was closed."""
        self.session.records.add("boats", {"name": "Wren"})
        self.afterwards(sent.append, "letter", caption="Send the letter")
        self.open(Noted)
        self.name.value = "lost"
        raise KeyError("5/4/2031")

    @again.clicked
    def write_after_a_dialog(self) -> None:
        """Save a row, and then one that the store refuses."""
        self.session.records.add("boats", {"name": "Gull"})
        self.open(Noted)
        self.session.records.add("boats", {"id": 1})

    @stage.clicked
    def stage_rows(self) -> None:
        """Stage several changes of one row, and show the rows as they will be."""
        STAGED[self.way.required_value](self.session.records)
        rows = sorted((row["id"], row["name"]) for row in self.session.records.rows("boats"))
        self.seen.value = ", ".join(f"{key} {name}" for key, name in rows)


@scene
def ledger() -> Scene:
    """Return the ledger with two boats."""
    sent.clear()
    return Scene(Ledger, records=MemoryRecords({"boats": BOATS, "gear": GEAR}, keys={"boats": "id", "gear": "id"}))
