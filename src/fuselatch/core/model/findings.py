"""Findings: what a check has to say about a value."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple, TypeAlias

Level: TypeAlias = Literal["refuse", "warn"]


class Finding(NamedTuple):
    """One thing a check found: `text` for the person, `level` ("refuse" or "warn"), `rule` its name.

    An `while_typing` one is shown before its control has been left.
    """

    text: str
    level: Level = "refuse"
    rule: str = ""
    while_typing: bool = False


@dataclass(frozen=True, slots=True)
class Marker:
    """The finding that a control shows; falsy where there is none."""

    text: str = ""
    level: Level | Literal[""] = ""

    def __bool__(self) -> bool:
        return self.level != ""


NO_MARKER = Marker()


def warn(message: str) -> Finding:
    """A finding that lets a person go on after one confirmation.

    Takes the text for the person; a check returns what this returns.
    """
    return Finding(message, "warn")


@dataclass(frozen=True, slots=True)
class Override:
    """A warning that a person went on in spite of: which, on what control, by whom and when (ISO 8601)."""

    control: str
    text: str
    user: str
    when: str
