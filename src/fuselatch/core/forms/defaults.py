"""Defaults that name where they come from: a place among the choices, or the value that was entered last."""

from __future__ import annotations

from collections.abc import Sequence

from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.values import Value


class NthChoice:
    """The default `nth_choice(2)`: the choice at a 1-based place."""

    __slots__ = ("place",)

    def __init__(self, place: int) -> None:
        if not isinstance(place, int) or place < 1:
            raise DeclarationError(f"nth_choice({place!r}): the first choice is nth_choice(1)")
        self.place = place

    def among(self, choices: Sequence[object]) -> Value:
        """Return the choice at this place, or None if there are fewer."""
        return choices[self.place - 1] if self.place <= len(choices) else None

    def __repr__(self) -> str:
        return "first_choice()" if self.place == 1 else f"nth_choice({self.place})"


def nth_choice(place: int) -> Value:
    """Return a default: the choice at a place, 1 for the first.

    Raises `DeclarationError` for a place below 1.
    """
    return NthChoice(place)


def first_choice() -> Value:
    """Return a default: the first choice."""
    return NthChoice(1)


class LastEntered:
    """The default `last_entered()`; `first` is the default until something was entered."""

    __slots__ = ("first",)

    def __init__(self, first: object) -> None:
        self.first = first

    def __repr__(self) -> str:
        return "last_entered()" if self.first is None else f"last_entered(first={self.first!r})"


def last_entered(*, first: object = None) -> Value:
    """Return a default: the value that the user last submitted or saved here in this session.

    `first`: what the control starts with until there is one; a value, a function of the form, or another default. A blank
    field that was submitted counts as none.
    """
    return LastEntered(first)
