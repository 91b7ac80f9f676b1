"""The faults that are planted in examples/faults, and how long a search takes to find one."""

from __future__ import annotations

from typing import Any, Final

from faults import quay

from fuselatch import Form
from fuselatch.exploring.faults import Fault
from fuselatch.exploring.search import Search
from fuselatch.exploring.world import load_start
from fuselatch.scenes import Scene

WITHIN = 50_000
PART = 25_000


def unready() -> Scene:
    """Return a scene that can't be made."""
    return Scene(quay.Divided, user=quay.PRICES["Houseboat"])


PLANTED: Final[dict[type[Form], tuple[str, int]]] = {
    quay.Unpriced: ("failed Unpriced.work_out: KeyError", 3),
    quay.Divided: ("failed the rule share.value: ZeroDivisionError", 2),
    quay.Swinging: ("fuse Swinging", 3),
    quay.Endless: ("endless look_for", 2),
    quay.Locked: ("trap Locked", 1),
    quay.Sealed: ("dead end Sealed", 1),
    quay.Stubborn: ("refusal Stubborn.deposit", 1),
    quay.Hollow: ("blank Hollow.vessel", 5),
    quay.Remembering: ("untracked Remembering.called.value", 2),
    quay.Ticking: ("untracked Ticking.stamp.value", 1),
    quay.Misread: ("failed Misread.look_up: KeyError", 4),
    quay.Waiting: ("failed Waiting.get_water: IndexError", 2),
    quay.Tired: ("failed Tired.agree: TypeError", 5),
}
"""The key of each fault, and the gestures that show it by hand."""


def found_after(scene: Any, key: str, seed: int) -> tuple[int, int] | None:
    """Return after how many gestures a fault is found and how many show it, or None if 50,000 don't find it."""

    class Until(Search):
        """A search that ends with its fault."""

        def add(self, fault: Fault) -> None:
            super().add(fault)
            if fault.key.startswith(key):
                self.budget.cut = "found"

    for part in range(WITHIN // PART):
        done = Until(load_start(scene), f"{seed}/{part}", PART, None, {}).run()
        for fault in done.faults:
            if fault.key.startswith(key):
                return done.gestures + part * PART, len(fault.acts)
    return None
