"""Forms as pages in a real browser: cue sheets played by mouse and keys, and what only a page can do wrong."""

from __future__ import annotations

import re
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from fuselatch.core.model.errors import FuseLatchError
from fuselatch.rehearsal import read_cue_file, run_cues
from fuselatch.rehearsal.loading import importing_from
from fuselatch.rehearsal.run import desk_for
from fuselatch.scenes import open_session
from fuselatch.services import DrawingBoard, Drawings, LetterBox, Letters
from tests.frontends.conftest import Shown, showing
from tests.helpers import told

EXAMPLES = Path(__file__).parents[2] / "examples"
SHEETS = [path for path in sorted(EXAMPLES.rglob("*.cues")) if path.stem != "office" and not path.stem.startswith("_")]
RUNS = [(path.parent, run) for path in SHEETS for run in read_cue_file(path).runs]
KEYS = {"Up": "ArrowUp", "Down": "ArrowDown", "Ctrl": "Control"}
EFFECTS = ("event", "handler", "change", "finding", "prompt", "answer", "open", "close", "write", "latch", "block", "skip")


class Player:
    """Does the steps of a cue sheet as a user would, by mouse and keys."""

    def __init__(self, shown: Shown) -> None:
        self.shown = shown
        self.page = shown.page

    def control(self, name: str) -> Any:
        first, _, rest = name.partition(".")
        if not (rest and first[:1].isupper()):
            return self.page.locator(f".form.front [data-control='{name}']")
        named = f".form[data-form='{first}']"
        form = named if self.page.locator(named).count() else f".form[data-form^='{first}#']"
        return self.page.locator(f"{form} [data-control='{rest}']")

    def do(self, verb: str, words: list[str]) -> None:
        getattr(self, verb)(*words)
        self.shown.settle()

    def type(self, name: str, text: str) -> None:
        field = self.control(name).locator("input, textarea")
        field.click()
        self.shown.settle()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)

    def paste(self, name: str, text: str) -> None:
        field = self.control(name).locator("input, textarea")
        field.click()
        self.shown.settle()
        field.fill(text)

    def clear(self, name: str) -> None:
        self.paste(name, "")

    def focus(self, name: str) -> None:
        self.control(name).locator("input, textarea, button").first.focus()

    def press(self, name: str) -> None:
        self.control(name).locator("button").click()

    def tick(self, name: str) -> None:
        self.control(name).locator("input").click()

    untick = tick

    def pick(self, name: str, text: str) -> None:
        self.control(name).locator("input").click()
        self.shown.settle()
        if self.control(name).locator("input").get_attribute("aria-expanded") == "false":
            self.control(name).locator("button.arrow").click()
        self.control(name).get_by_role("option", name=text, exact=True).click()
        if self.control(name).get_by_role("listbox").is_visible():  # several may be picked
            self.control(name).locator("button.arrow").click()

    def open(self, name: str) -> None:
        self.page.locator(f"nav [data-offer='{name}']").click()

    def tab(self) -> None:
        self.page.keyboard.press("Tab")

    def back_tab(self) -> None:
        self.page.keyboard.press("Shift+Tab")

    def key(self, keys: str) -> None:
        self.page.keyboard.press("+".join(KEYS.get(key, key) for key in keys.split("+")))

    def answer(self, caption: str) -> None:
        self.page.locator(".prompt").get_by_role("button", name=caption, exact=True).click()

    def close(self) -> None:
        if self.page.locator(".prompt").count():
            self.key("Escape")
        else:
            self.page.locator(".form.front .close").click()

    def wait(self, duration: str) -> None:
        number, unit = re.fullmatch(r"(\d+)([smhd])", duration).groups()  # type: ignore[union-attr]
        self.shown.now += timedelta(**{{"s": "seconds", "m": "minutes", "h": "hours", "d": "days"}[unit]: int(number)})


PLAYED = [(folder, run) for folder, run in RUNS if all(cue.verb == "expect" or hasattr(Player, cue.verb) for cue in run.steps)]


def effects(trace: Any) -> list[str]:
    """Return what came of the steps, without the steps themselves and the pointer."""
    return [line for line in told(trace, *EFFECTS) if "hovered" not in line]


@pytest.mark.parametrize(("folder", "sheet"), PLAYED, ids=[Path(run.title).name for _, run in PLAYED])
def test_a_cue_sheet_does_the_same_through_the_page(folder: Path, sheet: Any, browser: Any) -> None:
    with importing_from([folder]):
        with showing(browser, desk_for(sheet, None).scene) as shown:
            player = Player(shown)
            for cue in sheet.steps:
                if cue.verb != "expect":
                    player.do(cue.verb, list(cue.texts()))
            trace, fed, read = shown.session._state.trace, shown.fed, list(shown.read)
        headless = run_cues(sheet)
        assert headless.problems == [] and effects(trace) == effects(headless.trace)
        services = {Letters: LetterBox(), Drawings: DrawingBoard()}
        again = open_session(desk_for(sheet, None).scene, lambda: read.pop(0) if len(read) > 1 else read[0], services)
        for gesture, _, raised in fed:
            try:
                again.feed(gesture)
            except FuseLatchError as error:
                assert type(error) is raised
        assert again.trace.to_jsonl() == trace.to_jsonl()
