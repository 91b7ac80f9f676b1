"""Rows of a trace: bare tuples, because a gesture makes about ten of them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any, Final, TypeAlias

from fuselatch.core.model.values import short_text

ATOMS: Final = frozenset({str, int, float, bool, type(None), Decimal, date, time, datetime})
"""Types whose values an entry stores as they are."""

FIRST_FEW = 3
TraceRow: TypeAlias = tuple[int, str, str, str, str, Any, Any]
"""Cause, kind, form, control, name, old, new."""


def add_row(
    rows: list[TraceRow], cause: int, kind: str, form: str, control: str, name: str, old: object = None, new: object = None
) -> int:
    """Add one row; return its number."""
    if old is not None and type(old) not in ATOMS:
        old = freeze(old)
    if new is not None and type(new) not in ATOMS:
        new = freeze(new)
    rows.append((cause, kind, form, control, name, old, new))
    return len(rows)


def freeze(value: object) -> object:
    """Return a value as the trace stores it.

    A list is its count and first items; anything else is its text. Addresses, set order and ids never get in.
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
    """Return an object's text on one line, without addresses."""
    if isinstance(value, str):
        return str.__str__(value)
    if type(value).__str__ is object.__str__ and type(value).__repr__ is object.__repr__:
        return f"<{type(value).__name__}>"
    try:
        text = " ".join(str(value).split())
    except Exception:
        return f"<{type(value).__name__}>"
    return f"<{type(value).__name__}>" if " at 0x" in text else short_text(text)
