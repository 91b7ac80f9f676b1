"""The gestures that a front end fed, as a cue sheet."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from fuselatch.core.engine.session import Session
from fuselatch.core.model.errors import FuseLatchError, Refused
from fuselatch.core.model.gestures import Gesture
from fuselatch.rehearsal.recorder import Done, cue_line, heading
from fuselatch.scenes import Scene


class Fed(NamedTuple):
    """A gesture that was fed: the form in front then, and the type of error that it raised."""

    gesture: Gesture
    front: str
    raised: type[Exception] | None


class FedGestures:
    """Feeds a session and keeps what was fed, except what came too late."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.fed: list[Fed] = []

    def feed(self, gesture: Gesture) -> None:
        """Feed a gesture, and keep it. Raises as `Session.feed` does."""
        front = self.session.forms and self.session.view.forms[-1:]
        name = front[0].name if front else ""
        raised: type[Exception] | None = None
        try:
            self.session.feed(gesture)
        except FuseLatchError as error:
            raised = type(error)
            if isinstance(error, Refused) and error.is_stale:
                raise
            self.fed.append(Fed(gesture, name, raised))
            raise
        self.fed.append(Fed(gesture, name, None))

    def as_cues(self, scene: Scene, origin: str) -> str:
        """Return a cue sheet that does the same.

        Drafts that grow from one character are one `type`; any other draft is a `paste`.
        """
        lines = [*heading(scene, origin), *(cue_line(step, False) for step in steps(self.fed))]
        return "".join(f"{line}\n" for line in lines)


def steps(fed: list[Fed]) -> Iterator[Done]:
    """Yield the steps of a cue sheet for some gestures."""
    at = 0
    while at < len(fed):
        gesture, _, raised = fed[at]
        name = named(fed[at])
        if gesture.verb == "type":
            last = at
            while grows(fed, last) and len(fed[at].gesture.text) == 1:
                last += 1
            text = fed[last].gesture.text
            verb = "type" if len(fed[at].gesture.text) == 1 else "paste" if text else "clear"
            yield Done(verb, [name, text] if text else [name], fed[last].raised)
            at = last + 1
            continue
        if gesture.verb == "key":
            last = at
            while last + 1 < len(fed) and fed[last + 1].gesture.repeat and fed[last + 1].gesture.text == gesture.text:
                last += 1
            yield Done("key", [gesture.text, *([str(last - at + 1)] if last > at else [])], fed[last].raised)
            at = last + 1
            continue
        words = [word for word in (name, gesture.text) if word]
        yield Done(gesture.verb, words, raised)
        at += 1


def grows(fed: list[Fed], at: int) -> bool:
    """Return True if the next draft is this one with one more character."""
    if at + 1 >= len(fed) or fed[at].raised is not None:
        return False
    here, after = fed[at].gesture, fed[at + 1].gesture
    same = after.verb == "type" and (after.control, after.form) == (here.control, here.form)
    return same and len(after.text) == len(here.text) + 1 and after.text.startswith(here.text)


def named(fed: Fed) -> str:
    """Return a gesture's control, with its form if that wasn't in front."""
    gesture = fed.gesture
    if not gesture.control or gesture.form in ("", fed.front):
        return gesture.control
    return f"{gesture.form}.{gesture.control}"
