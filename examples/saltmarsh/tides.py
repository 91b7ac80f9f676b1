"""The tide office: its client, and a stand-in for it over HTTP that takes its time and fails now and then."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from datetime import date, timedelta
from decimal import Decimal
from functools import cache
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from math import cos, tau
from threading import Thread
from time import sleep
from typing import Final
from urllib.parse import parse_qs, urlsplit
from urllib.request import urlopen

ADDRESS: Final = "SALTMARSH_TIDES"
"""The environment variable with the address of a tide office. Without it, a stand-in is started in this process."""
SPRING_TIDE: Final = date(2031, 5, 7)
CYCLE: Final = 14.77
"""Days from one spring tide to the next."""
EVERY: Final = 5
"""One of so many requests fails."""
SECONDS: Final = 1.5
"""How long the stand-in takes for an answer."""


def lowest_water(arrival: date, nights: int) -> Decimal:
    """Ask the tide office for the lowest water of a stay, in metres above (or below) the mean low water.

    Raises `OSError` if it can't be reached or fails, and `ValueError` if its answer makes no sense.
    """
    address = os.environ.get(ADDRESS) or stand_in()
    with urlopen(f"{address}/lowest?from={arrival}&nights={nights}", timeout=20) as answer:
        return Decimal(json.load(answer)["metres"])


def predicted(arrival: date, nights: int) -> Decimal:
    """Return the lowest water of a stay: half a metre below the mean at spring tides, half a metre above it between them."""
    days = [(arrival + timedelta(days=night) - SPRING_TIDE).days for night in range(nights + 1)]
    return min(round(Decimal(-0.5 * cos(tau * day / CYCLE)), 2) for day in days)


@cache
def stand_in(seconds: float = SECONDS) -> str:
    """Start the stand-in once, for as long as the program runs; return its address."""
    server = ThreadingHTTPServer(("127.0.0.1", 0), office(seconds))
    server.daemon_threads = True
    Thread(target=server.serve_forever, name="tide office", daemon=True).start()
    return f"http://127.0.0.1:{server.server_port}"


def office(seconds: float) -> type[BaseHTTPRequestHandler]:
    """Return what answers requests: after some seconds, and not each time."""
    asked = iter(range(1, 1 << 30))

    class Office(BaseHTTPRequestHandler):
        """Answers `/lowest?from=DATE&nights=NUMBER` with JSON: `{"metres": "-0.42"}`."""

        def do_GET(self) -> None:
            sleep(seconds)
            if next(asked) % EVERY == 0:
                self.answer(503, {"error": "the gauge is being read"})
                return
            try:
                words = parse_qs(urlsplit(self.path).query)
                metres = predicted(date.fromisoformat(words["from"][0]), int(words["nights"][0]))
            except (LookupError, ValueError) as error:
                self.answer(400, {"error": f"expected /lowest?from=DATE&nights=NUMBER: {error}"})
                return
            self.answer(200, {"metres": str(metres)})

        def answer(self, status: int, told: Mapping[str, str]) -> None:
            """Send a status and JSON."""
            body = json.dumps(told).encode()
            self.send_response(status)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *words: object) -> None:
            """Write no log."""

    return Office
