"""A visitor without a browser: requests and sockets with whatever headers."""

from __future__ import annotations

import http.client
from typing import Any

from websockets.sync.client import connect


class Visitor:
    """Visits a server, with whatever headers. `token`: of the address that lets one browser in."""

    def __init__(self, host: str, token: str = "") -> None:
        self.host = host
        self.token = token
        self.seat = ""
        self.cookie = ""
        self.body = b""

    def get(self, path: str, **headers: str) -> http.client.HTTPResponse:
        connection = http.client.HTTPConnection(self.host, timeout=120)
        connection.putrequest("GET", path, "Host" in headers, "Accept-Encoding" in headers)
        for name, value in {**({"Cookie": self.cookie} if self.cookie else {}), **headers}.items():
            connection.putheader(name, value)
        connection.endheaders()
        answer = connection.getresponse()
        self.body = answer.read()
        connection.close()
        return answer

    def enter(self) -> None:
        answer = self.get(f"/?token={self.token}")
        assert answer.status == 303
        self.seat, cookie = answer.headers["Location"], answer.headers["Set-Cookie"]
        assert "HttpOnly" in cookie and "SameSite=strict" in cookie and f"Path={self.seat}" in cookie
        self.cookie = cookie.partition(";")[0]

    def live(self, tab: str = "", **changed: Any) -> Any:
        """Connect with the session. `changed`: another seat, origin or cookie."""
        seat, origin, cookie = (changed.get(name, own) for name, own in self.own.items())
        given: Any = {"origin": origin, "additional_headers": {"Cookie": cookie} if cookie else {}}
        return connect(f"ws://{self.host}{seat}live?tab={tab}", **given)

    @property
    def own(self) -> dict[str, str]:
        """The seat, origin and cookie that let the visitor in."""
        return {"seat": self.seat, "origin": f"http://{self.host}", "cookie": self.cookie}
