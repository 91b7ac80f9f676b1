"""The tide office: a client, and an HTTP stand-in for the office that is slow and sometimes fails."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from datetime import date, timedelta
from decimal import Decimal
from functools import cache
from http.client import HTTPException
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
"""The stand-in fails at every fifth request."""
SECONDS: Final = 1.5
"""Seconds that the stand-in takes to answer."""


def lowest_water(arrival: date, nights: int) -> Decimal:
    """Ask the tide office for the lowest water of a stay, in metres relative to mean low water.

    Raises `OSError` if it can't be reached or fails, and `ValueError` for an answer that isn't a level.
    """
    address = os.environ.get(ADDRESS) or stand_in()
    try:
        with urlopen(f"{address}/lowest?from={arrival}&nights={nights}", timeout=20) as answer:
            return metres_in(answer.read())
    except HTTPException as error:
        raise OSError(f"the tide office broke off: {error!r}") from error


def metres_in(answer: bytes) -> Decimal:
    """Return the number in an answer of the tide office. Raises `ValueError`."""
    try:
        metres = Decimal(json.loads(answer)["metres"])
    except (LookupError, TypeError, ArithmeticError) as error:
        raise ValueError(f"not an answer of the tide office: {answer!r:.80}") from error
    if not metres.is_finite():
        raise ValueError(f"not a level of water: {metres}")
    return metres


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
    """Return a request handler that answers after some seconds, and fails at every fifth request."""
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
