"""Hands at a page: drawn keys, texts, clicks and pastes, at slow handlers and slow lines. Nothing is lost, doubled or moved."""

from __future__ import annotations

from random import Random
from threading import Event
from time import sleep
from typing import Any

import pytest

from fuselatch import Button, Choice, Form, Group, Integer, Label, Lines, Text, Tick
from fuselatch.frontends.page.assets import as_function
from fuselatch.scenes import Scene
from tests.frontends.conftest import Shown, showing, until

SECONDS = [0.0]
"""How long a handler takes."""


class Berthing(Form):
    """Entries one after the other; leaving each takes as long as `SECONDS` says. Nothing makes others come or go."""

    boat = Text("Boat", default="Tern")
    crew = Text("Crew")
    length = Integer("Length", default=100)
    aboard = Tick("Aboard")
    side = Choice("Side", choices=("port", "starboard", "bow", "stern"))
    note = Text("Note", look="multi-line")
    more = Button("More")
    seen = Label("Seen", value=lambda form: f"{form.boat.value} and {form.crew.value}")
    times = Label("Times", value="0")

    @boat.changed
    @crew.changed
    @length.changed
    @aboard.changed
    @side.changed
    @note.changed
    def take_long(self) -> None:
        sleep(SECONDS[0])

    @more.clicked
    def count(self) -> None:
        self.times.value = f"{int(self.times.value[0]) + 1}"
        sleep(SECONDS[0] / 3)


ENTRIES = ["boat", "crew", "length", "aboard", "side", "note", "more"]
EDITING = (
    "Home End ArrowLeft Shift+ArrowLeft Shift+Home Control+a Delete Backspace Control+Backspace Control+ArrowLeft".split()
)
"""Without Ctrl+Z: how much of a text the browser takes back depends on pauses, and a tick that is taken back on what is seen."""
HOLDS = 80
"""How long a hand that isn't in a hurry holds a button down, in milliseconds."""
DOES = "text text text edit edit tab tab tab back enter click ticks presses insert paste compose wheel".split()
Hand = tuple[str, str, int]
"""One move: its kind, a text or name, and the milliseconds of the pause after it."""


def drawn(draw: Random, many: int = 14) -> list[Hand]:
    """Draw what hands do: they know where Tab and Enter lead, and stay in the form."""
    hands: list[Hand] = [("click", "boat", 0)]
    at = 0
    for _ in range(many):
        pause = draw.choice([0, 0, 0, 30, 100, 300, 400])
        name = ENTRIES[at]
        does = draw.choice(DOES)
        if does in ("click", "ticks", "presses") and name == "side":
            does = "tab"  # its list may be open, and lie over what would be clicked
        if does in ("text", "insert", "paste", "edit", "compose") and name in ("aboard", "more"):
            does = "tab" if at + 1 < len(ENTRIES) else "click"
        if does == "text":
            # Spaces at the ends are shown until the answer comes: who has come back by then types after them.
            letters = "12345" if name == "length" else "abst e" if name == "note" else "abst-e"
            text = "".join(draw.choice(letters) for _ in range(draw.randint(1, 4)))
            hands.append(("text", text, pause))
        elif does == "wheel":
            hands.append(("wheel", str(draw.choice([-40, 3, 120])), pause))
        elif does == "compose":
            # A list has a meaning of its own for what is typed.
            hands.append(("compose" if name in ("boat", "crew", "note") else "insert", "55", pause))
        elif does in ("insert", "paste"):
            hands.append(
                (does, draw.choice(["7", "42"]) if name == "length" else draw.choice(["port", "Öse", "a-b"]), pause)
            )
        elif does == "edit":
            # A list has its own meaning for Home and End.
            keys = [key for key in EDITING if name != "side" or ("Home" not in key and "End" not in key)]
            hands.append(("key", draw.choice(keys), pause))
        elif does == "tab" and at + 1 < len(ENTRIES):
            hands.append(("key", "Tab", pause))
            at += 1
        elif does == "back" and at > 0:
            hands.append(("key", "Shift+Tab", pause))
            at -= 1
        elif does == "enter" and name in ("boat", "crew"):
            hands.append(("key", "Enter", pause))
            at += 1
        elif does == "click":
            at = draw.randrange(len(ENTRIES))
            if ENTRIES[at] in ("aboard", "more"):
                at = 0
            hands.append(("click", ENTRIES[at], pause))
        elif does in ("ticks", "presses"):
            at = ENTRIES.index("aboard" if does == "ticks" else "more")
            hands.append(("clicks", f"{ENTRIES[at]} {draw.randint(1, 5)}", pause))
    return hands


def carry_out(page: Any, hands: list[Hand]) -> None:
    """Do with real keys and a real mouse what hands do."""
    for does, what, pause in hands:
        name, _, count = what.partition(" ")
        if does == "text":
            page.keyboard.type(what)
        elif does == "key":
            page.keyboard.press(what)
        elif does == "insert":
            page.keyboard.insert_text(what)
        elif does == "wheel":
            page.mouse.wheel(0, int(what))
        elif does == "compose":
            method = page.context.new_cdp_session(page)
            for end in range(1, len(what) + 1):
                method.send("Input.imeSetComposition", {"text": what[:end], "selectionStart": end, "selectionEnd": end})
            page.wait_for_timeout(30)
            method.send("Input.insertText", {"text": what})
            method.detach()
        elif does == "paste":
            page.evaluate("text => navigator.clipboard.writeText(text)", what)
            page.keyboard.press("Control+v")
        elif does == "click":
            page.click(f"[data-control={name}] :is(input, textarea)")
        else:
            box = page.locator(f"[data-control={name}] :is(input, button)").bounding_box()
            for at in range(1, int(count) + 1):
                page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
                page.mouse.down(click_count=at)
                page.wait_for_timeout(HOLDS if pause else 0)
                page.mouse.up(click_count=at)
        if pause:
            page.wait_for_timeout(pause)


BOXES = """[...document.querySelectorAll('[data-control] > :is(input, textarea)')]
    .map((one) => one.type === 'checkbox' ? one.checked : one.value)"""


def came_of(shown: Shown) -> dict[str, Any]:
    """Return what is in the form, and on the screen."""
    shown.settle()
    told = [(one.name, one.text, one.value, one.marker, one.focused) for one in shown.view.forms[0].controls]
    boxes = shown.page.evaluate(BOXES)
    at = shown.page.evaluate("document.activeElement?.closest('[data-control]')?.dataset.control")
    return {"told": told, "boxes": boxes, "at": at}


@pytest.fixture(scope="module")
def hands_at_rest(browser: Any) -> Any:
    """Return what comes of hands where nothing takes time."""

    def at_rest(hands: list[Hand]) -> dict[str, Any]:
        SECONDS[0] = 0
        with showing(browser, Scene(Berthing), permissions=["clipboard-read", "clipboard-write"]) as shown:
            for one in hands:
                carry_out(shown.page, [(*one[:2], 0)])
                shown.settle()
            return came_of(shown)

    return at_rest


def pytest_generate_tests(metafunc: pytest.Metafunc) -> None:
    if "seed" in metafunc.fixturenames:
        metafunc.parametrize("seed", range(metafunc.config.getoption("--hands")))


def test_slow_handlers_and_lines_change_nothing_of_what_hands_do(seed: int, browser: Any, hands_at_rest: Any) -> None:
    draw = Random(seed)
    hands, line, handler = drawn(draw), draw.choice([0, 100, 300]), draw.choice([0.0, 0.1, 0.3])
    if seed % 10 == 9:
        hands, handler = hands[:6], 2.0
    expected = hands_at_rest(hands)
    with showing(browser, Scene(Berthing), delay=line, permissions=["clipboard-read", "clipboard-write"]) as shown:
        SECONDS[0] = handler
        carry_out(shown.page, hands)
        found = came_of(shown)
    assert found == expected, (hands, line, handler)


UNDER_HAND = (
    f"""async (box) => {{ {as_function("hand")} const {{ underHand }} = from_hand;"""
    + """
    const button = box.querySelector("[data-control=more] button");
    const top = () => Math.round(button.getBoundingClientRect().top);
    const seen = [top()];
    button.dispatchEvent(new PointerEvent("pointermove", { bubbles: true }));
    underHand(() => box.prepend(document.createElement("h1"), "A marker comes"));
    seen.push(top());
    button.dispatchEvent(new PointerEvent("pointerdown", { bubbles: true }));
    underHand(() => box.prepend(document.createElement("h1"), "Another"));
    seen.push(top());
    while (button.style.translate) await new Promise((done) => setTimeout(done, 50));
    return [...seen, top()];
}"""
)
"""Draws something above a button that the mouse is on, twice, and waits until it has come to its place."""


def test_what_is_under_the_mouse_stays_there_for_a_moment(browser: Any) -> None:
    with showing(browser, Scene(Berthing)) as shown:
        first, then, pressed, last = shown.page.locator("body").evaluate(UNDER_HAND)
        assert first == then == pressed and last > first


def typed() -> bool:
    return TYPED.wait(120)


class Held(Berthing):
    """Once `TYPED` is set, the focus is moved."""

    @Berthing.boat.changed
    def move(self) -> None:
        self.call_elsewhere(typed, locks="nothing")
        self.crew.focus()
        self.times.value = "0 and moved"


@pytest.mark.parametrize("name", ["aboard", "more"])
@pytest.mark.parametrize("by", ["mouse", "Space"])
def test_an_answer_leaves_the_focus_on_what_is_held_down(name: str, by: str, browser: Any) -> None:
    SECONDS[0] = 0
    with showing(browser, Scene(Held)) as shown:
        page, box = shown.page, f"[data-control={name}] :is(input, button)"
        TYPED.clear()
        page.keyboard.type("x")
        page.keyboard.press("Tab")
        if by == "mouse":
            page.hover(box)
            page.mouse.down()
        else:
            page.focus(box)
            page.keyboard.down(" ")
        shown.settle()
        TYPED.set()
        until(lambda: "moved" in page.inner_text("[data-control=times]"))
        if by == "mouse":
            page.mouse.up()
        else:
            page.keyboard.up(" ")
        page.keyboard.press("Shift+Tab")
        page.keyboard.type("8")
        shown.settle()
        now = {each.name: each for each in shown.view.forms[0].controls}
        assert now["length" if name == "aboard" else "note"].text == "8"
        assert now["aboard"].value == (name == "aboard") and now["times"].text.startswith("1") == (name == "more")


class Helped(Form):
    """Leaving an entry changes the one that is come to."""

    boat = Text("Boat", default="Tern")
    crew = Text("Crew")

    @crew.changed
    def help_it(self) -> None:
        self.boat.help = f"With {self.crew.value}"


def test_a_cursor_that_was_moved_stays_where_it_is(browser: Any) -> None:
    with showing(browser, Scene(Helped), delay=150) as shown:
        page = shown.page
        page.click("[data-control=crew] input")
        page.keyboard.type("Imke")
        page.keyboard.press("Shift+Tab")
        page.keyboard.press("End")
        shown.settle()
        page.keyboard.type("s")
        shown.settle()
        assert page.input_value("[data-control=boat] input") == "Terns"


class Inner(Form):
    ok = Button("OK", closes="accepted")


TYPED = Event()
"""Is set once the hands have typed."""


class Comes(Form):
    """Leaving the first entry asks, opens a dialog, disables or hides the next one, once `TYPED` is set."""

    does = ""
    boat = Text("Boat")
    crew = Text("Crew", enabled=lambda form: form.boat.value != "disable", visible=lambda form: form.boat.value != "hide")
    rest = Text("Rest")

    @boat.changed
    def come(self) -> None:
        assert TYPED.wait(120)
        if self.boat.value == "ask":
            self.confirm("Sure?")
        elif self.boat.value == "open":
            self.open(Inner)


@pytest.mark.parametrize("line", [0, 150])
@pytest.mark.parametrize("does", ["ask", "open", "disable", "hide"])
def test_what_is_typed_before_something_comes_is_kept(does: str, line: int, browser: Any) -> None:
    with showing(browser, Scene(Comes), delay=line) as shown:
        page = shown.page
        TYPED.clear()
        page.keyboard.type(does)
        page.keyboard.press("Tab")
        page.keyboard.type("abc")
        TYPED.set()
        if does in ("ask", "open"):
            page.wait_for_selector("dialog")
            page.wait_for_timeout(450)
            page.keyboard.press("Enter")
        shown.settle()
        values = {one.name: one.text for one in shown.view.forms[0].controls}
        if does in ("ask", "open"):
            assert values["crew"] == "abc" and page.input_value("[data-control=crew] input") == "abc"
            page.keyboard.type("d")
            shown.settle()
            assert page.input_value("[data-control=crew] input") == "abcd"
        else:
            assert "abc" in page.inner_text(".form .lost") and values["rest"] == ""
            assert page.evaluate("document.activeElement.closest('[data-control]').dataset.control") == "rest"


class Leaves(Comes):
    """Leaving the first entry may close the form, too."""

    @Comes.boat.changed
    def go(self) -> None:
        if self.boat.value == "leave":
            self.close("cancelled")


def test_a_text_whose_form_closes_under_it_is_shown_at_the_end(browser: Any) -> None:
    with showing(browser, Scene(Leaves), delay=150) as shown:
        page = shown.page
        TYPED.clear()
        page.keyboard.type("leave")
        page.keyboard.press("Tab")
        page.keyboard.type("abc")
        page.wait_for_timeout(400)
        TYPED.set()
        page.wait_for_selector("h1.last")
        assert "abc" in page.inner_text(".last.lost")


def test_a_text_that_was_lost_is_forgotten_once_its_field_takes_another(browser: Any) -> None:
    with showing(browser, Scene(Comes)) as shown:
        page = shown.page
        TYPED.clear()
        page.keyboard.type("disable")
        page.keyboard.press("Tab")
        page.keyboard.type("abc")
        TYPED.set()
        shown.settle()
        assert page.locator(".form .lost").is_visible()
        page.click("[data-control=boat] input")
        page.keyboard.type("x")
        page.keyboard.press("Tab")
        shown.settle()
        page.click("[data-control=crew] input")
        page.keyboard.type("def")
        shown.settle()
        assert page.locator(".form .lost").is_hidden() and page.input_value("[data-control=crew] input") == "def"


ENTRY = "[data-control={}] input"


class Numbers(Group):
    """Sixty entries."""

    for at in range(60):
        locals()[f"n{at}"] = Integer(f"Number {at}")


class Sixty(Form):
    """More entries than a window shows, of which the first has to be filled in."""

    boat = Text("Boat", required=True)
    numbers = Numbers("Numbers")
    rest = Text("Rest", required=True)
    done = Button("Done", closes="accepted", keys="Ctrl+Enter")


def test_what_is_wrong_is_brought_into_view_also_if_the_focus_is_there(browser: Any) -> None:
    with showing(browser, Scene(Sixty)) as shown:
        page = shown.page
        for _ in range(2):
            page.mouse.move(640, 400)
            page.mouse.wheel(0, 10_000)
            until(lambda: page.evaluate("scrollY") > 1_000)
            page.keyboard.press("Control+Enter")
            shown.settle()
            until(lambda: 0 <= page.locator(ENTRY.format("boat")).bounding_box()["y"] < 780)
            assert page.locator(".marker:visible").first.is_visible()
        page.click(".summary button >> nth=1")
        shown.settle()
        assert page.evaluate("document.activeElement.closest('[data-control]').dataset.control") == "rest"


def test_a_line_that_stalls_is_told_and_a_handler_that_takes_long_is_not(browser: Any) -> None:
    SECONDS[0] = 4
    with showing(browser, Scene(Berthing), delay=1) as shown:
        page, state = shown.page, shown.page.locator("#state")
        page.keyboard.type("Skua")
        page.keyboard.press("Tab")
        shown.settle()
        assert state.is_hidden(), "the handler took long, and the line was there"
        page.evaluate("window.isStalled = true")
        page.keyboard.type("Imke")
        state.wait_for(state="visible")
        assert state.inner_text() == "The connection is slow: no answer yet. What you enter is kept."
        shown.cut()
        page.evaluate("window.isStalled = false")
        shown.settle()
        assert state.is_hidden() and shown.view.forms[0].controls[1].text == "Imke"


class Guest(Group):
    """A guest in a line."""

    name = Text("Name")
    age = Integer("Age")


class Party(Form):
    """Guests, whose number takes as long as `SECONDS` says."""

    boat = Text("Boat")
    guests = Lines(Guest, "Guests")
    more = Button("More")

    @guests.line_changed
    def take_long(self) -> None:
        sleep(SECONDS[0])


@pytest.mark.parametrize(("line", "handler"), [(0, 0.0), (300, 0.3)])
def test_rows_are_pasted_and_taken_back_by_keys(line: int, handler: float, browser: Any) -> None:
    with showing(browser, Scene(Party), delay=line, permissions=["clipboard-read", "clipboard-write"]) as shown:
        page = shown.page
        page.click("text=Add a line")
        shown.settle()
        SECONDS[0] = handler
        page.click(".line [data-control$=name] input")
        for cells in ("Abel\t61\nBerta\t7\n", "x" * 48_000 + "\t1", "Cai\tsix", "Dora"):
            page.evaluate("text => navigator.clipboard.writeText(text)", cells)
            page.keyboard.press("Control+v")
            if "\t" in cells:
                shown.settle()
        page.keyboard.press("Control+z")
        shown.settle()
        grid = ".grid .line input"
        assert page.eval_on_selector_all(grid, "all => all.map(one => one.value)") == ["Abel", "61", "Berta", "7"]
        page.click("[data-control=boat] input")
        page.keyboard.type("Skua")
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        shown.settle()
        assert page.eval_on_selector_all(grid, "all => all.map(one => one.value)") == ["", ""]
        assert page.input_value("[data-control=boat] input") == ""
        assert page.inner_text(".form .notice") == "Undone: Name, Age, Guests"


class Fitting(Form):
    """Several picks, and a list."""

    extras = Choice("Extras", choices=("power", "water", "crane"), multiple=True, default=("power", "crane"))
    side = Choice("Side", choices=tuple(f"berth {number}" for number in range(60)))


def test_picks_are_taken_away_one_by_one_and_a_search_that_takes_long_is_told(browser: Any) -> None:
    with showing(browser, Scene(Fitting), delay=700) as shown:
        page = shown.page
        for _ in range(2):
            page.locator("[name=token]").first.click()
            shown.settle()
        assert shown.session.control("extras").value == () and page.locator("[name=token]").count() == 0
        searching = page.locator("[data-control=side] .searching")
        page.locator("[data-control=side] input").click()
        page.keyboard.type("berth 7")
        searching.wait_for(state="visible")
        assert searching.inner_text() == "Searching (60)"
        page.keyboard.press("Enter")
        shown.settle()
        assert searching.is_hidden() and page.input_value("[data-control=side] input") == "berth 7"
