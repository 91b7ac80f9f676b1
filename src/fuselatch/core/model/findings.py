"""Findings: what a check found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple, TypeAlias

Level: TypeAlias = Literal["refuse", "warn"]


class Finding(NamedTuple):
    """A problem that a check found: `text`, `level` ("refuse" or "warn") and `rule`.

    With `while_typing`, it is shown before its control is left.
    """

    text: str
    level: Level = "refuse"
    rule: str = ""
    while_typing: bool = False


@dataclass(frozen=True, slots=True)
class Marker:
    """The finding that a control shows. It is false if there is none."""

    text: str = ""
    level: Level | Literal[""] = ""

    def __bool__(self) -> bool:
        return self.level != ""


NO_MARKER = Marker()


def warn(message: str) -> Finding:
    """Return a finding that the user can confirm. `message`: the text for the user."""
    return Finding(message, "warn")


@dataclass(frozen=True, slots=True)
class Override:
    """A warning that a user confirmed: the control, text, user and time (ISO 8601)."""

    control: str
    text: str
    user: str
    when: str
