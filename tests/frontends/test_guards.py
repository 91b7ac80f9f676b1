"""Who may look at a page: every request is checked, also at the socket."""

from __future__ import annotations

import http.client
import json
import threading
from collections.abc import Iterator
from typing import Any, cast

import pytest
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from fuselatch.frontends.page.guards import HEADERS
from fuselatch.frontends.page.serving import LARGEST_FRAME, Server
from fuselatch.frontends.stage import Stage
from fuselatch.scenes import Scene
from tests.bench import doing


class Visitor:
    """Somebody at the server, with whatever headers they like."""

    def __init__(self, server: Server) -> None:
        self.port = server.port
        self.host = f"127.0.0.1:{server.port}"
        self.token = server.token.text
        self.seat = ""
        self.cookie = ""

    def get(self, path: str, **headers: str) -> http.client.HTTPResponse:
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=10)
        connection.putrequest("GET", path, skip_host="Host" in headers)
        for name, value in {**({"Cookie": self.cookie} if self.cookie else {}), **headers}.items():
            connection.putheader(name, value)
        connection.endheaders()
        answer = connection.getresponse()
        answer.read()
        connection.close()
        return answer

    def enter(self) -> None:
        answer = self.get(f"/?token={self.token}")
        assert answer.status == 303
        self.seat, cookie = answer.headers["Location"], answer.headers["Set-Cookie"]
        assert "HttpOnly" in cookie and "SameSite=strict" in cookie and f"Path={self.seat}" in cookie
        self.cookie = cookie.partition(";")[0]


@pytest.fixture
def visitor() -> Iterator[Visitor]:
    stage = Stage(Scene(doing()))
    thread = threading.Thread(target=stage.run, daemon=True)
    thread.start()
    with Server(stage) as server:
        yield Visitor(server)
        stage.stop()
        thread.join(10)


def test_one_browser_gets_in_once_and_only_by_the_whole_address(visitor: Visitor) -> None:
    for path in ("/", "/?token=", "/?token=guess", f"/?token={visitor.token[:-1]}"):
        assert visitor.get(path).status == 403
    visitor.enter()
    assert visitor.get(f"/?token={visitor.token}").status == 403, "the token was used"
    for path in ("", "page.js", "page.css"):
        answer = visitor.get(visitor.seat + path)
        assert answer.status == 200 and all(answer.headers[name] == value for name, value in HEADERS.items())
    assert visitor.get(visitor.seat + "../../etc/passwd").status in (403, 404)
    assert visitor.get(visitor.seat + "serving.py").status == 404
    for cookie in ("", "fuselatch=guess"):
        visitor.cookie = cookie
        for path in ("", "page.js"):
            assert visitor.get(visitor.seat + path).status == 403


@pytest.mark.parametrize(
    "headers", [{"Host": "quay.example"}, {"Host": "quay.example:80", "Origin": "http://quay.example"}, {"Origin": "http://quay.example"}, {"Origin": "null"}]
)  # fmt: skip
def test_another_host_or_origin_is_refused(visitor: Visitor, headers: dict[str, str]) -> None:
    assert visitor.get(f"/?token={visitor.token}", **headers).status == 403
    visitor.enter()
    assert visitor.get(visitor.seat, **headers).status == 403


def test_the_socket_is_guarded_too(visitor: Visitor) -> None:
    visitor.enter()
    address, own = f"ws://{visitor.host}{visitor.seat}live", f"http://{visitor.host}"
    for origin, cookie in (
        (None, visitor.cookie),
        ("http://quay.example", visitor.cookie),
        (own, ""),
        (own, "fuselatch=guess"),
    ):
        with pytest.raises(InvalidStatus):
            connect(address, origin=cast(Any, origin), additional_headers={"Cookie": cookie} if cookie else {}).close()
    for sent in (
        "not JSON",
        "[1]",
        '{"verb": "burn"}',
        '{"number": "1"}',
        '{"verb": "type", "more": 1}',
        "x" * (LARGEST_FRAME + 10),
    ):
        with connect(address, origin=cast(Any, own), additional_headers={"Cookie": visitor.cookie}) as socket:
            assert "view" in json.loads(socket.recv(10))
            socket.send(sent)
            with pytest.raises(ConnectionClosed):
                socket.recv(10)
    with connect(address, origin=cast(Any, own), additional_headers={"Cookie": visitor.cookie}) as socket:
        socket.recv(10)
        for message in ({"verb": "type", "control": "1.word", "text": "x"}, {"verb": "press", "control": "9.go"}):
            socket.send(json.dumps({"number": 1, "serial": 1, **message}))
        typed, gone = (json.loads(socket.recv(10)) for _ in range(2))
    assert typed["forms"]["1"]["controls"]["1.word"]["fields"]["text"] == "x" and gone["refused"] == "UnknownName"
