"""Defaults that are told by where they come from: a place among the choices, or what was entered last."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fuselatch.core.model.errors import DeclarationError


class Nth:
    """A default that is told by its place among the choices: `NTH(2)` is the second one offered, `FIRST` the first."""

    __slots__ = ("place",)

    def __init__(self, place: int) -> None:
        if not isinstance(place, int) or place < 1:
            raise DeclarationError(f"NTH({place!r}): the first choice is NTH(1)")
        self.place = place

    def among(self, choices: Sequence[Any]) -> Any:
        """The choice of this place, or None."""
        return choices[self.place - 1] if self.place <= len(choices) else None

    def __repr__(self) -> str:
        return "FIRST" if self.place == 1 else f"NTH({self.place})"


def NTH(place: int) -> Any:
    """The default that is the choice of a place, counted from 1."""
    return Nth(place)


FIRST: Any = Nth(1)
"""The default that is the first choice."""


class Last:
    """The default that is the last value entered: what the record (or form) kept before had here, in this session."""

    __slots__ = ()

    def __repr__(self) -> str:
        return "LAST"


LAST: Any = Last()
"""The default that is the last value entered here in this session, blank at first."""
