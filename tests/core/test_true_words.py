"""The words of the library are true: why, refusals of declarations, errors that travel, clocks, letters, lists and views."""

from __future__ import annotations

import copy
import json
import math
import pickle
import threading
from collections.abc import Callable
from datetime import datetime
from email.message import EmailMessage
from pathlib import Path
from typing import Any
from xml.etree import ElementTree
from zoneinfo import ZoneInfo

import pytest
from small.asked import Item, Main, Side
from small.clocks import Hourly

from fuselatch import (
    Button,
    Catalog,
    Choice,
    DeclarationError,
    Form,
    FuseLatchError,
    HandlerFailed,
    Integer,
    Lines,
    NotAllowedHere,
    Outcome,
    Table,
)
from fuselatch.core.engine.state.store import StoreRefused
from fuselatch.core.model.texts import later
from fuselatch.rehearsal import rehearse
from fuselatch.rehearsal.expectations import Unmet
from fuselatch.services import DrawingBoard, LetterBox
from fuselatch.stores import MemoryLatches, MemoryRecords
from tests.helpers import act


def test_why_tells_the_story_of_the_line_that_is_there_now() -> None:
    with rehearse(Main) as desk:
        for at, what in enumerate(("rope", "tar", "wax")):
            act(desk, "add_line items", f"type items[{at}].what {what}", "tab")
        act(desk, "remove_line items[0]", "move_line items[1] 0")
        for at, (what, earlier) in enumerate((("wax", 2), ("tar", 1))):
            for prop, shown in (("what.value", what), ("size.value", len(what))):
                answer = desk.why(f"items[{at}].{prop}")
                assert answer.startswith(f"items[{at}].{prop} is {shown}\n")
                assert f"items[{earlier}].what.value: blank → {what}" in answer and "rope" not in answer
        assert "items[1].what.changed" not in desk.why("items[0].what.changed")
        desk.close()


def test_why_tells_the_answer_and_the_form_that_are_asked_about() -> None:
    with rehearse(Main) as desk:
        act(desk, "press side", "type said one", "tab", "to_front Main", "press side", "type said two", "tab")
        assert "said.value: blank → one" in desk.why("Side.repeat") and "blank → two" in desk.why("Side#2.repeat")
        assert "blank → two" in desk.why("repeat"), "without a name it is the front form's"
        act(desk, "press ask_one", "answer Yes", "answer No", "press ask_two", "answer Yes")
        assert "the answer was 'Yes'" in desk.why("first") and "the answer was 'Yes'" in desk.why("second")
        act(desk, "press ask_two", "answer No")
        assert "the answer was 'Yes'" in desk.why("first") and "the answer was 'No'" in desk.why("second")
        act(desk, "close", "close", "close")


def test_a_muted_handler_is_muted_and_not_kept_back_by_another() -> None:
    with rehearse(Main) as desk:
        with pytest.raises(HandlerFailed):
            desk.press("go")
        assert "Main.fails failed before it" in desk.why("never")
        desk.mute(Main.never, why="the list is out")
        assert desk.why("never") == "Main.never is muted: the list is out"
        desk.close()


def test_a_long_chain_is_no_circle() -> None:
    many: dict[str, Any] = {f"n{at}": Integer(f"N{at}") for at in range(30)}

    def passes(at: int) -> Callable[[Any], None]:
        def forward(form: Any) -> None:
            form.session.control(f"n{at + 1}").value = 1

        forward.__name__ = f"from_{at}"
        return many[f"n{at}"].changed(forward)  # type: ignore[no-any-return]

    chain = type("Chain", (Form,), {**many, **{f"from_{at}": passes(at) for at in range(29)}})
    with rehearse(chain) as desk:
        act(desk, "type n0 1", "tab")
        folded = [line for line in desk.why("n29.value").splitlines() if "more" in line]
        assert len(folded) == 1 and "round and round" not in folded[0]
        desk.close()


HEAD = "from functools import cached_property, partialmethod\nfrom fuselatch import *\n"
HANDLER = "class F(Form):\n  a = Text('A')\n  @a.changed\n  def _inner(self): ...\n  took = {}(_inner)\n"
DROPPED = [
    ("class F(Form):\n  a = Text('A')\n  @check\n  def wrong(self, a): ...", r"@check above F.wrong needs the controls that it checks, for example @check\(length\)"),
    ("class Audit:\n  by = Text('By')\nclass Order(Audit, Form): ...", r"Order.by: Audit isn't a form; write class Audit\(Form\)"),
    ("class Audit:\n  @Form.opened\n  def note(self): ...\nclass Order(Audit, Form): ...", r"Order.note: Audit isn't a form; write class Audit\(Form\)"),
    ("class Plain:\n  by = Text('By')\nclass Part(Plain, Group): ...", r"Part.by: Plain isn't a group; write class Plain\(Group\)"),
    ("class F(Form):\n  grain = Choice('Grain', choices=((1, 'rye'), (1, 'oat')))", r"Choice\('Grain'\): the value 1 has two texts, 'rye' and 'oat'; give each text its own value"),
    *((HANDLER.format(wrap), f"F.took: a {wrap} can't be a handler; use a plain method") for wrap in ("property", "staticmethod", "classmethod", "cached_property", "partialmethod")),
]  # fmt: skip


@pytest.mark.parametrize(("text", "message"), DROPPED)
def test_what_would_be_dropped_in_silence_is_refused(text: str, message: str) -> None:
    with pytest.raises(DeclarationError, match=message):
        exec(HEAD + text, {"__name__": "dropped"})


class Boom(Exception):
    """An error that can't be pickled."""

    def __init__(self) -> None:
        super().__init__("no\u202e way\x1b[31m")
        self.lock = threading.Lock()


class Failing(Form):
    """A form whose button fails."""

    go = Button("Go")
    ok = Button("OK", closes="accepted")
    items = Lines(Item)

    @go.clicked
    def fail(self) -> None:
        raise Boom


def test_errors_and_outcomes_travel_and_are_safe_to_print() -> None:
    with rehearse(Failing) as desk:
        with pytest.raises(HandlerFailed) as met:
            desk.press("go")
        act(desk, "add_line items", "type items[0].what rope", "press ok")
    error = met.value
    assert "no⟨U+202E⟩ way␛[31m" in str(error) and "\x1b" not in str(error)
    for again in (copy.copy(error), copy.deepcopy(error)):
        assert again.error is error.error and str(again) == str(error) and again.chain == error.chain
    there = pickle.loads(pickle.dumps(error))
    assert str(there) == str(error) and str(there.error) == "Boom: no⟨U+202E⟩ way␛[31m" and there.__cause__ is there.error
    outcome = desk.outcome
    assert outcome is not None and outcome.values["items"][0]["what"] == "rope"
    for same in (copy.copy(outcome), copy.deepcopy(outcome), pickle.loads(pickle.dumps(outcome))):
        assert same == outcome and same != Outcome("cancelled", {}) and same.verdict == "accepted"
    for raised in (
        Unmet("expected a\x1b[0m", "b"),
        StoreRefused(later("store.gone", name="a\u202e"), "b\x07"),
        FuseLatchError("x\x9b"),
    ):
        assert str(raised).isprintable()


def test_a_session_that_is_closed_from_another_thread_is_as_it_was() -> None:
    with rehearse(Side) as desk:
        desk.press("ask_one")
        met: list[BaseException] = []

        def close() -> None:
            try:
                desk.session.close()
            except NotAllowedHere as error:
                met.append(error)

        other = threading.Thread(target=close)
        other.start()
        other.join(60)
        assert len(met) == 1 and desk.prompt.text == "First?" and not desk.session.is_closed
        act(desk, "answer Yes", "answer No", "type said on", "tab", "close")


BERLIN = ZoneInfo("Europe/Berlin")


@pytest.mark.parametrize(
    "start",
    [
        datetime(2031, 3, 30, 1, 30, tzinfo=BERLIN),
        datetime(2031, 10, 26, 1, 30, tzinfo=BERLIN),
        datetime(2031, 10, 26, 2, 30, tzinfo=BERLIN),
        datetime(2031, 10, 26, 2, 30, fold=1, tzinfo=BERLIN),
        datetime(2031, 5, 4, 9, 30),
    ],
)
def test_an_hour_lasts_an_hour_when_clocks_change(start: datetime) -> None:
    with rehearse(Hourly, now=start) as desk:
        form = desk.at(Hourly)
        act(desk, "press go", "wait 59m")
        shown = [form.done.value]
        desk.wait("1m")
        assert [*shown, form.done.value] == [True, False]
        desk.close()


def test_two_clocks_do_not_reset_each_others_daily_latch() -> None:
    log = MemoryLatches()
    late, early = datetime(2031, 5, 4, 23, 50), datetime(2031, 5, 5, 0, 5)
    with rehearse(Hourly, latches=log, now=early) as one, rehearse(Hourly, latches=log, now=late) as other:
        for _ in range(3):
            act(one, "press tell")
            act(other, "press tell")
        assert (one.at(Hourly).reports.value, other.at(Hourly).reports.value) == (1, 0)
        act(other, "wait 1d", "press tell")
        assert other.at(Hourly).reports.value == 0, "it is the day on which the first has set it"
        other.close()
        one.close()


def test_a_letter_or_drawing_that_can_not_be_written_is_not_sent(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    letter = EmailMessage()
    letter["To"], letter["Subject"] = "imke@quay.example", "Berth"
    letter.set_content("N7")
    box, board = LetterBox(tmp_path / "file"), DrawingBoard(tmp_path / "file")
    with pytest.raises(OSError):
        box.send(letter)
    with pytest.raises(OSError):
        board.draw("plan", ElementTree.Element("svg"))
    assert (box.letters, board.drawings) == ([], {})


class Odd(Form):
    """Values that strict JSON has no number for."""

    rows = Table("Rows", rows=Catalog("boats", text="name"), columns=("name", "size"))
    pick = Choice("Pick", choices=(math.inf, -math.inf, 1.5), default=math.inf)
    ok = Button("OK", closes="accepted")


def test_views_and_outcomes_are_strict_json_whatever_a_store_has() -> None:
    boats = MemoryRecords(
        {"boats": [{"name": "a", "size": math.nan}, {"name": "b", "size": math.inf}, {"name": "c", "size": object}]}
    )
    with rehearse(Odd, records=boats) as desk:
        view = desk.session.view.to_dict()
        json.dumps(view, allow_nan=False)
        desk.press("ok")
    assert desk.outcome is not None
    json.dumps(desk.outcome.to_dict(), allow_nan=False)
