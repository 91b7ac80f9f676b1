"""A trace entry in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from decimal import Decimal
from typing import Any, Final

from fuselatch.core.model.events import FORM_EVENTS
from fuselatch.core.model.trace import Entry


def value_text(value: Any) -> str:
    """A traced value as people write it."""
    if value is None or value == "":
        return "blank"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float | Decimal):
        return f"{value:g}" if isinstance(value, float) else str(value)
    return str(value)


def place(entry: Entry) -> str:
    """Where an entry is about: the control, else the form."""
    return entry.control or entry.form


def change(entry: Entry) -> str:
    """What became of a property."""
    what = f"{place(entry)}.{entry.name}"
    return f"{what}: {value_text(entry.old)} → {value_text(entry.new)}"


def event(entry: Entry) -> str:
    """An event; a signal with what it was sent with."""
    told = f"{place(entry)}.{entry.name}"
    return told if entry.control or entry.name in FORM_EVENTS else f"{told} '{value_text(entry.new)}'"


def finding(entry: Entry) -> str:
    """What a check found, or no longer finds."""
    if entry.new is None:
        return f"{entry.control}: no longer '{entry.old}'"
    return f"{entry.control}: '{entry.new}' ({entry.name})"


def with_text(word: str) -> Callable[[Entry], str]:
    """A phrase that quotes what an entry brought."""
    return lambda entry: f'{word} "{" ".join(str(entry.new).split())}"'


def step(entry: Entry) -> str:
    """A step, with the text that it settles or the verdict it closes with."""
    text = f"{entry.name} {place(entry)}"
    return f"{text} '{entry.new}'" if entry.new is not None else text


def latch(entry: Entry) -> str:
    """A latch that was taken, let go, or that gave the answer it was taken with."""
    if entry.new is None:
        return f"latch {entry.name} let go"
    answer = f" with '{entry.new}'" if entry.new else ""
    return f"latch {entry.name} taken{answer}" if entry.old is None else f"latch {entry.name} holds{answer}"


PHRASES: Final[Mapping[str, Callable[[Entry], str]]] = {
    "gesture": lambda entry: f"{entry.name} (by program)" if entry.new == "program" else entry.name,
    "refused": lambda entry: f"refused: {entry.name}: {entry.new}",
    "step": step,
    "event": event,
    "handler": lambda entry: f"runs {entry.name}",
    "change": change,
    "finding": finding,
    "prompt": with_text("asks"),
    "answer": with_text("answered"),
    "open": lambda entry: f"opens {entry.form}",
    "close": lambda entry: f"{entry.form} is closed, {entry.name}",
    "latch": latch,
    "hold": lambda entry: f"held at {entry.name}: {entry.new}",
    "drop": lambda entry: f"dropped the {entry.name}: {entry.new}",
    "write": lambda entry: f"writes {entry.name}: {entry.new}",
    "stale": lambda entry: f"stale read of {entry.control} while '{entry.new}' is unsettled",
    "error": lambda entry: f"failed at {entry.name}: {entry.new}; put back",
    "fuse": lambda entry: f"the fuse blew at {entry.name}: {entry.new}; put back",
}
"""How each kind of entry is said."""


def phrase(entry: Entry) -> str:
    """An entry in words, on one line."""
    return PHRASES[entry.kind](entry)
