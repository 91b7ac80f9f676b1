"""Sort texts by the Unicode Collation Algorithm, if PyICU is installed (`fuse-latch[collation]`)."""

from __future__ import annotations

from importlib import import_module
from typing import Any


def collator_of(locale: str) -> object:
    """Return what sorts texts in a locale; None without PyICU."""
    try:
        icu: Any = import_module("icu")
    except ImportError:
        return None
    return icu.Collator.createInstance(icu.Locale(locale))


def sort_key(collator: Any, text: str, folded: str) -> object:
    """Return a key that sorts a text as the locale does; without a collator, as it is folded."""
    return (folded, text) if collator is None else collator.getSortKey(text)
