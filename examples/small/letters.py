"""Lists whose items are always in sight: letters find items, and arrow keys move the pick."""

from __future__ import annotations

from fuselatch import Catalog, Choice, Form, Table
from fuselatch.scenes import Scene, scene
from fuselatch.stores import MemoryRecords

COLOURS = ("a blue", "a red", "cyan")


class Letters(Form, title="Hulls"):
    """The colour of a hull, in each kind of list."""

    radio = Choice("Radio", look="radio", choices=COLOURS)
    box = Choice("Box", look="list", choices=COLOURS)
    table = Table("Table", rows=Catalog("colours", text="name"), columns=("name",))
    fixed = Choice("Fixed", look="list", choices=("a", "b"), default="a", read_only=True)
    own = Choice("Own", look="list", choices=COLOURS, other=True)


@scene
def hulls() -> Scene:
    """Return the form with its colours."""
    return Scene(Letters, records=MemoryRecords({"colours": [{"name": each} for each in COLOURS]}))
