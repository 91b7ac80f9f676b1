"""Pages for everyone: the keyboard alone reaches all of a form and of the page, and leads out again."""

from __future__ import annotations

from typing import Any

import pytest

from fuselatch import Button, Choice, Form, Group, Integer, Label, Lines, Number, Text, Tick
from fuselatch.rehearsal.loading import importing_from
from fuselatch.scenes import Scene
from tests.frontends.conftest import showing
from tests.frontends.player import Player
from tests.frontends.test_page import EXAMPLES

FOCUSED = """(() => {
  const at = document.activeElement;
  return at.name || at.dataset.offer || at.closest("[data-control]")?.dataset.control || at.className || at.tagName;
})()"""


@pytest.mark.parametrize("name", ["quiet_monday", "searching", "office"])
@pytest.mark.parametrize("key", ["Tab", "Shift+Tab"])
def test_tab_goes_round_all_of_a_form_and_of_the_page(name: str, key: str, browser: Any) -> None:
    with importing_from([EXAMPLES]):
        from saltmarsh import scenes

        with showing(browser, getattr(scenes, name)()) as shown:
            if name == "office":
                Player(shown).do("add_line", ["extras"])

            seen: list[str] = []
            for _ in range(60):
                shown.page.keyboard.press(key)
                shown.settle()
                seen.append(shown.page.evaluate(FOCUSED))
            assert shown.stage._view is not None
            form = shown.stage._view.forms[-1]
            wanted = {one.name for one in form.controls if one.enabled and one.takes_focus}
            wanted |= {"close quiet"} | ({"add", "next"} if name == "office" else set())
            assert wanted <= set(seen), f"not reached: {wanted - set(seen)}"
            assert "BODY" in seen or "guard" in seen, "never leaves the page"


class Wide(Group):
    what = Text("What was brought aboard, in as many words as the clerk likes to write", required=True)
    count = Integer("Count", required=True)
    each = Number("Price of each", unit="EUR")
    done = Tick("Done")


class Crowded(Form, title="W" * 300):
    """Captions, texts and units as long as they come."""

    name = Text("x" * 300, required=True, help="y" * 300)
    words = Text("Words " * 50, default="z" * 300)
    side = Choice("Side " * 60, choices=("port" * 60, "starboard"), default="starboard", required=True)
    picked = Choice("Picked", choices=("port" * 60, "starboard"), look="list")
    agreed = Tick("Agreed " * 40, required=True)
    extras = Lines(Wide, "Extras " * 40)
    note = Label("Note", value="n" * 300)
    book = Button("Book " * 30, closes="accepted")


OUTSIDE = """[...document.querySelectorAll('.form *')].filter((node) => {
    const box = node.getBoundingClientRect();
    return node.offsetParent && !node.closest('.unseen, .listed, .rows') && box.width > 0 && (box.left < -1 || box.right > innerWidth + 1);
}).map((node) => `${node.tagName} ${node.className} ${node.textContent.slice(0, 20)}`)"""


@pytest.mark.parametrize("width", [320, 768, 1280, 1920])
def test_nothing_is_outside_of_the_window(width: int, browser: Any) -> None:
    with showing(browser, Scene(Crowded), viewport={"width": width, "height": 800}) as shown:
        for _ in range(2):
            shown.page.click("[name=add]")
        shown.settle()
        shown.page.locator("[data-control=book] button").click()
        shown.settle()
        assert shown.page.evaluate(OUTSIDE) == []
        assert shown.page.evaluate("document.documentElement.scrollWidth <= innerWidth")
