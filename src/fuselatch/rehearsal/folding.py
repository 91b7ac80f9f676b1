"""Gestures that were fed to a session directly, as steps of a cue sheet."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from fuselatch.core.model.gestures import Gesture


@dataclass(slots=True)
class Done:
    """A step that was done: its verb, words, and the type of error that it raised."""

    verb: str
    words: list[str]
    raised: type[Exception] | None = None


class Fed(NamedTuple):
    """A gesture that was fed: the form in front then, the type of its error, words that say which item, and when."""

    gesture: Gesture
    front: str
    raised: type[Exception] | None
    which: Sequence[str] = ()
    at: datetime | None = None


def folded(kept: Sequence[Done | Fed]) -> Iterator[Done]:
    """Yield steps as they are, and gestures folded.

    Drafts that grow from one character are one `type`; any other draft is a `paste`.
    """
    at = 0
    while at < len(kept):
        one = kept[at]
        if isinstance(one, Done):
            yield one
            at += 1
            continue
        end = at
        while isinstance(here := kept[end], Fed) and end + 1 < len(kept) and goes_on(here, kept[end + 1]):
            end += 1
        last = kept[end]
        assert isinstance(last, Fed), "only gestures are folded"
        yield step_of(one, last, end - at + 1)
        at = end + 1


def goes_on(here: Fed, after: Done | Fed) -> bool:
    """Return True if the next gesture continues this one: a draft with one more character, or a key held down."""
    if isinstance(after, Done) or here.raised is not None:
        return False
    one, other = here.gesture, after.gesture
    if other.verb == "key":
        return one.verb == "key" and other.repeat and one.text == other.text
    same = one.verb == other.verb == "type" and (one.control, one.form) == (other.control, other.form)
    return same and len(one.text) > 0 and len(other.text) == len(one.text) + 1 and other.text.startswith(one.text)


def step_of(first: Fed, last: Fed, count: int) -> Done:
    """Return the step for gestures that continue each other."""
    verb, text, name = first.gesture.verb, last.gesture.text, named(first)
    if verb == "type":
        verb = "type" if len(first.gesture.text) == 1 else "paste" if text else "clear"
    words = [*[word for word in (name, text) if word], *last.which]
    return Done(verb, [*words, str(count)] if verb == "key" and count > 1 else words, last.raised)


def named(fed: Fed) -> str:
    """Return a gesture's control, with its form if that wasn't in front."""
    gesture = fed.gesture
    if not gesture.control or gesture.form in ("", fed.front):
        return gesture.control
    return f"{gesture.form}.{gesture.control}"
