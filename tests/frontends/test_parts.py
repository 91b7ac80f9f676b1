"""The parts of a page, each in a real browser: tables, lists, tab pages, pictures, dates, prompts, and what is said."""

from __future__ import annotations

from typing import Any

import pytest

from fuselatch import Button, Choice, Date, Form, Label, Picture, Table, Text
from fuselatch.frontends.page.assets import as_function
from fuselatch.rehearsal.loading import importing_from
from fuselatch.scenes import Scene
from tests.bench import LOG, doing
from tests.core.test_own_kind import Mooring
from tests.frontends.conftest import showing, until
from tests.frontends.player import Player
from tests.frontends.rules import broken_rules
from tests.frontends.test_page import EXAMPLES

COUNT = 100_000


class Long(Form, title="Long"):
    """A table and lists with more rows than a browser could draw."""

    berths = Table(
        "Berths",
        rows=lambda form: [{"berth": f"B{at}", "price": -at} for at in range(COUNT)],
        key="berth",
        columns={"berth": "Berth", "price": "Price"},
    )
    boat = Choice("Boat", choices=[(at, f"Boat {at}") for at in range(COUNT)])
    crew = Choice("Crew", choices=[(at, f"Hand {at}") for at in range(COUNT)], look="list")


def test_a_long_list_is_seen_through_a_window(browser: Any) -> None:
    with showing(browser, Scene(Long)) as shown:
        page, player, form = shown.page, Player(shown), shown.session.front

        def rows() -> list[str]:
            shown.settle()
            return [text.split()[0] for text in page.locator("tbody tr").all_inner_texts()]

        def scroll(box: str, to: float) -> None:
            first = page.locator(f"{box} li, {box} tbody tr").first
            before = first.inner_text()
            page.locator(box).evaluate("(box, to) => { box.scrollTop = (box.scrollHeight - box.clientHeight) * to; }", to)
            until(lambda: first.inner_text() != before)
            shown.settle()

        assert rows() == [f"B{at}" for at in range(10)]
        scroll(".rows", 1)
        assert rows()[-1] == f"B{COUNT - 1}"
        scroll(".rows", 0.5)
        seen = rows()
        assert len(seen) == 10 and 49_000 < int(seen[0][1:]) < 51_000
        player.do("pick", ["berths", seen[4]])
        assert form.berths.value == seen[4] and rows() == seen
        for key in ["ArrowDown"] * 7:
            page.keyboard.press(key)
        assert rows()[-1] == form.berths.value == f"B{int(seen[4][1:]) + 7}"
        player.do("sort", ["berths", "price"])
        assert form.berths.value in rows() and page.locator("th[aria-sort]").inner_text().startswith("Price")
        page.locator(".rows").hover()
        before = rows()
        page.mouse.wheel(0, 100)
        until(lambda: rows() != before)
        assert int(before[0][1:]) - int(rows()[0][1:]) == 3
        assert page.locator("table").get_attribute("aria-rowcount") == str(COUNT + 1)
        page.locator("[data-control=boat] .arrow").click()
        scroll("[data-control=boat] .listed", 0.75)
        found = page.locator(".listed li").nth(3)
        assert found.get_attribute("aria-setsize") == str(COUNT) and page.locator(".listed li").count() == 8
        text = found.inner_text()
        page.set_viewport_size({"width": 1280, "height": 700})
        page.evaluate("scrollTo(0, 60)")

        def gap() -> float:
            entry, box = (page.locator(each).first.bounding_box() for each in ("[data-control=boat] input", ".listed"))
            return float(max(entry["y"] - box["y"] - box["height"], box["y"] - entry["y"] - entry["height"]))

        until(lambda: gap() == pytest.approx(3, abs=1))  # it follows its entry, below or above
        found.click()
        shown.settle()
        assert form.boat.text == text and 70_000 < int(text.split()[1]) < 80_000
        page.keyboard.press("Tab")
        page.keyboard.press("End")
        page.keyboard.press("Space")
        shown.settle()
        assert (
            form.crew.value == COUNT - 1
            and page.locator("[data-control=crew] [aria-selected=true]").inner_text() == f"Hand {COUNT - 1}"
        )
        assert broken_rules(page) == []


ROWS = (
    f"""async (box) => {{ {as_function("dom")} {as_function("rows")} const {{ RowWindow }} = from_rows;"""
    + """
    const [scroller, host] = [document.createElement("div"), document.createElement("div")];
    scroller.style.overflow = "auto";
    scroller.append(host);
    box.append(scroller);
    const rows = new RowWindow(scroller, host, 10, (start, stop) => {
        host.replaceChildren(...Array.from({ length: stop - start }, () => { const row = document.createElement("p"); row.innerText = "row"; return row; }));
        return [...host.children];
    });
    const seen = [];
    for (const [count, near] of [[1000, -1], [1000, -1], [1000, 999], [2000, -1]]) {
        scroller.scrollTop = rows.travel / 2;
        rows.update(count, near);
        await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
        seen.push(Math.round(rows.first / 10) * 10);
    }
    return seen;
}"""
)
"""Scrolls to the middle of rows, and draws them again before the browser tells of it, which it does with the next frame."""


def test_what_is_sent_leaves_the_scrollbar_where_the_user_has_just_moved_it(browser: Any) -> None:
    with showing(browser, Scene(Long)) as shown:
        shown.settle()
        # Unless another row has to be seen, or there are other rows.
        assert shown.page.locator("body").evaluate(ROWS) == [0, 500, 990, 990]


def test_a_wheel_moves_as_far_as_it_is_turned_and_then_the_page(browser: Any) -> None:
    with showing(browser, Scene(Long), viewport={"width": 900, "height": 420}) as shown:
        page = shown.page

        def turned(times: int, by: int) -> tuple[int, float]:
            box = page.locator(".rows").bounding_box()
            page.mouse.move(box["x"] + 40, box["y"] + 60)
            for _ in range(times):
                page.mouse.wheel(0, by)
            page.wait_for_timeout(300)
            shown.settle()
            return int(page.locator("tbody tr").first.inner_text().split()[0][1:]), page.evaluate("scrollY")

        row = page.locator("tbody tr").first.bounding_box()["height"]
        first, _ = turned(60, 2)
        assert abs(first - 120 / row) <= 2, "a hundred and twenty pixels, and not sixty times three rows"
        page.locator(".rows").evaluate("box => { box.scrollTop = box.scrollHeight; }")
        page.wait_for_timeout(100)
        last, before = turned(1, 0)
        assert last == COUNT - 10
        assert turned(2, 120)[1] > before, "the page scrolls"


class Listed(Form, title="Listed"):
    """Lists that are always there, one of which hears a double click."""

    word = Text("Word")
    crew = Choice("Crew", choices=("Imke", "Tade"), look="list")
    chosen = Text("Chosen")

    @crew.double_clicked
    def take(self) -> None:
        self.chosen.value = self.crew.value or ""


def test_a_list_may_be_drawn_again_while_the_button_of_the_mouse_is_down(browser: Any) -> None:
    with showing(browser, Scene(Listed), delay=60) as shown:
        page, form = shown.page, shown.session.front
        box = page.get_by_role("option", name="Tade").bounding_box()
        page.mouse.move(box["x"] + 5, box["y"] + 5)
        # What the first click picks is drawn while the second one is on its way.
        page.mouse.down()
        page.mouse.up()
        page.mouse.down(click_count=2)
        shown.settle()
        page.mouse.up(click_count=2)
        shown.settle()
        assert form.chosen.value == "Tade"


def test_tab_pages_have_markers_and_follow_the_focus(browser: Any) -> None:
    with importing_from([EXAMPLES]):
        import weeks

        with showing(browser, Scene(weeks.WeekForm)) as shown:
            page, player = shown.page, Player(shown)
            tabs = page.get_by_role("tab")
            assert tabs.all_inner_texts() == ["Vessel", "Guests", "Berth"]
            assert page.locator("[role=tabpanel]:not([hidden])").get_attribute(
                "aria-labelledby"
            ) == tabs.first.get_attribute("id")
            player.do("press", ["book"])
            assert page.locator(".tab .count").all_inner_texts() == ["! 2\nto check", "! 1\nto check", "! 1\nto check"]
            tabs.first.focus()
            page.keyboard.press("End")
            assert tabs.last.get_attribute("aria-selected") == "true" and not shown.session.front.place.pier.focused
            page.keyboard.press("Tab")
            shown.settle()
            assert shown.session.front.place.pier.focused
            page.keyboard.press("Shift+Tab")
            shown.settle()
            assert shown.session.front.vessel.shore_power.focused and tabs.first.get_attribute("aria-selected") == "true"
            why = page.locator("[data-control='vessel.plugs'] input").get_attribute("aria-describedby")
            assert page.locator(f"[id='{why}']").inner_text() == "This can't be used now. It depends on: Shore power."
            assert broken_rules(page) == []
            tabs.nth(1).click()
            page.keyboard.press("Tab")  # the page of lines has none yet, but a button that adds one
            assert page.evaluate("document.activeElement.name") == "add"
            player.do("pick", ["place.pier", "North"])
            picture = page.locator("img")
            assert picture.get_attribute("alt") == "The North pier, no berth marked"
            until(lambda: picture.evaluate("img => img.naturalWidth") > 100)
            asked = "(id) => fetch(`picture-${id}`).then((answer) => [answer.status, answer.headers.get('content-type')])"
            own = weeks.plan("North", "").id
            assert page.evaluate(asked, own) == [200, "image/svg+xml"]
            player.do("pick", ["place.pier", "South"])
            assert picture.get_attribute("src") == f"picture-{weeks.plan('South', '').id}"
            assert page.context.request.get(f"{page.url}picture-{own}").status == 404  # it isn't shown any more


class Dated(Form, title="Dated"):
    """A date, and texts of different lengths."""

    day = Date("Day")
    note = Text("Note", max_length=5)
    story = Text("Story", max_length=20_000)
    logo = Label("Logo", picture=Picture(b"GIF89a"), alt="")


def test_a_date_is_chosen_and_a_text_may_be_too_long(browser: Any) -> None:
    with showing(browser, Scene(Dated, locale="de")) as shown:
        page, player, form = shown.page, Player(shown), shown.session.front
        page.evaluate(
            "HTMLInputElement.prototype.showPicker = function () { this.value = '2031-05-09'; this.dispatchEvent(new Event('change')); }"
        )
        page.locator("[data-control=day] button").click()
        player.do("tab", [])
        assert page.locator("[data-control=day] input").first.input_value() == "09.05.2031"
        player.do("back_tab", [])
        page.keyboard.press("Alt+ArrowDown")
        player.do("tab", [])
        assert str(form.day.value) == "2031-05-09"
        player.do("paste", ["note", "longer than five"])
        player.do("tab", [])
        assert form.note.text == "longer than five" and "Höchstens 5" in page.inner_text("body")
        player.do("paste", ["note", "ö" * 5_001])
        assert form.note.text == "longer than five"
        assert page.locator("[data-control=note] input").input_value() == "longer than five"
        player.do("paste", ["story", "ö" * 20_000])
        assert len(form.story.text) == 20_000


COMPOSED = """(() => {
  const field = document.querySelector("[data-control=word] input");
  field.focus();
  field.dispatchEvent(new CompositionEvent("compositionstart"));
  for (const text of ["k", "ka", "か"]) { field.value = text; field.dispatchEvent(new InputEvent("input", { isComposing: true })); }
  field.dispatchEvent(new CompositionEvent("compositionend", { data: "か" }));
})()"""


def test_a_composed_text_is_sent_once_and_what_is_new_is_said(browser: Any) -> None:
    def refuse(form: Any) -> None:
        form.message = "Not yet"
        LOG.append(form.ask("Really?", buttons=("Yes", "No")))

    with showing(browser, Scene(doing(go=refuse))) as shown:
        page, player = shown.page, Player(shown)
        page.evaluate(COMPOSED)
        shown.settle()
        assert [gesture.text for gesture, *_ in shown.fed if gesture.verb == "type"] == ["か"]
        player.do("type", ["a", "x"])
        player.do("press", ["ok"])
        assert "A:" in page.inner_text("[role=alert]:not([hidden])") and "A:" in page.locator("[role=status]").inner_text()
        said = page.inner_text("[role=alert]:not([hidden])")
        player.do("press", ["ok"])
        assert page.locator("[role=alert]:not([hidden])").evaluate("node => node.textContent") == said + "\u00a0"  # again
        player.do("clear", ["a"])
        page.locator("[data-control=go] button").dblclick()
        page.wait_for_selector(".prompt")
        page.keyboard.press("Enter")
        page.keyboard.press("Space")
        page.wait_for_timeout(100)
        assert page.locator(".prompt").count() == 1 and LOG == []
        assert page.evaluate("document.querySelector('[role=status]').closest('.prompt') !== null")
        page.wait_for_timeout(400)
        page.keyboard.press("Enter")
        shown.settle()
        assert page.locator(".prompt").count() == 0 and LOG == ["No"]


PRESSED: list[str] = []


class Loud(Form, title="Loud"):
    """An entry whose text a handler changes at each key."""

    word = Text("Word")
    shout = Button("Shout")

    @word.typed
    def raise_it(self) -> None:
        self.word.value = (self.word.draft or "").upper()

    @shout.clicked
    def count(self) -> None:
        PRESSED.append(self.word.value)


def test_the_last_answer_sets_the_text_and_each_click_of_a_double_one_counts(browser: Any) -> None:
    with showing(browser, Scene(Loud), delay=20) as shown:
        Player(shown).do("focus", ["word"])
        for key in "eider":
            shown.page.keyboard.press(key)
        shown.settle()
        assert shown.page.locator("[data-control=word] input").input_value() == shown.session.front.word.value == "EIDER"
        shown.page.locator("[data-control=shout] button").dblclick()
        shown.settle()
        assert PRESSED == ["EIDER", "EIDER"]


def test_what_is_typed_before_the_view_has_come_back_does_not_overtake(browser: Any) -> None:
    with showing(browser, Scene(doing()), delay=60, lost=True) as shown:
        Player(shown).do("focus", ["word"])
        for first, second in ("ab", "cd", "ef"):
            shown.page.keyboard.press(first)
            shown.cut()
            shown.page.wait_for_timeout(90)  # connected again, but told nothing yet
            shown.page.keyboard.press(second)
            shown.settle()
        assert [gesture.text for gesture, *_ in shown.fed if gesture.verb == "type"] == [
            "abcdef"[: at + 1] for at in range(6)
        ]


class Ends(Form, done_text={"accepted": "Your berth is booked", "failed": "Please call the office"}):
    word = Text("Word", autocomplete="email", inputmode="email", spellcheck=True)
    book = Button("Book", closes="accepted")
    leave = Button("Leave", closes="cancelled")


@pytest.mark.parametrize(
    ("press", "ends", "said"),
    [
        ("book", "accepted", "Your berth is booked"),
        ("leave", "cancelled", "Cancelled: nothing was done"),
        ("", "failed", "Please call the office"),
    ],
)
def test_a_form_ends_in_its_own_words(press: str, ends: str, said: str, browser: Any) -> None:
    with showing(browser, Scene(Ends)) as shown:
        entry = shown.page.locator("[data-control=word] input")
        assert [entry.get_attribute(name) for name in ("autocomplete", "inputmode", "spellcheck")] == [
            "email",
            "email",
            "true",
        ]
        if press:
            Player(shown).do("press", [press])
        else:
            shown.stage.stop()
        last = shown.page.locator("h1.last")
        assert (last.inner_text(), last.evaluate("node => node.className")) == (said, f"last {ends}")


def test_the_start_page_lists_forms_and_says_what_fails(browser: Any) -> None:
    with importing_from([EXAMPLES]):
        import stay
        import weeks

        broken = doing(opened=lambda form: 1 / 0)
        with showing(browser, Scene(forms=[stay.Stay, weeks.WeekForm, broken]), until="nav.start") as shown:
            page = shown.page
            assert page.locator("nav strong").all_inner_texts() == ["A night at the quay", "A week at the quay", "Bench"]
            assert "the vessel, who is aboard" in page.inner_text("nav") and broken_rules(page) == []
            page.keyboard.press("Tab")
            page.keyboard.press("End")
            page.keyboard.press("Enter")
            page.wait_for_selector("#foot:not(:empty)")
            page.keyboard.press("Home")
            page.keyboard.press("Enter")
            page.wait_for_selector(".form")
            shown.settle()
            assert shown.session.front.vessel.focused and not page.is_visible("#start")
            Player(shown).do("press", ["leave"])
            assert page.is_visible("nav.start")


def test_a_kind_of_its_own_takes_its_keys_on_the_page(browser: Any) -> None:
    with showing(browser, Scene(Mooring, records={"moorings": [{"id": 1, "stars": 2}]})) as shown:
        field = shown.page.locator("[data-control=stars] input")
        field.focus()
        for keys, text in (("ArrowUp", "★★★☆☆"), ("ArrowDown", "★★☆☆☆"), ("Home", "★★☆☆☆")):
            shown.page.keyboard.press(keys)
            shown.settle()
            assert field.input_value() == text
        assert field.evaluate("(field) => field.selectionStart") == 0, "keys that it doesn't take are the browser's"
        shown.page.keyboard.type("4")
        shown.page.keyboard.press("Tab")
        shown.settle()
        assert "Not 1 to 5 stars" not in shown.page.inner_text(".form")
