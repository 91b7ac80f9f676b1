"""Slow calls: what a handler waits for, as whoever runs the session carries it out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final, Literal, NamedTuple, TypeAlias

End: TypeAlias = Literal["finished", "failed", "timed_out", "cancelled", "abandoned"]
"""How a slow call ends."""
ENDS: Final = ("finished", "failed", "timed_out")
"""The ends that come from whoever runs it, as the text of the gesture `slow_call`."""
REPORTED: Final = "reported"
"""The text of that gesture for progress, with `(done, of, text)` as its result."""


class SlowCall(NamedTuple):
    """A call that a handler waits for.

    `id`: lasts as long as it waits ("c3"). `name`: its handler's name, with a number from the second on that waits
    ("get_rate", "get_rate#2"). `timeout`: in seconds, or None. `progress`: the function takes `report=`, a function of
    `(done, of, text)`.
    """

    id: str
    name: str
    handler: str
    function: Callable[..., Any]
    args: tuple[object, ...]
    text: str
    timeout: float | None
    can_cancel: bool
    progress: bool


def reporter(tell: Callable[[tuple[float, float, str]], object]) -> Callable[..., None]:
    """Return what a function gets as `report`: it hands `(done, of, text)` to `tell`, and refuses anything else."""

    def report(done: float, of: float = 0, text: str = "") -> None:
        """Tell how far it is: `done` of `of`, and what is done now. It may be called as often as you like."""
        tell((float(done), float(of), str(text)))

    return report


class CallEnd(NamedTuple):
    """The end of a slow call, with its result, or the error that it raised."""

    how: End
    result: Any = None
