"""A browser for pages, started once, and pages at a stage."""

from __future__ import annotations

import shutil
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from time import monotonic, sleep
from typing import Any

import pytest

from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.view import View
from fuselatch.frontends.page.serving import Server
from fuselatch.frontends.stage import Stage
from fuselatch.scenes import NOW, Scene


@pytest.fixture(scope="session")
def browser() -> Iterator[Any]:
    """Debian's chromium, without any network but this computer's."""
    program = shutil.which("chromium")
    if program is None:
        pytest.skip("no chromium is installed; on Debian: apt-get install chromium")
    from playwright.sync_api import sync_playwright

    with sync_playwright() as started:
        rules = "--host-resolver-rules=MAP * ~NOTFOUND , EXCLUDE 127.0.0.1"
        found = started.chromium.launch(executable_path=program, args=[rules, "--disable-gpu", "--no-sandbox"])
        yield found
        found.close()


SLOW_LINE = """
const Plain = WebSocket;
window.WebSocket = class extends Plain {
  send(text) { if (!window.isStalled) setTimeout(() => super.readyState === 1 && super.send(text), DELAY); }
  set onmessage(hear) { super.onmessage = (event) => setTimeout(hear, DELAY, event); }
};
"""
"""Delays every message of a page and to it. While `isStalled` is set, none gets through."""


def until(met: Callable[[], bool]) -> None:
    """Wait until something is so, which fails after two minutes."""
    end = monotonic() + 120
    while not met():
        assert monotonic() < end, "it doesn't happen"
        sleep(0.005)


class Shown:
    """A scene that is shown on a page: its stage, its server, its page, and the clock."""

    server: Server

    def __init__(self, scene: Scene) -> None:
        self.now: datetime = scene.begins or NOW
        self.stage = Stage(scene, clock=lambda: self.now)
        self.page: Any = None
        self.outcome: Outcome | None = None
        self.thread = threading.Thread(target=self.run, daemon=True)

    def run(self) -> None:
        self.outcome = self.stage.run()

    @property
    def session(self) -> Any:
        assert self.stage.fed is not None
        return self.stage.fed.session

    @property
    def fed(self) -> Any:
        assert self.stage.fed is not None
        return self.stage.fed.fed

    @property
    def view(self) -> View:
        assert self.stage._view is not None
        return self.stage._view

    def cut(self) -> None:
        """Cut all connections, with what is on its way."""
        for connection in list(self.server._server.server_state.connections):
            protocol: Any = connection
            protocol.loop.call_soon_threadsafe(protocol.transport.abort)

    def settle(self) -> None:
        """Wait until the page shows what came of everything that was done in it."""
        end = monotonic() + 120
        while not self.page.evaluate("document.body.isQuiet()"):
            assert monotonic() < end, "the page doesn't come to rest"


@contextmanager
def showing(
    browser: Any, scene: Scene, delay: int = 0, lost: bool = False, until: str = ".form", theme: Any = None, **options: Any
) -> Iterator[Shown]:
    """Show a scene; give what is shown. Anything that the page complains about fails the test.

    `delay`: the milliseconds that each message takes. `lost`: connections may be lost, which the browser complains about.
    `until`: what the page shows once it is ready.
    """
    shown = Shown(scene)
    shown.thread.start()
    with Server(shown.stage, theme=theme) as server:
        shown.server = server
        context = browser.new_context(**{"viewport": {"width": 1280, "height": 800}, **options})
        page = shown.page = context.new_page()
        if delay:
            page.add_init_script(SLOW_LINE.replace("DELAY", str(delay)))
        complaints: list[str] = []
        page.on("console", lambda message: complaints.append(message.text) if message.type in ("error", "warning") else None)
        page.on("pageerror", lambda error: complaints.append(str(error)))
        page.set_default_timeout(120_000)
        page.goto(server.address)
        page.wait_for_selector(until)
        try:
            yield shown
        finally:
            context.close()
            shown.stage.stop()
            shown.thread.join(10)
    assert lost or complaints == []
