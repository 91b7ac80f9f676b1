"""From a key to the picture on the screen, against an empty page in the same browser, and the bytes that a key takes."""

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

from common import HEADING, ratio

from fuselatch import Choice, Form, Number, Text, derive
from fuselatch.frontends.page.serving import Server
from fuselatch.frontends.stage import Stage
from fuselatch.scenes import Scene

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "examples"))
KEYS = 120
COUNT = 1_000_000
EMPTY = "<!doctype html><title>empty</title><input autofocus>"
# `took`: for each key the milliseconds until what came of it was painted. A page is done when nothing waits for an answer.
WATCH = """
window.took = []; window.bytes = [];
let since = 0, size = 0, done = async () => true;
const painted = () => requestAnimationFrame(() => { const { port1, port2 } = new MessageChannel();
  port1.onmessage = () => { if (since) { took.push(performance.now() - since); bytes.push(size); } since = 0; }; port2.postMessage(0); });
const look = async () => { if (since && await done()) painted(); };
addEventListener("keydown", () => { since = performance.now(); size = 0; }, true);
if (location.protocol === "data:") addEventListener("input", look);
else done = async () => (await import(new URL("page.js", location.href).href)).isQuiet();
const Plain = WebSocket;
window.WebSocket = class extends Plain {
  constructor(...given) { super(...given); this.addEventListener("message", (event) => { size += event.data.length; setTimeout(look); }); }
  send(text) { size += text.length; super.send(text); }
};
"""


@contextmanager
def page_of(browser: Any, what: str | None, control: str = "") -> Iterator[Callable[[str], tuple[float, float]]]:
    """Show one of the scenes (None: an empty page); give what types a key, and returns milliseconds and bytes."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.add_init_script(WATCH)
    server = None
    if what is None:
        page.goto(f"data:text/html,{EMPTY}")
    else:
        # In a process of its own, as a user has it: this one is busy with the browser.
        server = subprocess.Popen([sys.executable, __file__, what], stdout=subprocess.PIPE, text=True)
        assert server.stdout is not None
        page.goto(server.stdout.readline().strip())
        page.wait_for_selector(".form")
        page.locator(f"[data-control='{control}'] input").first.click()
        page.wait_for_timeout(2000)

    def press(key: str) -> tuple[float, float]:
        before = page.evaluate("took.length")
        page.keyboard.press(key)
        while page.evaluate("took.length") == before:
            page.wait_for_timeout(5)
        found: list[float] = page.evaluate("[took.at(-1), bytes.at(-1)]")
        return found[0], found[1]

    try:
        yield press
    finally:
        context.close()
        if server is not None:
            server.kill()
            server.wait()


def booking() -> Scene:
    """The marina's booking."""
    from marina.scenes import quiet_monday

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
    ("a key at the marina's booking", booking, "vessel", "Eider of the north ", 1.5),
    ("a key among 500 controls", controls, "first", "Eider of the north ", 2.5),
    (f"a key in a list of {COUNT:,} items", choices, "boat", "boat 123456".ljust(KEYS, "7"), 2.0),
)


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
                took: tuple[list[float], list[float]] = ([], [])
                size: list[float] = []
                for at in range(KEYS):
                    key = text[at % len(text)]
                    took[1].append(plain(key)[0])
                    milliseconds, taken = ours(key)
                    took[0].append(milliseconds)
                    size.append(taken)
                good &= ratio(what, median(took[0]) * 1000, median(took[1]) * 1000, reach)
                if control == "vessel":
                    most = max(size[:100])
                    good &= most <= 300
                    print(f"  bytes a key, in an entry of up to 100 characters: {median(size[:100]):.0f}, at most {most:.0f} (to reach: 300)")
        browser.close()
    return good


def serve(what: str) -> None:
    """Show a scene, and print its address."""
    stage = Stage({"booking": booking, "controls": controls, "choices": choices}[what]())
    with Server(stage) as server:
        stage.run(lambda: print(server.address, flush=True))


if __name__ == "__main__":
    if len(sys.argv) > 1:
        serve(sys.argv[1])
        sys.exit()
    raise SystemExit(0 if main() else 1)
