"""Deeds: what a kind of control does with a key, as data.

A kind yields deeds one after the other, and the engine carries each out before the kind continues. So a kind can look at the
effects of the last one, and nothing bypasses the undo log.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, Final, NamedTuple, TypeAlias


class Settle(NamedTuple):
    """Settle what is typed."""


class Enter(NamedTuple):
    """Enter a value in one step. `how`: the step's name in the trace."""

    value: object
    how: str = "pick"


class Write(NamedTuple):
    """Replace the draft."""

    text: str


class Put(NamedTuple):
    """Set something that the live control remembers, such as where the user is in an open list."""

    name: str
    value: object


class Press(NamedTuple):
    """Press it, if the key isn't held down."""


class DoubleClick(NamedTuple):
    """Double-click it, if the key isn't held down."""


class Raise(NamedTuple):
    """Raise an event that the kind declares with `Raises`. `new`: for the handler's `event.new`."""

    event: str
    new: object = None


class Done(NamedTuple):
    """Do nothing more: the key is used up."""


Deed: TypeAlias = Done | Raise | Settle | Enter | Write | Put | Press | DoubleClick
AtKey: TypeAlias = Callable[[Any, str], Iterator[Deed]]
"""A function that yields the deeds of a live control at a key. Without any, the key means the same as elsewhere."""

CHARACTER: Final = "character"
"""Stands for any key that is a single character."""


class Keys(dict[str, AtKey]):
    """The keys that a control takes, with what each does. `names` are what a view says of them."""

    __slots__ = ("names",)

    def __init__(self, keys: dict[str, AtKey]) -> None:
        super().__init__(keys)
        self.names: tuple[str, ...] = tuple(keys)


NO_KEYS: Final = Keys({})
