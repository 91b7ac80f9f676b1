"""A first read and a sale on a CSV file of 20,000 rows, against the csv module's reading and writing."""

from __future__ import annotations

import csv
from itertools import count
from pathlib import Path
from tempfile import TemporaryDirectory

from common import HEADING, Measure, compare

from fuselatch import Button, Form, Money, Text, Tick
from fuselatch.frontends import Gesture, Session
from fuselatch.stores.csv_files import CsvRecords

ROWS = 20_000


class Seats(Form, records="seats"):
    """A form at which a seat is sold."""

    seat = Text("Seat")
    price = Money("Price")
    sold = Tick("Sold")
    sell = Button("Sell", submits=True, after_submit="next")

    @sell.clicked
    def note_it(self) -> None:
        self.sold.value = True


def seats(path: Path) -> None:
    """Write a file of seats that aren't sold."""
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["id", "seat", "price", "sold", "day", "note"])
        for number in range(ROWS):
            seat = f"Row {number // 20} seat {number % 20}"
            writer.writerow([number, seat, "12.50", "false", "2031-05-04", "by the window"])


def plainly_read(path: Path) -> None:
    """Read a file as mappings."""
    with path.open(newline="", encoding="utf-8") as file:
        list(csv.DictReader(file))


def read_and_written(path: Path) -> None:
    """Read a file, and write it again."""
    with path.open(newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file))
    with path.with_suffix(".copy").open("w", newline="", encoding="utf-8") as file:
        csv.writer(file, lineterminator="\n").writerows(rows)


def main() -> None:
    """Print the figures."""
    print(HEADING)
    with TemporaryDirectory() as folder:
        path = Path(folder) / "seats.csv"
        seats(path)
        first = Measure(lambda: CsvRecords(folder).read("seats"), 1)
        compare("a first read of 20,000 rows, against csv.DictReader", first, Measure(lambda: plainly_read(path), 1), 3)
        session = Session(Seats, records=CsvRecords(folder))
        sold = count()

        def sell() -> None:
            next(sold)
            session.feed(Gesture(verb="press", control="sell"))

        compare("a sale, against one read and one write", Measure(sell, 1), Measure(lambda: read_and_written(path), 1), 1.2)
        assert sum(bool(row["sold"]) for row in CsvRecords(folder).read("seats")) == next(sold)


if __name__ == "__main__":
    main()
