"""From a key to its picture on the screen, against an empty page in the same browser, and the bytes that a key takes."""

from __future__ import annotations

import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from statistics import median
from types import new_class
from typing import Any

from common import HEADING, ratio, to_reach

from fuselatch import Choice, Form, Number, Text, derive
from fuselatch.frontends.page.serving import Server
from fuselatch.frontends.stage import Stage
from fuselatch.scenes import Scene

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "examples"))
KEYS = 120
COUNT = 1_000_000
EMPTY = "data:text/html,<!doctype html><title>empty</title><input autofocus>"
# For each key: the milliseconds until it was painted, until what came of it was painted, and the bytes on the line.
WATCH = """
window.took = [];
let since = 0, size = 0, first = 0;
const painted = (then) => requestAnimationFrame(() => {
  const { port1, port2 } = new MessageChannel();
  port1.onmessage = then;
  port2.postMessage(0);
});
const end = () => {
  if (!since || (page && !page.isQuiet())) return;
  painted(() => { if (since) took.push([first - since, performance.now() - since, size]); since = 0; });
};
addEventListener("keydown", () => { since = performance.now(); size = 0; first = 0; }, true);
const isEmpty = location.protocol === "data:";
addEventListener("input", () => painted(() => { first ||= performance.now(); if (isEmpty) end(); }), true);
let page = null;
const load = () => { page = document.body; };
if (!isEmpty) addEventListener("load", load);
const Plain = WebSocket;
window.WebSocket = class extends Plain {
  constructor(...words) {
    super(...words);
    this.addEventListener("message", (event) => { size += event.data.length; setTimeout(end); });
  }
  send(text) { size += text.length; super.send(text); }
};
"""


@contextmanager
def page_of(browser: Any, what: str | None, control: str = "") -> Iterator[Callable[[str], list[float]]]:
    """Show one of the scenes (None: an empty page); give what types a key, and returns milliseconds, twice, and bytes."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.add_init_script(WATCH)
    server = None
    if what is None:
        page.goto(EMPTY)
        page.locator("input").click()
    else:
        # In a process of its own, as a user has it: this one is busy with the browser.
        server = subprocess.Popen([sys.executable, __file__, what], stdout=subprocess.PIPE, text=True)
        assert server.stdout is not None
        page.goto(server.stdout.readline().strip())
        page.wait_for_selector(".form")
        page.locator(f"[data-control='{control}'] input").first.click()
        page.wait_for_timeout(1000)

    def press(key: str) -> list[float]:
        before = page.evaluate("took.length")
        page.keyboard.press(key)
        while page.evaluate("took.length") == before:
            page.wait_for_timeout(5)
        found: list[float] = page.evaluate("took.at(-1)")
        return found

    try:
        yield press
    finally:
        context.close()
        if server is not None:
            server.kill()
            server.wait()


def booking() -> Scene:
    """The marina's booking."""
    from saltmarsh.scenes import quiet_monday

    scene: Scene = quiet_monday()
    return scene


def controls() -> Scene:
    """A form with 500 controls, half of them derived."""
    members: dict[str, Any] = {"first": Text("First")}
    for number in range(250):
        entry = members[f"a{number}"] = Number(f"A {number}")
        entry.name = f"a{number}"
        members[f"b{number}"] = Number(f"B {number}", value=derive(lambda value: (value or 0) + 1, entry))
    return Scene(new_class("Many", (Form,), {}, lambda body: body.update(members)))


def choices() -> Scene:
    """A list of a million items."""

    class Long(Form):
        boat = Choice("Boat", choices=[(number, f"Boat {number}") for number in range(COUNT)])

    return Scene(Long)


CASES = (
    ("the marina's booking", booking, "vessel", "Eider of the north ", 1.5),
    ("500 controls", controls, "first", "Eider of the north ", 2.5),
    (f"{COUNT:,} items", choices, "boat", "boat 123456".ljust(KEYS, "7"), 2.0),
)


def serve(what: str) -> None:
    """Show a scene, and print its address, with all done that is done in idle time."""
    stage = Stage({"booking": booking, "controls": controls, "choices": choices}[what]())

    def ready() -> None:
        assert stage.fed is not None
        while stage.fed.session.idle(50_000):
            pass
        print(server.address, flush=True)

    with Server(stage) as server:
        stage.run(ready)


def main() -> bool:
    """Print the ratios; return True if all are in reach."""
    program = shutil.which("chromium")
    if program is None:
        print("no chromium is installed: pages aren't measured")
        return True
    from playwright.sync_api import sync_playwright

    good = True
    print(HEADING)
    with sync_playwright() as started:
        browser = started.chromium.launch(executable_path=program, args=["--disable-gpu", "--no-sandbox"])
        for what, scene, control, text, reach in CASES:
            with page_of(browser, None) as plain, page_of(browser, scene.__name__, control) as ours:
                bases, found = [], []
                for at in range(KEYS):
                    key = text[at % len(text)]
                    bases.append(plain(key)[0])
                    found.append(ours(key))
                base = median(bases) * 1000
                good &= ratio(f"{what}: a key is painted", median(each[0] for each in found) * 1000, base, reach)
                ratio(f"{what}: what came of it is painted", median(each[1] for each in found) * 1000, base, None)
                most = max(each[2] for each in found[:100])
                if control != "boat":
                    good &= most <= 300
                    print(f"  bytes for a key, in an entry of 100 characters: at most {most:.0f} {to_reach(most, 300)}")
        browser.close()
    return good


if __name__ == "__main__":
    if len(sys.argv) > 1:
        serve(sys.argv[1])
        sys.exit()
    sys.exit(0 if main() else 1)
