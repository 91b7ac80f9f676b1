"""`fuselatch show`, called as a macro in another language would, with a stand-in for the browser."""

from __future__ import annotations

import http.client
import json
import socket
import subprocess
import sys
from pathlib import Path
from typing import Any, cast

import pytest
from websockets.sync.client import connect

EXAMPLES = Path(__file__).parents[2] / "examples"
CALL = [sys.executable, "-m", "fuselatch", "show", "--no-browser", "--json", "--from", str(EXAMPLES)]


def start(*words: str) -> subprocess.Popen[str]:
    return subprocess.Popen([*CALL, *words], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)


@pytest.mark.parametrize(("button", "code", "verdict"), [("book", 0, "accepted"), ("leave", 1, "cancelled")])
def test_a_form_is_shown_and_its_outcome_printed(button: str, code: int, verdict: str) -> None:
    process = start("stay:Stay", "--user", "imke")
    assert process.stderr is not None
    address = process.stderr.readline().split()[1].removeprefix("http://")
    host, _, path = address.partition("/")
    connection = http.client.HTTPConnection(host, timeout=20)
    connection.request("GET", f"/{path}")
    answer = connection.getresponse()
    seat, cookie = answer.headers["Location"], answer.headers["Set-Cookie"].partition(";")[0]
    connection.close()
    with connect(
        f"ws://{host}{seat}live", origin=cast(Any, f"http://{host}"), additional_headers={"Cookie": cookie}
    ) as live:
        serial = json.loads(live.recv(20))["view"]["serial"]
        for number, (verb, control, text) in enumerate([("type", "1.vessel", "Eider"), ("press", f"1.{button}", "")], 1):
            live.send(json.dumps({"number": number, "serial": serial, "verb": verb, "control": control, "text": text}))
        while "over" not in json.loads(live.recv(20)):
            continue
    out, _ = process.communicate(timeout=30)
    values = {"vessel": "Eider", "nights": 1, "price": "34.00"} if code == 0 else {}
    assert json.loads(out) == {"verdict": verdict, "values": values, "overrides": []} and process.returncode == code


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("stay:Sty",), "stay has no form or scene 'Sty'; did you mean 'Stay'"),
        (("sty:Stay",), "module 'sty' not found; did you mean 'stay'"),
        (("stay",), "'stay' isn't a form; write MODULE:NAME"),
        (("harbours:HarbourForm", "--records", "nofile.db"), "nofile.db"),
        (("harbours:harbours", "--at", "99"), "'harbours' has no record '99'; choose from 1, 2"),
        (("stay:Stay", "--port", "TAKEN"), "can't use port"),
        (("stay:Stay", "--port", "70000"), "70000 is not in the range"),
    ],
)
def test_an_error_is_one_line_and_code_2(words: tuple[str, ...], told: str) -> None:
    with socket.create_server(("127.0.0.1", 0)) as taken:
        process = start(*(word.replace("TAKEN", str(taken.getsockname()[1])) for word in words))
        out, errors = process.communicate(timeout=30)
    assert (process.returncode, out) == (2, "") and told in errors and "Traceback" not in errors
