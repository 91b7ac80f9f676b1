"""Rows of a trace: bare tuples of text and immutable values taken at once, since a gesture makes some ten of them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any, Final, TypeAlias

from fuselatch.core.model.values import short_text

ATOMS: Final = frozenset({str, int, float, bool, type(None), Decimal, date, time, datetime})
"""Types whose instances an entry may hold as they are."""

FIRST_FEW = 3
Row: TypeAlias = tuple[int, str, str, str, str, Any, Any]
"""Cause, kind, form, control, name, old, new."""


def add_row(
    rows: list[Row], cause: int, kind: str, form: str, control: str, name: str, old: object = None, new: object = None
) -> int:
    """Add one row and give its number."""
    if old is not None and type(old) not in ATOMS:
        old = freeze(old)
    if new is not None and type(new) not in ATOMS:
        new = freeze(new)
    rows.append((cause, kind, form, control, name, old, new))
    return len(rows)


def freeze(value: object) -> object:
    """A value as the trace keeps it: an atom as it is, a list as its count and first few, else its text.

    No address, set order or id gets in: a default repr, which shows an address, gives way to the
    name of the type.
    """
    if type(value) in ATOMS:
        return value
    if isinstance(value, Sequence) and not isinstance(value, str | bytes):
        few = ", ".join(plain(item) for item in value[:FIRST_FEW])
        return f"{len(value)}: {few}{', …' if len(value) > FIRST_FEW else ''}" if len(value) else "0"
    if isinstance(value, set | frozenset | dict):
        return f"{type(value).__name__} of {len(value)}"
    return plain(value)


def plain(value: object) -> str:
    """An object's text on one line, without addresses."""
    if isinstance(value, str):
        return str.__str__(value)
    if type(value).__str__ is object.__str__ and type(value).__repr__ is object.__repr__:
        return f"<{type(value).__name__}>"
    try:
        text = " ".join(str(value).split())
    except Exception:
        return f"<{type(value).__name__}>"
    return f"<{type(value).__name__}>" if " at 0x" in text else short_text(text)
