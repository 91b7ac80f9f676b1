"""Rows of a trace: bare tuples, because a gesture makes about ten of them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time
from decimal import Decimal
from typing import Final, TypeAlias

from fuselatch.core.model.choices import Choices
from fuselatch.core.model.values import Value, short_text

ATOMS: Final = frozenset({str, int, float, bool, type(None), Decimal, date, time, datetime})
"""Types whose values an entry stores as they are."""
SMALL: Final = ATOMS - {str}

FIRST_FEW = 3
LONGEST_TRACED: Final = 200
"""The most characters of a text that an entry has as a whole."""
KEPT: Final = 50
"""How many it has of a longer one."""
LAST: Final[list[tuple[str, str]]] = [("", ""), ("", "")]
"""The last two long texts, and what entries have of them."""
TraceRow: TypeAlias = tuple[int, str, str, str, str, Value, Value]
"""Cause, kind, form, control, name, old, new."""


def add_row(
    rows: list[TraceRow], cause: int, kind: str, form: str, control: str, name: str, old: object = None, new: object = None
) -> int:
    """Add one row; return its number."""
    if type(old) not in SMALL and (type(old) is not str or len(old) > LONGEST_TRACED):
        old = freeze(old)
    if type(new) not in SMALL and (type(new) is not str or len(new) > LONGEST_TRACED):
        new = freeze(new)
    rows.append((cause, kind, form, control, name, old, new))
    return len(rows)


def freeze(value: object) -> object:
    """Return a value as the trace stores it.

    A list is its count and first items; anything else is its text. Addresses, set order and ids never get in.
    """
    if type(value) is str:
        return clipped(value)
    if type(value) in ATOMS:
        return value
    if isinstance(value, Choices):
        # People know the texts, not the keys.
        value = value.texts
    if isinstance(value, Sequence) and not isinstance(value, str | bytes):
        few = ", ".join(plain(item) for item in value[:FIRST_FEW])
        return f"{len(value)}: {few}{', …' if len(value) > FIRST_FEW else ''}" if len(value) else "0"
    if isinstance(value, set | frozenset | dict):
        return f"{type(value).__name__} of {len(value)}"
    return plain(value)


def clipped(text: str) -> str:
    """Return the beginning of a long text, with its length: each key in a field adds an entry with the whole text."""
    if len(text) <= LONGEST_TRACED:
        return text
    # At a key, the old text is the new one of the key before: entries share what they have of it.
    for known, cut in LAST:
        if known is text:
            return cut
    cut = f"{text[:KEPT]} [{len(text):,} characters]"
    LAST[:] = LAST[1], (text, cut)
    return cut


def plain(value: object) -> str:
    """Return an object's text on one line, without addresses."""
    if isinstance(value, str):
        return clipped(str.__str__(value))
    if type(value).__str__ is object.__str__ and type(value).__repr__ is object.__repr__:
        return f"<{type(value).__name__}>"
    try:
        text = " ".join(str(value).split())
    except Exception:
        return f"<{type(value).__name__}>"
    return f"<{type(value).__name__}>" if " at 0x" in text else short_text(text)
