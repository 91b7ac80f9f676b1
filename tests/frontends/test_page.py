"""Forms as pages in a real browser: cue sheets played by mouse and keys, and what only a page can do wrong."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from small.trips import ready, trips

from fuselatch import Button, Choice, Date, Form, Label, Text
from fuselatch.frontends.conformance import Played, differences
from fuselatch.frontends.fed import FedGestures
from fuselatch.rehearsal import CueSheet, Desk, read_cue_file, read_cues
from fuselatch.rehearsal.loading import importing_from
from fuselatch.scenes import Scene
from tests.bench import LOG, Bench, Dialog, doing
from tests.frontends.conftest import Shown, showing, until
from tests.frontends.player import Player, play
from tests.frontends.rules import broken_rules
from tests.helpers import told

EXAMPLES = Path(__file__).parents[2] / "examples"
SHEETS = [path for path in sorted(EXAMPLES.rglob("*.cues")) if not path.stem.startswith("_")]
RUNS = [(path.parent, run) for path in SHEETS for run in read_cue_file(path).runs]


MARINA = EXAMPLES / "marina/cues"
STATES: set[object] = set()
"""The states of the marina that were looked at, so that each is only once."""


def state_of(shown: Shown) -> object:
    """Return what makes a page look different: its forms, the prompt, markers, an open list, a message."""
    view = shown.view
    marked = [one.marker_level for form in view.forms for one in form.controls if one.marker]
    opened = any(getattr(one.part, "list_open", False) for form in view.forms for one in form.controls)
    said = bool(view.notice), bool(view.forms and view.forms[-1].message)
    return tuple(form.name for form in view.forms), view.prompt and view.prompt.tone, bool(marked), opened, said


@pytest.mark.parametrize(("folder", "sheet"), RUNS, ids=[Path(run.title).name for _, run in RUNS])
def test_a_cue_sheet_does_the_same_through_the_page(folder: Path, sheet: CueSheet, browser: Any) -> None:
    broken: list[str] = []

    def look(shown: Shown) -> None:
        state = sheet.title.partition(".cues")[0], state_of(shown)
        if folder == MARINA and state not in STATES:
            STATES.add(state)
            broken.extend(broken_rules(shown.page))

    with importing_from([folder]):
        assert list(differences(sheet, play(browser, look))) == []
    assert broken == []


def test_a_front_end_that_does_something_else_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    sheet = read_cues("form stay:Stay\ntype vessel Eider\ntab\npress book\n", "x.cues")

    def badly(scene: Scene, sheet: CueSheet) -> Played:
        with Desk(scene) as desk:
            fed = FedGestures(desk.session)
            desk.type("vessel", "Teal")
            desk.press("book")
            return Played(desk.trace, fed.fed[:1])

    with importing_from([EXAMPLES]):
        effects, again = differences(sheet, badly)
    assert effects == "x.cues: 8: expected 'vessel.typed', but it is 'vessel.value: blank → Teal'"
    assert again.startswith("x.cues: fed again: ")


def ask_twice(form: Bench) -> None:
    """Ask, and ask again."""
    for text in ("First?", "Second?"):
        LOG.append(form.ask(text, buttons=("Yes", "No")))


def scene(**does: Any) -> Scene:
    """Return the bench as a scene, whose handlers do this."""
    return Scene(doing(**does))


TWICE = "for (const n of [1, 2]) document.querySelector('.prompt button').click()"
ENTERS = "for (const n of [1, 2]) document.activeElement.dispatchEvent(new KeyboardEvent('keydown', {key: 'Enter', bubbles: true}))"


def test_what_comes_before_a_prompt_could_be_seen_does_not_answer_it(browser: Any) -> None:
    with showing(browser, scene(go=ask_twice)) as shown:
        player, page = Player(shown), shown.page
        player.press("go")
        page.wait_for_selector(".prompt")
        page.evaluate(TWICE)  # a double click
        shown.settle()
        assert LOG == ["Yes"] and page.inner_text(".prompt p") == "Second?"
        player.do("answer", ["No"])
        player.do("focus", ["go"])
        page.evaluate(ENTERS)  # the second comes before the prompt is drawn
        shown.settle()
        assert LOG == ["Yes", "No"] and page.inner_text(".prompt p") == "First?"
        assert [line for line in told(shown.session._state.trace, "refused") if "before what is in front" in line]
        for _ in range(2):
            player.do("answer", ["No"])


@pytest.mark.parametrize("delay", [0, 150])
def test_keys_typed_at_full_speed_go_where_they_are_meant(delay: int, browser: Any) -> None:
    with showing(browser, scene(on=lambda form: form.inform("Ticked")), delay=delay) as shown:
        page = shown.page
        for key in [*"12", "Tab", *"34", "Tab", *"Eider", "Tab", "Space"]:
            page.keyboard.press(key)
        shown.settle()
        form = shown.session.control
        assert (form("a").value, form("b").value, form("word").value) == (12, 34, "Eider")
        assert page.inner_text(".prompt p") == "Ticked" and form("on").value is True


def test_nothing_is_lost_doubled_or_reordered_when_the_connection_breaks(browser: Any) -> None:
    text = "".join(chr(ord("a") + at % 26) for at in range(100))
    with showing(browser, scene(), lost=True) as shown:
        Player(shown).do("focus", ["word"])
        for at, key in enumerate(text):
            shown.page.keyboard.press(key)
            if at % 3 != 1:
                shown.cut()
        for _ in range(33):
            shown.page.keyboard.press("Backspace")
            shown.cut()
        shown.page.keyboard.press("Tab")
        shown.settle()
        fed = [gesture.text for gesture, *_ in shown.fed if gesture.verb == "type"]
        assert fed == [text[: at + 1] for at in range(100)] + [text[:at] for at in range(99, 66, -1)]
        assert shown.session.control("word").value == text[:67] and shown.session.control("on").focused


class Fields(Form, title="Fields"):
    """Controls that a page shows as text only, or must not write back."""

    secret = Text("Secret", look="password")
    story = Text("Story", look="multi-line")
    day = Date("Day")
    note = Label("Note", value="<img src=x onerror=alert(1)>")
    kind = Choice("Kind", choices=[(number, f"Kind {number}") for number in range(900)])
    ok = Button("OK", closes="accepted", keys="Ctrl+Enter")


def test_fields_of_other_kinds(browser: Any) -> None:
    with showing(browser, Scene(Fields)) as shown:
        player, page = Player(shown), shown.page
        player.do("type", ["secret", "low tide"])
        player.do("type", ["story", "one"])
        page.keyboard.press("Enter")
        page.keyboard.insert_text("👍🏽 two")
        player.do("type", ["day", "2031-05-04"])
        player.do("tab", [])
        assert page.locator("[data-control=secret] input").input_value() == "low tide"
        assert shown.session.control("story").value == "one\n👍🏽 two" and page.inner_text("[data-control=note]") == str(
            shown.session.control("note").value
        )
        page.locator("[data-control=kind] .arrow").click()
        player.option("kind", "Kind 480").click()
        shown.settle()
        for key in ("Alt+ArrowDown", "PageDown", "ArrowDown", "ArrowUp"):
            page.keyboard.press(key)
        shown.settle()
        assert page.inner_text(".at") == "Kind 490"
        page.keyboard.press("Home")
        page.keyboard.press("Tab")
        shown.settle()
        assert page.locator("[data-control=kind] input").input_value() == "Kind 0"
        player.do("back_tab", [])
        page.keyboard.type("Kind 480")
        player.do("key", ["Ctrl+Enter"])
    assert shown.outcome is not None and shown.outcome[Fields.secret] == "low tide" and shown.outcome[Fields.kind] == 480


def test_leaving_asks_if_something_was_changed_and_coming_back_shows_all(browser: Any) -> None:
    with showing(browser, scene()) as shown:
        player, page = Player(shown), shown.page
        asked: list[str] = []

        def leave(dialog: Any) -> None:
            asked.append(dialog.type)
            dialog.accept()

        page.on("dialog", leave)
        page.reload()
        page.wait_for_selector(".form")
        assert asked == []
        player.do("type", ["word", "Eider"])
        page.reload()
        page.wait_for_selector(".form")
        assert asked == ["beforeunload"] and player.control("word").locator("input").input_value() == "Eider"


def test_an_effect_that_fails_is_asked_about_after_the_last_form_has_closed(browser: Any) -> None:
    tried: list[str] = []

    def send() -> None:
        tried.append("letter")
        if len(tried) == 1:
            raise OSError("no line")

    with showing(browser, scene(submitted=lambda form: form.afterwards(send, caption="Send the letter"))) as shown:
        page = shown.page
        Player(shown).do("press", ["ok"])
        assert page.locator(".form").count() == 0
        assert page.inner_text(".prompt p") == "Your entries are done. But this didn't work: Send the letter (no line)"
        page.locator(".prompt button").first.click()
        shown.thread.join(20)
        assert tried == ["letter"] * 2 and shown.outcome is not None and shown.outcome.accepted


def test_a_slow_click_into_a_form_behind_brings_it_to_the_front_and_presses(browser: Any) -> None:
    with showing(
        browser, scene(on=lambda form: form.show(Dialog, place="beside"), go=lambda: LOG.append("pressed"))
    ) as shown:
        Player(shown).do("tick", ["on"])
        shown.page.locator(".form[data-form='Bench'] [data-control='go'] button").click(delay=300)
        shown.settle()
        assert shown.session.front is shown.session.first and LOG == ["pressed"]


def test_a_form_that_a_dialog_shows_beside_it_can_be_used_and_so_can_the_dialog(browser: Any) -> None:
    does = {
        "go": lambda form: form.open(Dialog),
        "Dialog go": lambda form: form.show(Dialog),
        "Dialog front": lambda form: LOG.append(form._state.name),
    }
    with showing(browser, scene(**does)) as shown:
        player = Player(shown)
        for step in ("go", "go"):
            player.do("press", [step])
        for name, corner in (("Dialog", 3), ("Dialog#2", -3), ("Dialog", 3)):
            box = shown.page.locator(f".form[data-form='{name}']").bounding_box()
            at = [
                box[side] + (corner if corner > 0 else box[size] + corner)
                for side, size in (("x", "width"), ("y", "height"))
            ]
            shown.page.mouse.click(*at)
            shown.settle()
            assert shown.session.front._state.name == name


def test_records_lines_and_open_lists_are_used_by_keyboard_alone(browser: Any) -> None:
    with showing(browser, trips()) as shown:
        page, form = shown.page, shown.session.front

        def press(*keys: str) -> None:
            for key in keys:
                page.keyboard.press(key)
                shown.settle()

        assert page.locator("[role=radio][aria-checked=true]").inner_text() == "Yawl"
        press("ArrowUp", "Tab", "c", "r", "Space")
        assert (form.boat.value, form.extras.focused) == ("Dinghy", True)
        focused = "document.activeElement.name || document.activeElement.id"
        press("F6")
        assert page.evaluate(focused) == "next"  # after First and Previous, which can't be used
        press("Escape")
        assert page.evaluate(focused) == page.locator("[data-control=extras] ul").get_attribute("id")
        press("F6", *["ArrowRight"] * 2)
        assert page.evaluate(focused) == "save" or page.evaluate(focused) == "new"
        page.locator("[name=save]").focus()
        press("Enter")
        assert not form.records.is_changed and form.records.key == 1
        page.locator("[name=next]").focus()
        press("Enter")
        assert form.records.key == 2 and page.evaluate(focused) == "next"  # who pages through records stays there
        page.locator("[name=previous]").focus()
        press("Enter")
        assert form.records.key == 1
        page.locator("[name=add]").focus()
        press("Enter")
        assert len(form.guests) == 3 and form.guests[2].name.focused
        page.keyboard.type("Sunna")
        press("Tab")
        page.locator("[data-line='guests[2]'] [name=move_up]").focus()
        press("Space")
        assert [line.name.value for line in form.guests] == ["Imke", "Sunna", "Nolke"]
        page.locator("[data-line='guests[0]'] [name=remove_line]").focus()
        press("Enter")
        assert [line.name.value for line in form.guests] == ["Sunna", "Nolke"]
        page.locator("[name=save]").focus()
        press("Enter")
        page.locator(".bar input").fill("2")
        press("Enter")
        assert form.records.key == 2 and page.locator(".line").count() == 0
        page.locator("[name=remove]").click()
        shown.settle()
        Player(shown).do("answer", ["Remove"])
        assert form.records.count == 1


def test_work_that_takes_long_is_shown(browser: Any) -> None:
    with showing(browser, trips()) as shown:
        assert shown.page.get_attribute("body", "aria-busy") in (None, "false")
        shown.page.locator("[data-control=slow] button").click()
        shown.page.wait_for_selector("body[aria-busy=true]")
        ready.set()
        shown.settle()
        assert shown.page.get_attribute("body", "aria-busy") == "false"


def test_a_second_window_looks_on_until_the_first_has_gone(browser: Any) -> None:
    with showing(browser, scene()) as shown:
        first, second = shown.page, shown.page.context.new_page()
        second.goto(first.url)
        second.wait_for_selector(".form")
        second.wait_for_selector(".form[inert]")
        until(lambda: "another window" in second.inner_text("#state"))
        second.keyboard.type("7")
        first.locator("[data-control=word] input").click()
        first.keyboard.type("Eider")
        shown.settle()
        until(lambda: second.input_value("[data-control=word] input") == "Eider")
        assert [gesture.verb for gesture, *_ in shown.fed] == ["focus", *["type"] * 5]
        first.close()
        second.wait_for_selector(".form:not([inert])")
        second.locator("[data-control=word] input").fill("Teal")
        shown.page = second
        shown.settle()
        assert shown.session.control("word").text == "Teal" and not second.is_visible("#state")
