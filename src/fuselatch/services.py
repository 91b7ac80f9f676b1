"""Services: letters and drawings, with stand-ins that record them.

A program that sends for real derives from `Letters` and `Drawings`. The stand-ins record what they get, for tests, and
write it to a folder if they have one.
"""

from __future__ import annotations

import re
from email.message import EmailMessage
from email.policy import SMTP
from pathlib import Path
from xml.etree import ElementTree

from fuselatch.core.model.service_map import Host, Selection, Services

__all__ = ["DrawingBoard", "Drawings", "Host", "LetterBox", "Letters", "Selection", "Services"]

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
        """Record a letter; raise `TypeError`, or `ValueError` without To or Subject."""
        if not isinstance(letter, EmailMessage):
            raise TypeError(f"send(letter): expected email.message.EmailMessage, not {type(letter).__name__}")
        for header in ("To", "Subject"):
            if not letter[header]:
                raise ValueError(f"the letter has no {header}; set letter['{header}']")
        self.letters.append(letter)
        if self.folder is not None:
            name = f"{len(self.letters):04}-{file_name(str(letter['Subject']))}.eml"
            write(self.folder / name, letter.as_bytes(policy=SMTP))


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

    def draw(self, name: str, drawing: ElementTree.Element) -> None:
        """Record a drawing; raise `ValueError` if it isn't an SVG."""
        if drawing.tag not in ("svg", f"{{{SVG}}}svg"):
            raise ValueError(f"draw('{name}'): expected an <svg> element, not <{drawing.tag}>")
        if drawing.tag == "svg":
            drawing.set("xmlns", SVG)
        text = ElementTree.tostring(drawing, encoding="unicode")
        self.drawings[name] = text
        if self.folder is not None:
            write(self.folder / f"{file_name(name)}.svg", text.encode())


def file_name(text: str) -> str:
    """Return text as a file name: letters, digits and hyphens."""
    return re.sub(r"[^\w]+", "-", text).strip("-").lower()[:60] or "untitled"


def write(path: Path, data: bytes) -> None:
    """Write a file completely, or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    beside = path.with_suffix(path.suffix + ".part")
    beside.write_bytes(data)
    beside.replace(path)
