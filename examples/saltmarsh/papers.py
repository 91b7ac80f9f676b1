"""The office's letters and drawings: the booking confirmation and the mooring plan."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from email.headerregistry import Address
from email.message import EmailMessage
from email.utils import format_datetime
from xml.etree.ElementTree import Element, SubElement

from saltmarsh.tables import Berth

OFFICE = Address("Saltmarsh Quay", addr_spec="office@saltmarsh-quay.example")
ACROSS, MARGIN, SCALE = 58, 40, 9.0
"""Pixels: a berth's width along the pier, the margin, and the scale per metre of length."""


@dataclass(frozen=True, slots=True)
class Stay:
    """A berth booked for a vessel."""

    vessel: str
    length: float
    owner: str
    berth: str
    arrival: date
    nights: int
    price: Decimal
    notes: tuple[str, ...] = ()


def confirmation(stay: Stay, now: datetime) -> EmailMessage:
    """Return the letter that confirms a booking."""
    letter = EmailMessage()
    letter["From"] = OFFICE
    # Names come from tables: an Address quotes what would otherwise be read as another recipient.
    letter["To"] = Address(one_line(stay.owner) or "The master", mailbox(stay.vessel), "mail.example")
    letter["Subject"] = one_line(f"{stay.vessel}: berth {stay.berth} from {stay.arrival.isoformat()}")
    letter["Date"] = format_datetime(now)
    leaves = stay.arrival + timedelta(days=stay.nights)
    lines = [
        f"Dear {stay.owner or 'master'},",
        "",
        f"berth {stay.berth} is reserved for {stay.vessel} ({stay.length:g} m)",
        f"from {stay.arrival.isoformat()} to {leaves.isoformat()}, at {stay.price} EUR.",
        *(f"Please note: {note}." for note in stay.notes),
        "",
        "The office at Saltmarsh Quay",
    ]
    letter.set_content("\n".join(lines) + "\n")
    return letter


def one_line(text: str) -> str:
    """Return text as a header takes it."""
    return " ".join(text.split())


def mailbox(vessel: str) -> str:
    """Return the mailbox of a vessel: "Long Reach" has long.reach."""
    return ".".join(re.findall(r"[a-z0-9]+", vessel.lower())) or "master"


def mooring_plan(berths: Sequence[Berth], free: frozenset[str], stay: Stay) -> Element:
    """Return the pier with its berths and the boat as SVG. Occupied berths are crossed out."""
    deepest = max([*(berth.length for berth in berths), stay.length]) * SCALE
    wide, high = 2 * MARGIN + ACROSS * len(berths), deepest + 2 * MARGIN + 40
    size = {"width": f"{wide:g}", "height": f"{high:g}", "viewBox": f"0 0 {wide:g} {high:g}"}
    plan = Element("svg", {**size, "role": "img", "font-family": "sans-serif", "font-size": "13"})
    SubElement(plan, "title").text = f"{stay.vessel} in berth {stay.berth}"
    SubElement(plan, "rect", width="100%", height="100%", fill="#ffffff")
    pier = berths[0].pier if berths else ""
    text(plan, MARGIN, 22, f"{pier} pier: {stay.vessel} ({stay.length:g} m) in {stay.berth}")
    SubElement(plan, "rect", x=f"{MARGIN - 10}", y="34", width=f"{wide - 2 * MARGIN + 20:g}", height="12", fill="#6b5b45")
    for number, berth in enumerate(berths):
        x, deep = MARGIN + number * ACROSS + 5, berth.length * SCALE
        booked = berth.name == stay.berth
        fill = "#d5e4ef" if booked else "#ffffff"
        place = {"x": f"{x}", "y": "46", "width": f"{ACROSS - 10}", "height": f"{deep:g}"}
        SubElement(plan, "rect", {**place, "fill": fill, "stroke": "#333333"})
        if berth.name not in free and not booked:
            ends = {"x1": f"{x}", "y1": "46", "x2": f"{x + ACROSS - 10}", "y2": f"{46 + deep:g}"}
            SubElement(plan, "line", {**ends, "stroke": "#333333"})
        if booked:
            hull(plan, x + 6, x + ACROSS - 16, stay.length * SCALE)
            deep = max(deep, stay.length * SCALE)
        text(plan, x + 6, 46 + deep + 16, berth.name, bold=booked)
    text(plan, MARGIN, high - 12, "Drawn to scale along the boat. Crossed out: taken that night.")
    return plan


def hull(plan: Element, left: float, right: float, long: float) -> None:
    """Draw a boat with its bow at the pier."""
    bow, shoulder, stern = 49.0, 49 + long * 0.3, 46 + long
    middle = (left + right) / 2
    corners = [(middle, bow), (right, shoulder), (right, stern), (left, stern), (left, shoulder)]
    points = " ".join(f"{x:g},{y:g}" for x, y in corners)
    SubElement(plan, "polygon", points=points, fill="#1f5f8b", stroke="#10344d")


def text(plan: Element, x: float, y: float, words: str, bold: bool = False) -> None:
    """Draw a line of text."""
    SubElement(plan, "text", {"x": f"{x:g}", "y": f"{y:g}", **({"font-weight": "bold"} if bold else {})}).text = words
