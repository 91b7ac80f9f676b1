"""Faults: what the walker found, and the cue sheets that show it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from fuselatch.core.engine.looking.possible import Act
from fuselatch.core.model.json_text import Plain
from fuselatch.report.cue_words import written

KINDS: Final[Mapping[str, str]] = {
    "failed": "code that fails",
    "fuse": "a loop that the fuse stops",
    "endless": "a handler that never ends",
    "library": "an error of Fuse Latch itself",
    "trap": "a form that can't be left",
    "dead end": "a form that can't be accepted any more",
    "refusal": "a refusal that stays, whatever is entered",
    "blank": "accepted though something required is blank",
    "untracked": "a rule that depends on what it isn't told about",
    "order": "entries whose order matters",
}
"""The kinds of faults, in the order of a report. The last is a note: it is often meant."""
NO_CONNECTION: Final = ConnectionError
"""The error when a search lets a slow call fail."""
NOTES: Final = frozenset({"order"})


@dataclass(slots=True)
class Fault:
    """A fault: its kind (one of `KINDS`), a key that stays the same from run to run, and what happens in words.

    `acts`: the user's gestures. `ends`: the last lines of its cue sheet, which fail as long as it has the fault. `sheet`:
    the cue sheet. `reason`: why it is accepted, if it is. `is_shown`: False if its cue sheet passes.
    """

    kind: str
    key: str
    text: str
    acts: tuple[Act, ...]
    ends: tuple[str, ...] = ()
    where: str = ""
    sheet: str = ""
    reason: str = ""
    is_shown: bool = True

    @property
    def is_note(self) -> bool:
        """True if it is told, but isn't an error."""
        return self.kind in NOTES

    def to_dict(self) -> Plain:
        """Return it as plain dicts, lists and text, for JSON."""
        return {
            "kind": self.kind, "key": self.key, "text": self.text, "where": self.where, "sheet": self.sheet,
            "reason": self.reason, "shown": self.is_shown,
        }  # fmt: skip


def step_of(act: Act) -> str:
    """Return a line of a cue sheet that does something."""
    verb, control, text = act
    if verb == "type":
        return written("paste", [control, text]) if text else written("clear", [control])
    if verb == "fail":
        return written(verb, [control, text, NO_CONNECTION.__name__])
    return written(verb, [word for word in (control, text) if word] or ([""] if verb == "answer" else []))


def cue_lines(fault: Fault, opening: Sequence[str]) -> list[str]:
    """Return the lines of a fault's cue sheet. It fails as long as there is the fault."""
    return [
        f"# {fault.text}",
        *opening,
        "",
        *map(step_of, fault.acts),
        *fault.ends,
    ]


@dataclass(slots=True)
class Tried:
    """The work of one search: gestures fed, states found, faults; and what cut it short ("" if nothing did).

    `accepted`, `unaccepted`: the forms that were accepted, and those that a first search for it didn't get accepted.
    `made`: how often each gesture was chosen, by form, verb and control (for a key: its text; for an answer: its prompt and
    text). `refused`: the services whose calls were refused, since they have no stand-in. `without_result`: the functions of
    slow calls that never returned, since they have neither a stand-in nor a known return type.
    """

    gestures: int = 0
    states: int = 0
    faults: list[Fault] = field(default_factory=list)
    behaviour: Plain = field(default_factory=dict)
    cut: str = ""
    accepted: list[str] = field(default_factory=list)
    unaccepted: list[str] = field(default_factory=list)
    made: dict[tuple[str, str, str], int] = field(default_factory=dict)
    refused: list[str] = field(default_factory=list)
    without_result: list[str] = field(default_factory=list)
