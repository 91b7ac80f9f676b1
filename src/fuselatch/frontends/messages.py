"""Messages of a front end elsewhere, as gestures: looked at, and with names in place of ids."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Final, NamedTuple

from fuselatch.core.engine.session import Session
from fuselatch.core.forms.inputs import MOST_BYTES, USUAL_BYTES
from fuselatch.core.model.gestures import VERBS, Gesture
from fuselatch.core.model.json_text import Plain
from fuselatch.frontends.keys import key_gesture

TEXTS: Final = ("verb", "control", "form", "text", "item", "key")
FLAGS: Final = ("repeat", "ctrl", "alt", "shift")
NUMBERS: Final = ("number", "serial")


class WrongMessage(ValueError):
    """A message that a front end of ours would never send."""


class Message(NamedTuple):
    """One message: its number, the serial of the view that the user saw, and the gesture with ids.

    A message without a verb asks for a part of a list: `control`, `start` and `stop`.
    """

    number: int
    serial: int
    verb: str
    control: str
    form: str
    text: str
    item: str
    key: str
    repeat: bool
    ctrl: bool
    alt: bool
    shift: bool
    start: int
    stop: int


def message_of(given: object) -> Message:
    """Return a message from JSON data. Raises `WrongMessage`."""
    if not isinstance(given, Mapping):
        raise WrongMessage("a message must be an object")
    for names, kind in ((TEXTS, str), (FLAGS, bool), ((*NUMBERS, "start", "stop"), int)):
        for name in names:
            value = given.get(name, kind())
            if type(value) is not kind or (isinstance(value, str) and size_of(value) > MOST_BYTES):
                raise WrongMessage(f"'{name}' must be {kind.__name__}")
    unknown = given.keys() - set(Message._fields)
    if unknown:
        raise WrongMessage(f"unknown field '{min(unknown)}'")
    verb = given.get("verb", "")
    if verb and verb not in VERBS:
        raise WrongMessage(f"unknown verb '{verb}'")
    usual: Plain = {**dict.fromkeys(TEXTS, ""), **dict.fromkeys(FLAGS, False)}
    return Message(**{**usual, "number": 0, "serial": 0, "start": 0, "stop": 0, **given})


def size_of(text: str) -> int:
    """Return how many bytes a text has in UTF-8."""
    return len(text.encode(errors="surrogatepass"))


def gesture_of(session: Session, message: Message) -> Gesture:
    """Return a message's gesture, with the names that its ids have now.

    Raises `UnknownName` if what it is about is no longer there, and `WrongMessage` for a key that isn't one.
    """
    form, control = session.named(message.control or message.form) if message.control or message.form else ("", "")
    if message.verb == "key":
        try:
            made = key_gesture(message.key, ctrl=message.ctrl, alt=message.alt, shift=message.shift, repeat=message.repeat)
        except ValueError as error:
            raise WrongMessage(str(error)) from None
        return replace(made, view_serial=message.serial)
    if message.verb == "type" and size_of(message.text) > USUAL_BYTES:
        declared = session.control(f"{form}.{control}").declared
        longest = getattr(declared, "longest", lambda: USUAL_BYTES)()
        if size_of(message.text) > longest:
            raise WrongMessage(f"the text has more than {longest:,} bytes")
    text = form if message.verb == "to_front" else message.text
    return Gesture(
        verb=message.verb,
        control=control,
        text=text,
        form=form,
        item=message.item,
        repeat=message.repeat,
        view_serial=message.serial,
    )
