"""Mask what was typed into passwords, where a rehearsal is written down."""

from __future__ import annotations

from collections.abc import Sequence

from fuselatch.core.engine.session import Session
from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.values import dots


def masked_words(session: Session, words: Sequence[str], verb: str = "") -> list[str]:
    """Return a step's words; the one after the name, value or text of a masked control is dots."""
    masked = list(words)
    for at, word in enumerate(words[:-1]):
        if names_masked(session, word, verb):
            masked[at + 1] = dots(words[at + 1])
    return masked


def names_masked(session: Session, word: str, verb: str = "") -> bool:
    """Return True if a word names a masked control, its value or text, or a masked value of the outcome."""
    where, _, last = word.rpartition(".")
    if session.outcome is not None:
        return word.removeprefix("outcome.") in session.outcome.masked
    try:
        return session.masks(where if last in ("value", "text") else word, verb)
    except FuseLatchError:
        return False
