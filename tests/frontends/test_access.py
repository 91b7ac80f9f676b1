"""Pages for everyone: the keyboard alone reaches all of a form and of the page, and leads out again."""

from __future__ import annotations

from io import BytesIO
from itertools import pairwise
from typing import Any

import pytest
from PIL import Image

from fuselatch import Button, Choice, Date, Form, Group, Integer, Label, Lines, Number, Text, Theme, Tick
from fuselatch.frontends.page.themes import contrast
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


class Deck(Group):
    what = Choice("What", choices=("rope", "paint"))
    count = Integer("Count", default=1)


class Everything(Form, title="Everything"):
    """One of each, to be measured."""

    name = Text("Name", required=True)
    side = Choice("Side", choices=("port", "starboard"))
    extras = Choice("Extras", choices=("power", "water"), multiple=True, default=("power",))
    day = Date("Day")
    lit = Tick("Lit")
    berths = Choice("Berths", choices=("N1", "N2"), look="list", default="N2")
    deck = Lines(Deck, "Deck")
    note = Text("Note", look="multi-line")
    order = Button("Order", closes="accepted", keys="Ctrl+Enter")
    leave = Button("Leave", closes="cancelled")


LOOKS: list[tuple[str, dict[str, Any]]] = [
    ("light", {}),
    ("dark", {"color_scheme": "dark"}),
    ("theme", {"theme": Theme(accent=("#7a2e5d", "#e59ac8"), ground=("#f4edf1", "#1a1218"), radius=0)}),
    ("forced", {"forced_colors": "active"}),
]


@pytest.mark.parametrize(("look", "options"), LOOKS, ids=[look for look, _ in LOOKS])
def test_edges_of_entries_picks_and_the_focus_are_seen(look: str, options: dict[str, Any], browser: Any) -> None:
    with showing(browser, Scene(Everything), **options) as shown:
        page = shown.page
        page.locator("[data-control=name] input").focus()
        page.wait_for_timeout(100)
        pixels = Image.open(BytesIO(page.screenshot())).convert("RGB")

        def differs(selector: str, first: int, last: int, outside: int = -4) -> float:
            """Return the contrast of an edge: of the pixels so far from the start of a box, in its middle, with one outside."""
            box = page.locator(selector).first.bounding_box()
            row = [
                pixels.getpixel((int(box["x"]) + at, int(box["y"] + box["height"] / 2)))
                for at in (*range(first, last), outside)
            ]
            return max(contrast(one, row[-1]) for one in row[:-1])  # type: ignore[arg-type]

        measured = {
            "an entry": differs("[data-control=side] input", 0, 2),
            "a tick box": differs("[data-control=lit] input", 0, 4),
            "several picks": differs(".several", 0, 2),
            "the focus": differs("[data-control=name] input", -3, -1, -8),
            "what is picked": differs("[data-control=berths] li[aria-selected=true]", 0, 4),
        }
        assert all(found >= 3 for found in measured.values()), measured


@pytest.mark.parametrize("touch", [False, True])
def test_targets_are_large_enough(touch: bool, browser: Any) -> None:
    with showing(browser, Scene(Everything), has_touch=touch, viewport={"width": 390, "height": 844}) as shown:
        page = shown.page
        page.locator("[name=add]").click()
        page.locator("[data-control=side] input").click()
        shown.settle()
        small = page.evaluate(SMALL, 44 if touch else 24)
        assert small == []


SMALL = """least => [...document.querySelectorAll('.form :is(button, input:not(.native), textarea, [role=option])')].filter((node) => {
    const box = (node.type === 'checkbox' ? node.parentElement : node).getBoundingClientRect();
    return node.offsetParent && node.name !== 'token' && (box.height < least - .5 || box.width < Math.min(least, 24) - .5);
}).map((node) => `${node.className} ${node.name} ${node.textContent} ${node.getBoundingClientRect().height}`)"""
BOX = """(() => { const node = document.activeElement, box = node.getBoundingClientRect(), group = node.closest('.tools, .bar');
    return [box.left, box.top + scrollY, box.bottom + scrollY, node.className, group ? group.className : '']; })()"""


STATIC = """() => {
    const style = new CSSStyleSheet();  // the buttons lie where they belong, also while they would stay in sight
    style.replaceSync('.strip.buttons { position: static !important; }');
    document.adoptedStyleSheets = [style];
}"""


@pytest.mark.parametrize(("locale", "width"), [("en", 1280), ("en", 320), ("ar", 1280)])
def test_tab_goes_as_one_reads(locale: str, width: int, browser: Any) -> None:
    with showing(browser, Scene(Everything, locale=locale), viewport={"width": width, "height": 900}) as shown:
        page = shown.page
        page.evaluate(STATIC)
        page.locator("[name=add]").click()
        shown.settle()
        page.locator("[data-control=name] input").click()
        boxes = [page.evaluate(BOX)]
        for _ in range(14):
            page.keyboard.press("Tab")
            shown.settle()
            boxes.append(page.evaluate(BOX))
        close = next(at for at, box in enumerate(boxes) if "close" in box[3])
        assert close >= 11, "Close comes last, after all entries, the tools of lines and the buttons"
        for before, after in pairwise(boxes[:close]):
            is_below, is_beside = after[1] >= before[2] - 3, after[1] < before[2] and after[2] > before[1]
            is_on = after[0] > before[0] if locale == "en" else after[0] < before[0]
            assert is_below or (is_beside and is_on), (before, after)
