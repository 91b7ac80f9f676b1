"""A load test: 200 sessions at 2 gestures a second each, at one server process on this computer.

    python benchmarks/load_pages.py [SESSIONS] [SECONDS]

Prints how long answers take, and the server's memory.
"""

from __future__ import annotations

import asyncio
import json
import resource
import subprocess
import sys
import threading
import urllib.request
from pathlib import Path
from statistics import quantiles
from time import monotonic, perf_counter
from typing import Any

A_SECOND = 2
"""The gestures a second of each session."""
HERE = Path(__file__).resolve().parent


def serve() -> None:
    """Serve the marina's bookings; print the port, and the most memory once the standard input is closed."""
    sys.path.insert(0, str(HERE.parent / "examples"))
    import uvicorn
    from saltmarsh.scenes import quiet_monday

    from fuselatch.frontends.page import app

    config = uvicorn.Config(
        app(lambda request: quiet_monday()),
        host="127.0.0.1",
        port=0,
        log_level="error",
        lifespan="off",
        ws="websockets-sansio",
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        threading.Event().wait(0.01)
    print(server.servers[0].sockets[0].getsockname()[1], memory(), flush=True)
    sys.stdin.read()
    print(memory(), len(threading.enumerate()), flush=True)


def memory() -> int:
    """Return the most memory that this process has had, in kB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss


class NoRedirect(urllib.request.HTTPRedirectHandler):
    """Keeps the answer that says where a session is."""

    def redirect_request(self, *_: Any) -> None:
        return None


def enter(host: str) -> tuple[str, str]:
    """Open a session; return its path and its cookie."""
    try:
        urllib.request.build_opener(NoRedirect).open(f"http://{host}/")
    except urllib.error.HTTPError as answer:
        return answer.headers["Location"], answer.headers["Set-Cookie"].partition(";")[0]
    raise RuntimeError("the server opens no session")


async def use(host: str, number: int, seconds: float, took: list[float], opened: list[float]) -> None:
    """Type into a form at an even pace, and note how long each answer takes."""
    from websockets.asyncio.client import connect

    start = perf_counter()
    path, cookie = await asyncio.to_thread(enter, host)
    headers = {"Cookie": cookie, "Origin": f"http://{host}"}
    async with connect(f"ws://{host}{path}live", additional_headers=headers) as socket:
        view = json.loads(await socket.recv())["view"]
        opened.append(perf_counter() - start)
        names = [f"{view['forms'][0]['id']}.{name}" for name in ("vessel", "nights", "length")]
        await asyncio.sleep(number % 50 / 50 / A_SECOND)
        end, at = monotonic() + seconds, 0
        while monotonic() < end:
            at += 1
            before = perf_counter()
            told = {"number": at, "serial": 10**6, "verb": "type", "control": names[at // 8 % 3], "text": str(at)}
            await socket.send(json.dumps(told))
            while json.loads(await socket.recv()).get("number") != at:
                pass
            took.append(perf_counter() - before)
            await asyncio.sleep(max(0.0, 1 / A_SECOND - (perf_counter() - before)))


async def load(host: str, sessions: int, seconds: float) -> tuple[list[float], list[float]]:
    """Let sessions be used at the same time; return the seconds of each answer and of each opening."""
    took: list[float] = []
    opened: list[float] = []
    async with asyncio.TaskGroup() as group:
        for number in range(sessions):
            group.create_task(use(host, number, seconds, took, opened))
            await asyncio.sleep(0.01)
    return took, opened


def main(sessions: int, seconds: float) -> None:
    """Start the server, load it, and print what came of it."""
    command = [sys.executable, str(Path(__file__)), "serve"]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as server:
        assert server.stdout is not None and server.stdin is not None
        port, before = server.stdout.readline().split()
        took, opened = asyncio.run(load(f"127.0.0.1:{port}", sessions, seconds))
        server.stdin.close()
        after, threads = server.stdout.readline().split()
        server.kill()
    print(f"{sessions} sessions, {len(took)} gestures in {seconds:g} s")
    for what, times in (("opening", opened), ("a gesture", took)):
        half, most, nearly = (quantiles(times, n=100)[at] * 1000 for at in (49, 94, 98))
        print(
            f"  {what}, in ms: half within {half:.1f}, 95 % within {most:.1f}, 99 % within {nearly:.1f}, all within", end=" "
        )
        print(f"{max(times) * 1000:.0f}")
    grown = (int(after) - int(before)) / sessions
    print(
        f"  memory: {int(before) / 1024:.0f} MB before, {int(after) / 1024:.0f} MB with all: {grown:.0f} kB each", end="; "
    )
    print(f"{threads} threads")


if __name__ == "__main__":
    if sys.argv[1:] == ["serve"]:
        serve()
    else:
        main(int(sys.argv[1]) if len(sys.argv) > 1 else 200, float(sys.argv[2]) if len(sys.argv) > 2 else 10)
