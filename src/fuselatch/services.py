"""Services: letters and drawings, with stand-ins that record them.

A program that sends for real derives from `Letters` and `Drawings`. The stand-ins record what they get, for tests, and
write it to a folder if they have one. No file there is ever overwritten by another session.
"""

from __future__ import annotations

import copy
import os
import re
from email import message_from_bytes
from email.message import EmailMessage, Message
from email.policy import SMTP, default
from itertools import count
from pathlib import Path
from typing import Final
from uuid import uuid4
from xml.etree import ElementTree

from fuselatch.core.model.service_map import Host, Selection, Services
from fuselatch.core.model.values import Value
from fuselatch.core.model.visible import has_control, shown_character, visible

__all__ = ["DrawingBoard", "Drawings", "Host", "LetterBox", "Letters", "Selection", "Services", "letter_bytes"]

SVG = "http://www.w3.org/2000/svg"


class Letters:
    """A service that sends letters. Derive from it and override `send`."""

    def send(self, letter: EmailMessage) -> None:
        """Send a letter, an RFC 5322 message."""
        raise NotImplementedError(f"{type(self).__name__} must override send()")


class LetterBox(Letters):
    """Records letters: `letters`, and an .eml file each in `folder`, if given."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder
        self.letters: list[EmailMessage] = []

    def send(self, letter: EmailMessage) -> None:
        """Record a letter; raise `TypeError`, or the `ValueError` of `letter_bytes`."""
        data = letter_bytes(letter)
        if self.folder is not None:
            write(self.folder, f"{len(self.letters) + 1:04}-{file_name(str(letter['Subject']))}", ".eml", data)
        # Only now: a letter that can't be written isn't sent.
        self.letters.append(letter)


ADDRESSES: Final = ("From", "Sender", "Reply-To", "To", "Cc", "Bcc")
"""The headers that hold addresses."""
IN_TEXTS: Final = "\t\n\r\f"
"""Control characters that a letter's text may have."""


def letter_bytes(letter: EmailMessage) -> bytes:
    """Return a letter as it goes out, in the format of RFC 5322 for SMTP.

    Raises `TypeError` for anything else, and `ValueError` for a letter without To or Subject, with control characters, with
    something in place of an address, or whose headers would be read as others than they are: a subject from a table may
    hold an encoded line break, and behind it another header. Build addresses with `email.headerregistry.Address`.
    """
    if not isinstance(letter, EmailMessage):
        raise TypeError(f"send(letter): expected email.message.EmailMessage, not {type(letter).__name__}")
    for header in ("To", "Subject"):
        if not letter[header]:
            raise ValueError(f"the letter has no {header}; set letter['{header}']")
    for name, value in letter.items():
        control = has_control(str(value))
        if control:
            raise ValueError(f"the letter's {name} has a control character ({control}): '{visible(str(value), 60)}'")
    try:
        data = letter.as_bytes(policy=SMTP)
        again = message_from_bytes(data, policy=default)
        wrong = next((name for name in ADDRESSES for value in again.get_all(name, ()) if not is_address(value)), "")
        is_same = headers_of(again) == headers_of(letter)
    except (UnicodeError, ValueError, LookupError, TypeError, AttributeError) as error:
        # The email package fails in several ways at what isn't a header.
        raise ValueError(f"the letter can't be written: {error}") from None
    if not is_same:
        raise ValueError("the letter's headers would be read as others; take line breaks and encoded words out of them")
    if wrong:
        raise ValueError(f"the letter's {wrong} isn't an address: '{visible(str(again[wrong]), 60)}'")
    for part in letter.walk():
        # A letter without a text has no payload at all.
        is_text = part.get_content_maintype() == "text" and part.get_payload() is not None
        if is_text and (control := has_control(str(part.get_content()), IN_TEXTS)):
            raise ValueError(f"the letter's text has a control character ({control})")
    return data


def is_address(value: Value) -> bool:
    """Return True if a header holds addresses, and nothing else."""
    return bool(value.addresses) and not value.defects and all(each.username and each.domain for each in value.addresses)


def headers_of(letter: Message) -> list[tuple[str, str]]:
    """Return a letter's headers, without the white space at which long ones are folded."""
    return [(name.lower(), " ".join(str(value).split())) for name, value in letter.items()]


class Drawings:
    """A service that receives drawings. Derive from it and override `draw`."""

    def draw(self, name: str, drawing: ElementTree.Element) -> None:
        """Save a drawing under a name. `drawing`: the root element of an SVG."""
        raise NotImplementedError(f"{type(self).__name__} must override draw()")


class DrawingBoard(Drawings):
    """Records drawings: `drawings` by name, and an .svg file each in `folder`, if given."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder
        self.drawings: dict[str, str] = {}
        self._files: dict[str, Path] = {}

    def draw(self, name: str, drawing: ElementTree.Element) -> None:
        """Record a drawing; raise `ValueError` if it isn't an SVG."""
        if drawing.tag not in ("svg", f"{{{SVG}}}svg"):
            raise ValueError(f"draw('{name}'): expected an <svg> element, not <{drawing.tag}>")
        if drawing.tag == "svg":
            drawing.set("xmlns", SVG)
        text = ElementTree.tostring(without_controls(drawing), encoding="unicode")
        if self.folder is not None:
            self._files[name] = write(self.folder, file_name(name), ".svg", text.encode(), self._files.get(name))
        self.drawings[name] = text


def without_controls(drawing: ElementTree.Element) -> ElementTree.Element:
    """Return a drawing whose texts XML allows: control characters are written out (XML 1.0, production 2)."""
    plain = copy.deepcopy(drawing)
    for element in plain.iter():
        element.text, element.tail = (None if each is None else in_xml(each) for each in (element.text, element.tail))
        element.attrib.update({name: in_xml(value) for name, value in element.attrib.items()})
    return plain


def in_xml(text: str) -> str:
    """Return text without what XML can't hold; line breaks and tabs stay."""
    return text if text.isprintable() else "".join(each if each in "\n\t" else shown_character(each) for each in text)


def file_name(text: str) -> str:
    """Return text as a file name: letters, digits and hyphens."""
    return re.sub(r"[^\w]+", "-", text).strip("-").lower()[:60] or "untitled"


def write(folder: Path, stem: str, ending: str, data: bytes, own: Path | None = None) -> Path:
    """Write a file completely, or not at all, and return its path. Another file of that name stays: this one gets a number.

    `own`: the file that it replaces.
    """
    folder.mkdir(parents=True, exist_ok=True)
    beside = folder / f".{stem}-{uuid4().hex}.part"
    try:
        beside.write_bytes(data)
        if own is not None:
            beside.replace(own)
            return own
        for number in count(1):
            path = folder / f"{stem}{'' if number == 1 else f'-{number}'}{ending}"
            if is_moved(beside, path):
                return path
    finally:
        beside.unlink(missing_ok=True)
    raise AssertionError("there is always another number")


def is_moved(file: Path, path: Path) -> bool:
    """Move a file to a name that isn't taken, as a whole; return False if it is taken."""
    try:
        os.link(file, path)
    except FileExistsError:
        return False
    except OSError:
        # A file system without links: the name is reserved first.
        try:
            path.open("xb").close()
        except FileExistsError:
            return False
        file.replace(path)
    return True
