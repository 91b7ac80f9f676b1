"""Suggest the right name for a wrong one."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from difflib import get_close_matches

SHOWN = 8
"""How many names a hint lists."""


def closest(wrong: str, names: Iterable[str]) -> str | None:
    """Return the name most like a wrong one, or None if none is like it."""
    by_folded = {name.casefold(): name for name in names}
    close = get_close_matches(wrong.casefold(), by_folded, n=1, cutoff=0.6)
    return by_folded[close[0]] if close else None


def first_few(names: Iterable[str]) -> str:
    """Return the first few names, and how many there are if that is not all."""
    known = list(dict.fromkeys(names))
    more = f", … ({len(known)} in all)" if len(known) > SHOWN else ""
    return ", ".join(known[:SHOWN]) + more


def suggest(wrong: str, names: Iterable[str]) -> str:
    """Return the hint for an unknown name: the closest right name, or the first few there are."""
    known = list(names)
    close = closest(wrong, known)
    if close is not None:
        return f"did you mean '{close}'?"
    return f"choose from {first_few(known)}" if known else "there are none"


class NoSuchName(AttributeError):
    """An unknown attribute. The hint is computed only when the message is read."""

    def __init__(self, message: Callable[[], str]) -> None:
        super().__init__()
        self.message = message

    def __str__(self) -> str:
        return self.message()
