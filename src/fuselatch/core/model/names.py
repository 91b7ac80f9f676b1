"""Suggesting the right name near a wrong one."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from difflib import get_close_matches

SHOWN = 8
"""How many names are listed where none is close."""


def suggest(wrong: str, names: Iterable[str], what: str = "it has") -> str:
    """What to say behind an unknown name: the closest right one, else the first few there are."""
    known = list(dict.fromkeys(names))
    by_folded = {name.casefold(): name for name in known}
    close = get_close_matches(wrong.casefold(), by_folded, n=1, cutoff=0.6)
    if close:
        return f"did you mean '{by_folded[close[0]]}'?"
    if not known:
        return "there is none"
    more = f", … ({len(known)} in all)" if len(known) > SHOWN else ""
    return f"{what} {', '.join(known[:SHOWN])}{more}"


class NoSuchName(AttributeError):
    """An attribute that isn't there. The closest name is looked for only when somebody reads the message."""

    def __init__(self, message: Callable[[], str]) -> None:
        super().__init__()
        self.message = message

    def __str__(self) -> str:
        return self.message()
