"""The tables of Saltmarsh Quay, read from CSV."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from functools import cache
from importlib.resources import files
from pathlib import Path


@dataclass(frozen=True, slots=True)
class Berth:
    """A berth at a pier: its length, and its depth at mean low water, in metres."""

    name: str
    pier: str
    length: float
    depth: float


@dataclass(frozen=True, slots=True)
class Vessel:
    """A boat that has called before: its length and draught in metres."""

    name: str
    kind: str
    length: float
    draught: float
    owner: str
    home_port: str


@dataclass(frozen=True, slots=True)
class Booking:
    """A berth booked for a vessel for some nights; the price in EUR."""

    number: int
    vessel: str
    berth: str
    arrival: date
    nights: int
    price: Decimal
    notes: str = ""

    @property
    def departure(self) -> date:
        """The day when the berth is free again."""
        return self.arrival + timedelta(days=self.nights)


@dataclass(frozen=True, slots=True)
class Debt:
    """The amount in EUR that a vessel owes, and since when."""

    amount: Decimal
    since: date


@dataclass(frozen=True, slots=True)
class Tariff:
    """A season's prices per night: pairs of maximum length in metres and EUR, shortest first."""

    season: str
    bands: tuple[tuple[float, Decimal], ...]

    def price(self, length: float | None, nights: int | None) -> Decimal | None:
        """Return the price of a stay, or None if length or nights are blank.

        A boat longer than any band pays the last band's price."""
        if length is None or nights is None:
            return None
        per_night = next((price for up_to, price in self.bands if length <= up_to), self.bands[-1][1])
        return per_night * nights


def rows(table: str) -> Iterable[Mapping[str, str]]:
    """Return the rows of one table of the marina."""
    text = files("saltmarsh").joinpath("data", f"{table}.csv").read_text(encoding="utf-8")
    return csv.DictReader(text.splitlines())


@cache
def berths() -> tuple[Berth, ...]:
    """Return all berths, in the order of the piers."""
    return tuple(Berth(row["name"], row["pier"], float(row["length"]), float(row["depth"])) for row in rows("berths"))


@cache
def vessels() -> tuple[Vessel, ...]:
    """Return all vessels, by name."""
    return tuple(
        Vessel(row["name"], row["kind"], float(row["length"]), float(row["draught"]), row["owner"], row["home_port"])
        for row in rows("vessels")
    )


@cache
def bookings() -> tuple[Booking, ...]:
    """Return all bookings, by arrival."""
    return tuple(
        Booking(
            int(row["number"]),
            row["vessel"],
            row["berth"],
            date.fromisoformat(row["arrival"]),
            int(row["nights"]),
            Decimal(row["price"]),
        )
        for row in rows("bookings")
    )


@cache
def arrears() -> Mapping[str, Debt]:
    """Return each debt by vessel."""
    return {row["vessel"]: Debt(Decimal(row["amount"]), date.fromisoformat(row["since"])) for row in rows("arrears")}


def tariff_on(day: date) -> Tariff:
    """Return the tariff of a day's season."""
    season = "summer" if 4 <= day.month <= 9 else "winter"
    bands = [(float(row["up_to"]), Decimal(row["per_night"])) for row in rows("tariffs") if row["season"] == season]
    return Tariff(season, tuple(sorted(bands)))


def free_on(day: date) -> tuple[Berth, ...]:
    """Return the berths that are free on a night."""
    taken = {booking.berth for booking in bookings() if booking.arrival <= day < booking.departure}
    return tuple(berth for berth in berths() if berth.name not in taken)


def write_bookings(path: Path, booked: Sequence[Booking]) -> None:
    """Write bookings as CSV."""
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["number", "vessel", "berth", "arrival", "nights", "price", "notes"])
        for one in booked:
            writer.writerow([one.number, one.vessel, one.berth, one.arrival.isoformat(), one.nights, one.price, one.notes])
