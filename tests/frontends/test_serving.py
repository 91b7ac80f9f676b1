"""Many users: a crew of threads, and several processes behind a proxy."""

from __future__ import annotations

import json
import re
import shutil
import socket
import subprocess
import sys
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, contextmanager
from pathlib import Path
from time import sleep
from typing import Any

import pytest
import uvicorn

from fuselatch.frontends.crew import Crew
from fuselatch.frontends.messages import message_of
from fuselatch.frontends.page import app
from fuselatch.frontends.stage import Stage
from fuselatch.scenes import Scene
from fuselatch.stores.sql import SqlRecords
from tests.bench import doing
from tests.frontends.conftest import until
from tests.frontends.visitor import Visitor

DOCS = Path(__file__).parents[2] / "docs"


def test_a_few_threads_run_many_sessions_each_always_on_its_own() -> None:
    told: dict[int, list[Any]] = {number: [] for number in range(40)}
    used: dict[int, set[int]] = {number: set() for number in range(40)}
    form = doing(go=lambda form: used[int(form.session.user)].add(threading.get_ident()))
    crew, stages = Crew(3), {}
    for number in told:
        stages[number] = Stage(Scene(form, user=f"{number}"))
        crew.take(stages[number])
        stages[number].join(told[number].append, "tab")
    for at in range(1, 6):
        for number, stage in stages.items():
            stage.send(message_of({"number": at, "serial": 99, "verb": "press", "control": "1.go"}), told[number].append)
    until(lambda: all(each and each[-1].get("number") == 5 for each in told.values()))
    assert len(crew) == 40 and len(set.union(*used.values())) == 3 and all(len(each) == 1 for each in used.values())
    for stage in stages.values():
        stage.stop()
    until(lambda: len(crew) == 0)
    assert all(each[-1]["over"] for each in told.values())


def test_a_session_ends_when_it_is_left_or_has_lasted_too_long(caplog: pytest.LogCaptureFixture) -> None:
    crew = Crew(1)
    told: list[list[Any]] = [[], [], []]
    stages = [Stage(Scene(doing()), unused=0.2), Stage(Scene(doing()), longest=0.3), Stage(Scene(doing()))]
    for stage, each in zip(stages, told, strict=True):
        crew.take(stage)
        stage.join(each.append)
    for number in range(1, 40):
        stages[1].send(message_of({"number": number, "serial": 99, "verb": "hover", "control": "1.a"}), told[1].append)
        sleep(0.01)
    until(lambda: len(crew) == 1)
    assert [each[-1].get("late") for each in told] == [True, True, None]
    stages[2].stop()
    broken = Stage(Scene(doing(opened=lambda form: 1 / 0)))
    left: list[Any] = []
    broken.join(left.append)
    crew.take(broken)
    until(lambda: broken.over and left == [{"over": True, "late": False}])
    assert "division by zero" in caplog.text
    leaving, staying = [Stage(Scene(doing(go=lambda form: sys.exit(3)))) for _ in range(2)]
    for stage in (leaving, staying):
        crew.take(stage)
    leaving.join(print)
    leaving.send(message_of({"number": 1, "serial": 99, "verb": "press", "control": "1.go"}), print)
    until(lambda: leaving.over)
    staying.stop()
    until(lambda: staying.over)


def test_no_more_sessions_than_wanted() -> None:
    config = uvicorn.Config(app(lambda request: Scene(doing()), most=1), port=0, log_level="error", lifespan="off")
    server = uvicorn.Server(config)
    threading.Thread(target=server.run, daemon=True).start()
    until(lambda: server.started)
    visitor = Visitor(f"127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}")
    visitor.enter()
    assert re.fullmatch(r"/at/[\w-]{32}/", visitor.seat)
    until(lambda: visitor.get("/").status == 503)
    server.should_exit = True
    with pytest.raises(ValueError, match="letters, digits"):
        app(lambda request: Scene(doing()), process="p.1")


PROCESS = """
import sys
import uvicorn
from fuselatch import Button, Form, Text
from fuselatch.frontends.page import app
from fuselatch.scenes import Scene
from fuselatch.stores.sql import SqlRecords

class Note(Form, title="Note", records="words"):
    word = Text("Word")
    save = Button("Save", submits=True, after_submit="same")

name, port, address = sys.argv[1:]
served = app(lambda request: Scene(Note, records=SqlRecords(address), user=name), process=name)
uvicorn.run(served, port=int(port), log_level="error", lifespan="off", ws="websockets-sansio")
"""


def free_ports(count: int) -> list[int]:
    with ExitStack() as stack:
        sockets = [stack.enter_context(socket.socket()) for _ in range(count)]
        for each in sockets:
            each.bind(("127.0.0.1", 0))
        return [each.getsockname()[1] for each in sockets]


@contextmanager
def behind_nginx(tmp_path: Path, address: str) -> Iterator[str]:
    """Two processes behind the proxy of docs/serving.md; give its host and port."""
    (tmp_path / "process.py").write_text(PROCESS, encoding="utf-8")
    front, *backs = free_ports(3)
    found = re.search(r"```nginx\n(.*?)```", (DOCS / "serving.md").read_text(encoding="utf-8"), re.S)
    assert found is not None
    said = found[1]
    for old, new in zip((8000, 8001, 8002), (front, *backs), strict=True):
        said = said.replace(f":{old}", f":{new}")
    kept = "".join(f"{name}_temp_path {tmp_path};" for name in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi"))
    whole = f"daemon off; error_log stderr; pid {tmp_path}/pid; events {{}} http {{ access_log off; {kept} {said} }}"
    (tmp_path / "nginx.conf").write_text(whole, encoding="utf-8")
    with ExitStack() as stack:
        for name, port in zip(("p1", "p2"), backs, strict=True):
            stack.enter_context(running([sys.executable, str(tmp_path / "process.py"), name, str(port), address], port))
        stack.enter_context(running(["nginx", "-c", str(tmp_path / "nginx.conf")], front))
        yield f"127.0.0.1:{front}"


@contextmanager
def running(command: list[str], port: int) -> Iterator[None]:
    """Run a program until the block ends, once it listens."""
    with subprocess.Popen(command) as process:

        def listens() -> bool:
            assert process.poll() is None, "it has ended"
            with socket.socket() as each:
                return each.connect_ex(("127.0.0.1", port)) == 0

        try:
            until(listens)
            yield
        finally:
            process.terminate()


def write(host: str, word: str) -> str:
    """Save a word in a new record, with a connection for each step; return the name of the process."""
    visitor = Visitor(host)
    visitor.enter()
    steps = [{"verb": "record", "form": "1", "text": "new"}, {"verb": "type", "control": "1.word", "text": word}, {"verb": "press", "control": "1.save"}]  # fmt: skip
    for number, gesture in enumerate(steps, 1):
        with visitor.live("tab") as live:
            live.recv(120)
            live.send(json.dumps({"number": number, "serial": 99, **gesture}))
            while json.loads(live.recv(120)).get("number") != number:
                pass
    return visitor.seat.split("/")[2].partition(".")[0]


@pytest.mark.skipif(shutil.which("nginx") is None, reason="no nginx is installed; on Debian: apt-get install nginx-light")
def test_a_proxy_keeps_each_session_on_its_process_and_records_are_shared(tmp_path: Path, postgresql: str) -> None:
    SqlRecords(postgresql).create("words", [{"id": 1, "word": "word"}], key="id")

    with behind_nginx(tmp_path, postgresql) as host, ThreadPoolExecutor(8) as users:
        came = set(users.map(lambda number: write(host, f"word {number}"), range(8)))
    assert came == {"p1", "p2"}
    words = {row["word"] for row in SqlRecords(postgresql).read("words")}
    assert words - {"word"} == {f"word {number}" for number in range(8)}
