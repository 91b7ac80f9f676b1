"""A user at a page: does the steps of cue sheets by mouse and keys."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from concurrent.futures import Executor, Future
from types import SimpleNamespace
from typing import Any

from fuselatch.core.model.choices import item_id
from fuselatch.core.model.gestures import Gesture
from fuselatch.frontends.conformance import Played, steps_of
from fuselatch.rehearsal import CueSheet
from fuselatch.rehearsal.desk import duration_of
from fuselatch.rehearsal.picking import item_meant
from fuselatch.rehearsal.run import lets_calls_wait
from fuselatch.rehearsal.slow import call_named, error_named, result_of, stand_in_of
from fuselatch.scenes import Scene
from tests.frontends.conftest import Shown, showing, until

KEYS = {"Up": "ArrowUp", "Down": "ArrowDown", "Ctrl": "Control"}


PASTE = """cells => {
    const clipboardData = new DataTransfer();
    clipboardData.setData("text/plain", cells);
    document.activeElement.dispatchEvent(new ClipboardEvent("paste", {clipboardData, bubbles: true, cancelable: true}));
}"""


class Held(Executor):
    """Runs stand-ins at once, and nothing else: a step of the sheet ends it."""

    def __init__(self, stand_ins: Mapping[Callable[..., Any], Callable[..., Any]]) -> None:
        self.stand_ins = stand_ins

    def submit(self, fn: Callable[..., Any], /, *args: Any, **named: Any) -> Future[Any]:
        future: Future[Any] = Future()
        if fn in self.stand_ins:
            future.set_result(self.stand_ins[fn](*args, **named))
        return future


class Player:
    """Does the steps of a cue sheet as a user would, by mouse and keys."""

    def __init__(self, shown: Shown) -> None:
        self.shown = shown
        self.page = shown.page

    def control(self, name: str) -> Any:
        first, _, rest = name.partition(".")
        if not (rest and first[:1].isupper()):
            return self.turned_to(self.page.locator(f".form.front [data-control='{name}']"))
        named = f".form[data-form='{first}']"
        form = named if self.page.locator(named).count() else f".form[data-form^='{first}#']"
        return self.turned_to(self.page.locator(f"{form} [data-control='{rest}']"))

    def turned_to(self, found: Any) -> Any:
        """Turn to the tab page that something is on, as a user does who looks for it."""
        hidden = found.locator("xpath=ancestor::*[@role='tabpanel' and @hidden]")
        if hidden.count():
            self.page.locator(f"[id='{hidden.first.get_attribute('aria-labelledby')}']").click()
        return found

    def do(self, verb: str, words: list[str]) -> None:
        getattr(self, verb)(*words)
        self.shown.settle()

    def type(self, name: str, text: str) -> None:
        if self.control(name).locator(".items, table").count():
            # A list that is always open has no field: its letters are keys.
            self.focus(name)
            self.shown.settle()
            self.page.keyboard.type(text)
            return
        field = self.control(name).locator("input:not(.native), textarea")
        field.click()
        self.shown.settle()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)

    def paste(self, name: str, text: str) -> None:
        field = self.control(name).locator("input:not(.native), textarea")
        field.click()
        self.shown.settle()
        field.fill(text)

    def clear(self, name: str) -> None:
        self.paste(name, "")

    def focus(self, name: str) -> None:
        self.control(name).locator("input, textarea, button, table, ul").first.focus()

    def hover(self, name: str) -> None:
        self.control(name).locator("input").hover()

    def press(self, name: str) -> None:
        self.control(name).locator("button").click()

    def tick(self, name: str) -> None:
        self.control(name).locator("input").click()

    untick = tick

    def pick(self, name: str, text: str, *which: str) -> None:
        place = int(which[1]) - 1 if which[:1] == ("at",) else 0
        if which[:1] == ("where",):
            listed = self.shown.session.control(name)
            meant = item_meant(SimpleNamespace(session=self.shown.session), name, text, which)  # type: ignore[arg-type]
            place = [item_id(listed.choices, at) for at, each in enumerate(listed.choices.shown()) if each == text].index(
                meant
            )
        if self.control(name).locator(".items, table").count():
            named = self.control(name).locator(".items li, td").get_by_text(re.compile(rf"^{re.escape(text)}( \(\d+\))?$"))
            named.nth(place).click()
            return
        self.control(name).locator("input").click()
        self.shown.settle()
        if self.control(name).locator("input").get_attribute("aria-expanded") == "false":
            self.control(name).locator(".arrow").click()
        self.option(name, text).nth(place).click()
        if self.control(name).get_by_role("listbox").is_visible():  # several may be picked
            self.control(name).locator(".arrow").click()

    def option(self, name: str, text: str) -> Any:
        """Return the options with this text in an open list, scrolled to."""
        # Of items that read the same, each has its place behind its text.
        named = re.compile(rf"^{re.escape(text)}( \(\d+\))?$")
        found, box = self.control(name).get_by_role("option", name=named), self.control(name).locator(".listed")
        for _ in range(200):
            if found.count():
                break
            box.evaluate("box => box.scrollTop += box.clientHeight / 2")
            self.shown.settle()
        return found

    def to_front(self, name: str) -> None:
        box = self.page.locator(f".form[data-form='{name}']").bounding_box()
        self.page.mouse.click(box["x"] + 3, box["y"] + 3)

    def open(self, name: str) -> None:
        self.page.locator(f"nav [data-offer='{name}']").click()

    def double(self, name: str, text: str = "") -> None:
        self.control(name).get_by_text(text, exact=True).first.dblclick()

    def sort(self, name: str, column: str) -> None:
        caption = self.shown.session.control(name).declared.columns[column]
        self.control(name).locator("th").get_by_text(caption).click()

    def record(self, where: str) -> None:
        bar = self.page.locator(".form.front .bar")
        if bar.locator(f"[name='{where}']").count():
            bar.locator(f"[name='{where}']").click()
        else:
            bar.locator("input").fill(where)
            bar.locator("input").press("Enter")

    def add_line(self, name: str) -> None:
        self.control(name).locator("[name='add']").click()

    def remove_line(self, name: str) -> None:
        self.page.locator(f".form.front [data-line='{name}'] [name='remove_line']").click()

    def move_line(self, name: str, to: str) -> None:
        lines = name.rpartition("[")[0]
        ends = [
            self.page.locator(f".form.front .line:has([data-line='{line}']) .number") for line in (name, f"{lines}[{to}]")
        ]
        ends[0].drag_to(ends[1])

    def tab(self, keys: str = "Tab") -> None:
        """Go on to the next control, past what the page adds, or to what is asked."""
        for _ in range(40):
            self.page.keyboard.press(keys)
            self.shown.settle()
            if self.page.evaluate(
                "document.querySelector('.prompt') || document.activeElement.matches('[data-control] :not([name])')"
            ):
                return
        raise AssertionError("Tab doesn't come round")

    def back_tab(self) -> None:
        self.tab("Shift+Tab")

    def key(self, keys: str) -> None:
        if keys == "Enter" and self.page.locator(".prompt").count():
            self.page.wait_for_timeout(450)  # a prompt takes no Enter at first
        if len(keys) == 1 and self.page.evaluate("document.activeElement.matches('ul, table')"):
            self.page.wait_for_timeout(1_100)  # letters that come within a second are one text
        self.page.keyboard.press("+".join(KEYS.get(key, key) for key in keys.split("+")))

    def paste_rows(self, name: str, cells: str) -> None:
        self.control(name).locator("input").click()
        self.shown.settle()
        self.page.evaluate(PASTE, cells)

    def take_back(self) -> None:
        self.page.keyboard.press("Control+z")

    def end_call(self, name: str, how: str, result: object = None) -> None:
        call = call_named(self.shown.session, name)
        self.shown.stage._put_end(Gesture(verb="slow_call", control=call.id, text=how, result=result))
        until(lambda: call not in self.shown.session.slow_calls)

    def finish(self, name: str, word: str = "") -> None:
        call = call_named(self.shown.session, name)
        result = result_of(word, call.function) if word else stand_in_of(self.shown.stage.scene, call)(*call.args)
        self.end_call(name, "finished", result)

    def fail(self, name: str, text: str, kind: str = "RuntimeError") -> None:
        self.end_call(name, "failed", error_named(text, kind))

    def time_out(self, name: str) -> None:
        self.end_call(name, "timed_out")

    def cancel_call(self, name: str) -> None:
        self.page.locator(f"[data-call={call_named(self.shown.session, name).id}] button").click()

    def answer(self, caption: str) -> None:
        self.page.locator(".prompt").get_by_role("button", name=caption, exact=True).click()

    def close(self) -> None:
        if self.page.locator(".prompt").count():
            self.key("Escape")
        else:
            self.page.locator(".form.front .close").click()

    def wait(self, duration: str) -> None:
        shown = self.shown
        end = shown.now + duration_of(duration)
        while (wakes := shown.session.wakes_at) is not None and wakes <= end:
            shown.now = wakes
            shown.stage.wake()
            until(lambda wakes=wakes: shown.session.wakes_at != wakes)  # type: ignore[misc]
        shown.now = end


def play(browser: Any, look: Callable[[Shown], object] = lambda shown: None) -> Callable[[Scene, CueSheet], Played]:
    """Return how a sheet is played in a browser. `look` sees what each step has come to."""

    def at(scene: Scene, sheet: CueSheet) -> Played:
        waits = any(map(lets_calls_wait, sheet.steps))
        scene.slow_calls_on = Held({} if waits else scene.slow_calls_by)
        with showing(browser, scene) as shown:
            player = Player(shown)
            for verb, words in steps_of(sheet):
                player.do(verb, list(words))
                look(shown)
            return Played(shown.session._state.trace, list(shown.fed))

    return at
