"""A rehearsal loads only the packages that it uses."""

from __future__ import annotations

import subprocess
import sys

import pytest

REHEARSED = """
import sys
before = {*sys.modules}
from fuselatch import Button, Choice, Form, Integer, Text, check
from fuselatch.rehearsal import rehearse
from fuselatch.stores import MemoryRecords

class Stay(Form, records="stays"):
    vessel = Text("Vessel", required=True)
    nights = Integer("Nights", minimum=1, default=2)
    pier = Choice("Pier", choices=("North", "South"))
    ok = Button("OK", closes="accepted")

    @check(nights)
    def whole_week(self, nights):
        return None if nights < 8 else "At most a week"

with rehearse(Stay, records=MemoryRecords({"stays": [{"vessel": "Eider", "nights": 2, "pier": None}]})OPTIONS) as desk:
    desk.type("nights", "9")
    desk.focus("pier")
    desk.pick("pier", "North")
    desk.type("nights", "3")
    STEP
    desk.press("ok")
assert desk.outcome.accepted
tops = {name.partition(".")[0] for name in {*sys.modules} - before}
print(*sorted(top for top in tops if top not in sys.stdlib_module_names and top[0] != "_" and "__" not in top))
"""


@pytest.mark.parametrize(
    ("options", "step", "loaded"),
    [
        ("", "", "fuselatch greenlet"),
        ("", 'desk.type("vessel", "Møre")', "fuselatch greenlet"),
        (', locale="de"', "", "anyascii babel fuselatch greenlet"),
    ],
    ids=["rehearsed", "with other letters", "in a locale"],
)  # fmt: skip
def test_a_rehearsal_loads_only_what_it_needs(options: str, step: str, loaded: str) -> None:
    program = REHEARSED.replace("OPTIONS", options).replace("STEP", step)
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, timeout=300, check=False)
    # An editable installation has a finder of its own, and the compiled core a part with underscores; PyICU is used wherever it is installed.
    assert done.returncode == 0, done.stderr
    assert done.stdout.replace("icu ", "").split() == loaded.split()
