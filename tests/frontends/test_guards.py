"""Who may look at a page: every request is checked, also at the socket."""

from __future__ import annotations

import json
import re
import threading
from collections.abc import Iterator
from time import monotonic

import pytest
from websockets.exceptions import ConnectionClosed, InvalidStatus

from fuselatch import Choice, Form
from fuselatch.frontends import Session
from fuselatch.frontends.messages import message_of
from fuselatch.frontends.page.guards import HEADERS
from fuselatch.frontends.page.serving import LARGEST_FRAME, MOST_A_SECOND, Server
from fuselatch.frontends.stage import MOST_ITEMS, Stage, list_of
from fuselatch.scenes import Scene
from tests.bench import doing
from tests.frontends.visitor import Visitor


@pytest.fixture
def visitor() -> Iterator[Visitor]:
    stage = Stage(Scene(doing()))
    thread = threading.Thread(target=stage.run, daemon=True)
    thread.start()
    with Server(stage) as server:
        yield Visitor(f"127.0.0.1:{server.port}", server.token.text)
        stage.stop()
        thread.join(10)


def test_one_browser_gets_in_once_and_only_by_the_whole_address(visitor: Visitor) -> None:
    for path in ("/", "/?token=", "/?token=guess", f"/?token={visitor.token[:-1]}"):
        assert visitor.get(path).status == 403
    visitor.enter()
    assert visitor.get(f"/?token={visitor.token}").status == 403, "the token was used"
    answer = visitor.get(visitor.seat)
    assert answer.status == 200 and all(answer.headers[name] == value for name, value in HEADERS.items())
    assert visitor.get(visitor.seat + "../../etc/passwd").status in (403, 404)
    assert visitor.get(visitor.seat + "serving.py").status == 404
    for cookie in ("", "fuselatch=guess"):
        visitor.cookie = cookie
        assert visitor.get(visitor.seat).status == 403


def test_a_page_comes_in_four_requests_and_what_does_not_change_is_kept(visitor: Visitor) -> None:
    visitor.enter()
    visitor.get(visitor.seat)
    names = re.findall(r'(?:href|src)="\.\./\.\./(static/\w{16}\.(?:js|css))"', visitor.body.decode())
    assert len(names) == 2 and visitor.body.count(b"<script") == 1
    sent = len(visitor.body)
    for name in names:
        plain, packed = visitor.get(f"/{name}"), visitor.get(f"/{name}", **{"Accept-Encoding": "gzip"})
        assert plain.status == packed.status == 200 and packed.headers["Content-Encoding"] == "gzip"
        assert "immutable" in packed.headers["Cache-Control"] and "Content-Encoding" not in plain.headers
        sent += int(packed.headers["Content-Length"])
    assert sent < 40_000
    assert visitor.get("/static/0123456789abcdef.js").status == visitor.get("/static/../serving.py").status == 404


@pytest.mark.parametrize(
    "headers", [{"Host": "quay.example"}, {"Host": "quay.example:80", "Origin": "http://quay.example"}, {"Origin": "http://quay.example"}, {"Origin": "null"}]
)  # fmt: skip
def test_another_host_or_origin_is_refused(visitor: Visitor, headers: dict[str, str]) -> None:
    assert visitor.get(f"/?token={visitor.token}", **headers).status == 403
    visitor.enter()
    assert visitor.get(visitor.seat, **headers).status == 403


WRONG = [
    "not JSON", "[1]", "[" * 60_000, '{"verb": "burn"}', '{"number": "1"}', '{"number": true}', '{"verb": "type", "more": 1}',
    '{"verb": "open", "text": ' + '"x' * 30_000, "x" * (LARGEST_FRAME + 10), '{"number": 1e400}', '{"verb": "time"}',
    json.dumps({"verb": "type", "control": "1.word", "text": "ö" * 30_000}),
]  # fmt: skip
UNKNOWN = [
    {"verb": "press", "control": "9.go"}, {"verb": "type", "control": "2.word", "text": "x"}, {"verb": "press", "control": "1.../../go"},
    {"verb": "open", "text": "saltmarsh.scenes:office"}, {"verb": "open", "text": "/etc/passwd"}, {"verb": "record", "form": "1", "text": "1"},
    {"verb": "type", "control": "1.word", "text": "x" * 10_001}, {"verb": "key", "key": "MediaPlay"}, {"verb": "move_line", "control": "1.a"},
    {"verb": "pick", "control": "1.pier", "item": "=Nowhere"},
]  # fmt: skip


def test_a_socket_is_guarded_too(visitor: Visitor, caplog: pytest.LogCaptureFixture) -> None:
    visitor.enter()
    for changed in (
        {"origin": None}, {"origin": "http://quay.example"}, {"origin": "null"}, {"cookie": ""}, {"cookie": "fuselatch=guess"},
        {"seat": "/at/guess/"}, {"seat": f"{visitor.seat}../"},
    ):  # fmt: skip
        with pytest.raises(InvalidStatus):
            visitor.live(**changed).close()
    for sent in WRONG:
        with visitor.live() as socket:
            assert "view" in json.loads(socket.recv(120))
            with pytest.raises(ConnectionClosed):
                socket.send(sent)
                socket.recv(120)
    with visitor.live("tab") as socket:
        before = json.loads(socket.recv(120))["view"]["forms"]
        for number, message in enumerate(UNKNOWN, 1):
            socket.send(json.dumps({"number": number, "serial": 99, **message}))
            told = json.loads(socket.recv(120))
            assert told["number"] == number and told["refused"], message
        socket.send('{"control": "7.pier", "start": 0, "stop": 999999999}')
        assert json.loads(socket.recv(120))["items"] == []
        socket.send('{"control": "\\ud800.x", "start": -1}')
        assert json.loads(socket.recv(120))["items"] == []
        socket.send(json.dumps({"number": 99, "serial": 99, "verb": "type", "control": "1.word", "text": "x"}))
        assert '"text"' not in socket.recv(120)  # what was typed isn't told back
    with visitor.live() as socket:
        after = json.loads(socket.recv(120))["view"]["forms"]
        assert [form["id"] for form in after] == [form["id"] for form in before]
        assert next(one["text"] for one in after[0]["controls"] if one["name"] == "word") == "x"
    assert caplog.records == []


class Fleet(Form):
    boat = Choice("Boat", choices=range(2_000))


def test_a_browser_gets_a_part_of_a_long_list_at_a_time() -> None:
    with Session(Fleet) as session:
        part = list_of(session, message_of({"control": session.view.forms[0].controls[0].id, "start": 100, "stop": 999_999}))
    assert (part["start"], len(part["items"]), part["items"][-1]["text"]) == (100, MOST_ITEMS, str(99 + MOST_ITEMS))


def test_a_browser_that_sends_too_much_is_slowed_down(visitor: Visitor) -> None:
    visitor.enter()
    with visitor.live("tab") as socket:
        socket.recv(120)
        start = monotonic()
        for number in range(1, MOST_A_SECOND * 2 + 1):
            socket.send(json.dumps({"number": number, "serial": 99, "verb": "hover", "control": "1.a"}))
        while json.loads(socket.recv(120))["number"] < MOST_A_SECOND * 2:
            pass
        assert monotonic() - start > 0.9


def test_what_was_carried_out_is_not_done_again(visitor: Visitor) -> None:
    visitor.enter()
    tick = {"number": 1, "serial": 99, "verb": "tick", "control": "1.on"}
    with visitor.live("one") as socket:
        socket.recv(120)
        socket.send(json.dumps(tick))
        assert json.loads(socket.recv(120))["number"] == 1
    with visitor.live("one") as socket:
        assert json.loads(socket.recv(120))["number"] == 1
        socket.send(json.dumps(tick))
        assert json.loads(socket.recv(120)) == {"number": 1, "view": {}}
