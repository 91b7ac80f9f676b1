"""Create the data of Saltmarsh Quay, the same on every run: `python -m saltmarsh.make_data`.

All of it is made up: no vessel, person, place or firm in it exists.
"""

from __future__ import annotations

import csv
import random
from collections.abc import Iterable, Sequence
from datetime import date, timedelta
from itertools import product
from pathlib import Path
from typing import Any

DATA = Path(__file__).parent / "data"
SEED = 20310504
HOME = "Saltmarsh Quay"

PIERS = {"North": 14, "South": 12, "East": 12, "West": 10, "Basin": 10, "Outer": 8}
TAKES = {"North": (9, 16), "South": (7, 12), "East": (6, 11), "West": (10, 18), "Basin": (5, 9), "Outer": (15, 30)}
"""The shortest and longest berth of each pier in metres."""

LEADING = [
    "Amber",
    "Brisk",
    "Calm",
    "Dusky",
    "Early",
    "Fair",
    "Gentle",
    "Hazel",
    "Idle",
    "Jolly",
    "Keen",
    "Little",
    "Merry",
    "Noble",
    "Old",
    "Pale",
    "Quiet",
    "Rosy",
    "Silver",
    "Tidy",
]
TRAILING = [
    "Avocet",
    "Curlew",
    "Dunlin",
    "Eider",
    "Fulmar",
    "Gannet",
    "Heron",
    "Lapwing",
    "Merganser",
    "Petrel",
    "Plover",
    "Sandpiper",
    "Teal",
]
SERVICES = [("water", "4.00"), ("shore power", "6.50"), ("crane", "85.00"), ("laundry", "5.00"), ("sauna", "9.50")]
"""Extras and their prices in EUR."""
ALONE = ["Kittiwake", "Kingfisher Two", "Long Reach", "Saltwort", "Samphire", "Sea Lavender"]
KINDS = {
    "sloop": (7, 13),
    "ketch": (10, 17),
    "motor yacht": (8, 22),
    "cutter": (8, 15),
    "barge": (18, 29),
    "dayboat": (4, 7),
}
GIVEN = [
    "Ansa",
    "Bero",
    "Cilla",
    "Dorrin",
    "Edla",
    "Fenno",
    "Gisla",
    "Harro",
    "Imke",
    "Jorun",
    "Kesta",
    "Lorne",
    "Mirte",
    "Nolke",
    "Orrin",
    "Pelle",
    "Runa",
    "Sibbe",
    "Tamsel",
    "Ulle",
]
FAMILY = [
    "Aldergate",
    "Brackmoor",
    "Coldwick",
    "Dunnerly",
    "Eskmarrow",
    "Farrowin",
    "Gullbeck",
    "Hethersand",
    "Inchwater",
    "Jarrowby",
    "Kelpin",
    "Loxmere",
]
PORTS = [HOME, "Dunmarrow", "Pell Haven", "Ostrey Pool", "Vannermouth", "Cadlow Sound", "Thornholm Hythe"]

BANDS = (8, 10, 12, 15, 20, 30)
PER_METRE = {"summer": 3.4, "winter": 1.9}
FIRST_DAY = date(2031, 4, 1)


def berths(random: random.Random) -> list[tuple[str, str, str, str, str]]:
    """Return name, pier, length, beam and depth of each berth, in metres."""
    made = []
    for pier, count in PIERS.items():
        least, most = TAKES[pier]
        for number in range(1, count + 1):
            length = least + (most - least) * (number - 1) / (count - 1)
            length = round(length * 2) / 2
            made.append(
                (f"{pier[0]}{number}", pier, f"{length:.1f}", f"{length / 3 + 0.5:.1f}", f"{random.uniform(1.8, 4):.1f}")
            )
    return made


def vessels(random: random.Random, count: int = 250) -> list[tuple[str, str, str, str, str, str, str]]:
    """Return name, kind, length, beam, draught (metres), owner and home port of each vessel."""
    names = [*ALONE, *(f"{first} {second}" for first, second in product(LEADING, TRAILING))]
    chosen = sorted(ALONE + random.sample(names[len(ALONE) :], count - len(ALONE)))
    made = []
    for name in chosen:
        kind = random.choice(list(KINDS))
        length = random.uniform(*KINDS[kind])
        if name == "Kittiwake":
            kind, length = "sloop", 11.4
        if name == "Long Reach":
            kind, length = "barge", 17.2
        owner = f"{random.choice(GIVEN)} {random.choice(FAMILY)}"
        port = "Pell Haven" if name == "Kittiwake" else random.choice(PORTS)
        made.append((name, kind, f"{length:.1f}", f"{length / 3.2:.1f}", f"{length / 7:.1f}", owner, port))
    return made


def tariffs() -> list[tuple[str, int, str]]:
    """Return each band's season, maximum length in metres, and price per night in EUR."""
    return [(season, band, f"{rate * band:.2f}") for season, rate in PER_METRE.items() for band in BANDS]


def price(length: float, nights: int, arrival: date) -> str:
    """Return the price of a stay: the price of the vessel's band for each night."""
    season = "summer" if 4 <= arrival.month <= 9 else "winter"
    band = next(band for band in BANDS if length <= band)
    return f"{PER_METRE[season] * band * nights:.2f}"


def bookings(
    random: random.Random, quays: Sequence[tuple[str, ...]], boats: Sequence[tuple[str, ...]], count: int = 400
) -> list[tuple[int, str, str, str, int, str]]:
    """Return number, vessel, berth, arrival, nights and price of each booking. No berth is booked twice for a night."""
    made: list[tuple[str, str, date, int, str]] = []
    free_from = {quay[0]: FIRST_DAY + timedelta(days=random.randrange(12)) for quay in quays}
    while len(made) < count:
        quay, boat = random.choice(quays), random.choice(boats)
        length = float(boat[2])
        if not length <= float(quay[2]) <= length * 1.6:
            continue
        arrival, nights = free_from[quay[0]], random.randint(1, 6)
        made.append((boat[0], quay[0], arrival, nights, price(length, nights, arrival)))
        free_from[quay[0]] = arrival + timedelta(days=nights + random.randrange(5))
    made.sort(key=lambda booking: (booking[2], booking[1]))
    return [
        (number, vessel, berth, arrival.isoformat(), nights, cost)
        for number, (vessel, berth, arrival, nights, cost) in enumerate(made, 1001)
    ]


def arrears(random: random.Random, boats: Sequence[tuple[str, ...]], count: int = 14) -> list[tuple[str, str, str]]:
    """Return vessel, amount in EUR and due date of each debt."""
    others = [boat[0] for boat in boats if boat[0] not in ALONE]
    owing = []
    for name in sorted([*random.sample(others, count - 1), "Saltwort"]):
        since = FIRST_DAY - timedelta(days=random.randint(20, 200))
        owing.append((name, f"{random.randint(400, 9000) / 20:.2f}", since.isoformat()))
    return owing


def extras(
    random: random.Random, bookings: Sequence[tuple[Any, ...]], count: int = 90
) -> list[tuple[int, int, str, int, str]]:
    """Return number, booking, service, count and price of each extra."""
    chosen = sorted(random.sample([booking[0] for booking in bookings], count // 2) * 2)
    made = []
    for number, booking in enumerate(chosen, 1):
        name, cost = random.choice(SERVICES)
        made.append((number, booking, name, random.randint(1, 4), cost))
    return made


def write(name: str, header: str, rows: Iterable[Sequence[object]]) -> None:
    """Write one table as CSV (RFC 4180, with \n after each row)."""
    with (DATA / name).open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(header.split())
        writer.writerows(rows)


def main() -> None:
    """Write all tables."""
    seeded = random.Random(SEED)
    DATA.mkdir(exist_ok=True)
    quays, boats = berths(seeded), vessels(seeded)
    write("piers.csv", "name berths", PIERS.items())
    write("berths.csv", "name pier length beam depth", quays)
    write("vessels.csv", "name kind length beam draught owner home_port", boats)
    write("tariffs.csv", "season up_to per_night", tariffs())
    booked = bookings(seeded, quays, boats)
    write("bookings.csv", "number vessel berth arrival nights price", booked)
    write("arrears.csv", "vessel amount since", arrears(seeded, boats))
    write("services.csv", "name price", SERVICES)
    write("extras.csv", "number booking what count price", extras(seeded, booked))


if __name__ == "__main__":
    main()
