"""A trace entry in words.

Imperative: what was asked for. Third person: what happened.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from decimal import Decimal
from typing import Final

from fuselatch.core.model.events import FORM_EVENTS
from fuselatch.core.model.trace import TraceEntry
from fuselatch.core.model.visible import visible


def value_text(value: object) -> str:
    """Return a traced value as people write it."""
    if value is None or value == "":
        return "blank"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float | Decimal):
        return f"{value:g}" if isinstance(value, float) else str(value)
    return str(value)


def place(entry: TraceEntry) -> str:
    """Return the control or form of an entry."""
    return entry.control or entry.form


def change(entry: TraceEntry) -> str:
    what = f"{place(entry)}.{entry.name}"
    return f"{what}: {value_text(entry.old)} → {value_text(entry.new)}"


def event(entry: TraceEntry) -> str:
    described = f"{place(entry)}.{entry.name}"
    return described if entry.control or entry.name in FORM_EVENTS else f"{described} '{value_text(entry.new)}'"


def finding(entry: TraceEntry) -> str:
    if entry.new is None:
        return f'clears mark on {entry.control}: "{entry.old}"'
    return f'marks {entry.control}: "{entry.new}" ({entry.name})'


def with_text(word: str) -> Callable[[TraceEntry], str]:
    """Return a phrase that quotes an entry's text."""
    return lambda entry: f'{word} "{" ".join(str(entry.new).split())}"'


def blocked(entry: TraceEntry) -> str:
    """Return the phrase for an event that a handler blocked, or a handler that is muted."""
    return f"{entry.name if entry.name.startswith('muted ') else f'blocked at {entry.name}'}: {entry.new}"


def step(entry: TraceEntry) -> str:
    text = f"{entry.name} {place(entry)}"
    return f"{text} '{entry.new}'" if entry.new is not None else text


def latch(entry: TraceEntry) -> str:
    """Return the phrase for a latch that was set or reset, or that gave its answer."""
    if entry.new is None:
        return f"resets latch {entry.name}"
    if entry.old is not None:
        return f'latch {entry.name} answers "{entry.new}"'
    return f"sets latch {entry.name}" + (f' ("{entry.new}")' if entry.new else "")


PHRASES: Final[Mapping[str, Callable[[TraceEntry], str]]] = {
    "gesture": lambda entry: f"{entry.name} (by program)" if entry.new == "program" else entry.name,
    "refused": lambda entry: f"refused: {entry.name}: {entry.new}",
    "step": step,
    "event": event,
    "handler": lambda entry: f"runs {entry.name}",
    "change": change,
    "finding": finding,
    "prompt": with_text("asks"),
    "answer": with_text("gets answer"),
    "slow_call": lambda entry: f"waits for {entry.new}" + (f' ("{entry.old}")' if entry.old else ""),
    "call_end": lambda entry: f"{entry.name} {str(entry.new).replace('_', ' ')}" + (f": {entry.old}" if entry.old else ""),
    "open": lambda entry: f"opens {entry.form}",
    "close": lambda entry: f"closes {entry.form} ({entry.name})",
    "latch": latch,
    "block": blocked,
    "skip": lambda entry: f"skipped the {entry.name}: {entry.new}",
    "write": lambda entry: f"writes {entry.name}: {entry.new}",
    "stale": lambda entry: f"reads {entry.control} while '{entry.new}' is still a draft",
    "error": lambda entry: f"failed in {entry.name}: {entry.new}",
    "fuse": lambda entry: f"endless loop in {entry.name}: {entry.new}",
    "undo": lambda entry: f"undoes {entry.name}: {entry.new}",
}
"""The phrase for each kind of entry."""


def phrase(entry: TraceEntry) -> str:
    """Return an entry in words, on one line."""
    return visible(PHRASES[entry.kind](entry))
