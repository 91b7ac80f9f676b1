"""The ten numbered rules of docs/events.md, each with tests named after it."""

from __future__ import annotations

import subprocess
import sys
from typing import Any

import pytest

from fuselatch import Button, Choice, Event, Form, FuseBlown, HandlerFailed, Number, Text, check, warn
from fuselatch.frontends import Session
from fuselatch.rehearsal import rehearse
from fuselatch.stores import MemoryRecords
from tests.bench import LOG, Bench, Dialog, bench, doing, note, refused
from tests.helpers import act, snapshot, told


def open_dialog(form: Bench) -> None:
    """Set a value, open a dialog, and use what it says."""
    form.a.value = 1
    if form.open(Dialog).values.get("word") == "fail":
        raise ValueError("after the dialog")
    form.b.value = 2


def ask(form: Bench) -> None:
    """Set a value, ask, and fail at No."""
    form.a.value = 5
    if form.ask("Really?", buttons=("Yes", "No")) == "No":
        raise ValueError("after the answer")
    form.a.value = 6


def write(form: Form, **row: Any) -> None:
    """Stage a row of the log."""
    form.session.records.add("log", row)


def write_word(form: Bench) -> None:
    """Stage what was typed."""
    write(form, word=form.word.value)


def count(form: Bench) -> None:
    """Count in b."""
    form.b.value = (form.b.value or 0) + 1


def test_rule_01_one_handler_at_a_time_in_order_of_declaration() -> None:
    def first(form: Bench) -> None:
        LOG.append("first begins")
        form.b.value = 1
        LOG.append("first ends")

    with bench({"a": first, "a too": note("second"), "b": note("third")}) as (_, form):
        form.a.value = 1
    assert LOG == ["first begins", "first ends", "second", "third"]


def test_rule_02_gestures_made_while_one_waits_run_to_their_end() -> None:
    with bench({"go": open_dialog, "Dialog submitted": write_word}) as (desk, form):
        act(desk, "press go", "type word x", "press ok")
        assert form.b.value == 2
        lines = told(desk.trace)
        assert lines.index("writes log: word=x") < lines.index("b.value: blank → 2")


@pytest.mark.parametrize(("name", "by"), [("a", "a_first"), ("twice", "twice_changed")])
def test_rule_03_each_event_knows_its_parent_also_through_a_rule_and_with_the_trace_off(name: str, by: str) -> None:
    def again(form: Bench) -> None:
        form.a.value = (form.a.value or 0) + 1

    with Session(doing(**{name: again}), recording=False) as session, pytest.raises(FuseBlown) as caught:
        session.front.a.value = 1  # type: ignore[attr-defined]
    assert caught.value.loop == (f"{name}.changed", by, f"{name}.changed") and not len(session.trace)
    assert "one handler ran more than 100 times for one control" in str(caught.value)


def test_rule_04_cells_that_another_gesture_settled_are_not_put_back() -> None:
    with bench({"go": ask}) as (desk, form):
        desk.press("go")
        form.a.value = 50  # a program, while the handler waits
        with pytest.raises(HandlerFailed):
            desk.answer("No")
        assert form.a.value == 50 and form.twice.value == 100


def test_rule_05_writes_come_after_the_last_step_and_before_outward_effects() -> None:
    def stage(form: Bench) -> None:
        form.afterwards(LOG.append, "letter")
        write(form, n=1)
        assert len(form.session.records.rows("log")) == 1

    store = MemoryRecords({"log": []}, lambda rows: LOG.append("asked"))
    with bench({"accepting": stage}, records=store) as (desk, _):
        desk.press("ok")
        assert told(desk.trace)[-1] == "writes log: n=1"
    assert LOG == ["asked", "letter"] and store.sources["log"] == [{"n": 1}] and store.transactions == 1


def test_rule_05_a_store_that_refuses_a_person_may_be_tried_again_and_a_program_fails() -> None:
    store = MemoryRecords({"log": []}, refuse=lambda rows: "disk full")
    with bench({"submitted": write_word}, records=store) as (desk, form):
        act(desk, "paste word x", "tab")
        before = snapshot(desk.session)
        desk.press("ok")
        assert desk.prompt.text == "Couldn't save: disk full"
        act(desk, "answer 'Try again'", "answer 'Keep editing'")
        assert snapshot(desk.session) == before and form.is_open
        with pytest.raises(HandlerFailed, match="StoreRefused: disk full"):
            form.close("accepted")
        assert snapshot(desk.session) == before and form.is_open


@pytest.mark.parametrize("fails", [True, False])
def test_rule_05_what_a_store_has_taken_before_a_dialog_is_a_fact_and_not_written_again(fails: bool) -> None:
    def stage_and_open(form: Bench) -> None:
        count(form)
        write(form, n=1)
        form.open(Dialog)
        write(form, n=2)
        if fails:
            raise ValueError("late")

    store = MemoryRecords({"log": []})
    with bench({"go": stage_and_open}, records=store) as (desk, form):
        desk.key("Ctrl+G", repeat=4)
        assert store.transactions == 1
        if fails:
            with pytest.raises(HandlerFailed, match="late"):
                desk.close()
        else:
            desk.close()
        assert form.b.value == (None if fails else 1)
        assert store.sources["log"] == [{"n": 1}, {"n": 2}][: 2 - fails] and store.transactions == 2 - fails


def test_rule_06_what_accepting_sets_is_checked_again() -> None:
    class Again(Form):
        a = Number("A", maximum=10)
        save = Button("Save", closes="accepted")

        @Form.accepting
        def spoil(self) -> None:
            self.a.value = (self.a.value or 0) + 1

        @check(a)
        def round_number(self, a: float) -> Any:
            return warn(f"not {a:g}") if a % 10 else None

    with rehearse(Again) as desk:
        act(desk, "type a 1", "press save")
        assert desk.prompt.text == "A: not 1"
        desk.answer("Go on")
        assert desk.prompt.text == "A: not 2"
        desk.at(Again).a.value = 11
        desk.answer("Go on")
        assert desk.outcome is None and desk.session.view.notice == "A: Too high: 11. Maximum is 10"


@pytest.mark.parametrize(
    ("step", "verdict"), [("close", "cancelled"), ("press later", "later"), ("key Escape", "cancelled")]
)
def test_rule_07_the_way_out_is_free_and_a_failure_closes_all_the_same(step: str, verdict: str) -> None:
    def set_and_fail(form: Bench, event: Event) -> None:
        form.seen, form.a.value = event.new, 99
        raise ValueError("on the way")

    with bench({"closing": set_and_fail}) as (desk, form):
        form.b.value = 99
        desk.type("a", "many")
        if "Escape" in step:
            act(desk, step)  # takes back what was typed
        with pytest.raises(HandlerFailed, match="on the way"):
            act(desk, step)
        assert not form.is_open and form.a.value is None and "seen" not in vars(form)
        assert desk.outcome is not None and desk.outcome.verdict == verdict


class Keeps(Bench, confirm_discard="Throw it away?"):
    """Ask before what was entered is thrown away."""


def test_rule_07_changes_are_thrown_away_only_when_asked() -> None:
    with bench(made=Keeps) as (desk, form):
        desk.close()
        assert desk.outcome is not None  # nothing was changed, nothing is asked
    with bench(made=Keeps) as (desk, form):
        act(desk, "paste a 1", "close")
        assert (desk.prompt.text, desk.prompt.default) == ("Throw it away?", "Keep editing")
        desk.close()
        assert form.is_open and desk.session.view.notice == "Nothing was discarded"
        act(desk, "close", "answer Discard")
        assert desk.outcome is not None and desk.outcome.verdict == "cancelled"


def test_rule_07_a_dialog_that_holds_its_closing_holds_that_of_its_opener() -> None:
    def hold(form: Bench, event: Event) -> None:
        if not form.on.value:
            event.block("not yet")

    with bench({"go": lambda form: form.open(Dialog), "Dialog closing": hold}) as (desk, form):
        desk.press("go")
        form.close()
        assert form.is_open and len(desk.session.forms) == 2 and desk.session.view.notice == "not yet"
        desk.tick("on")
        form.close()
        assert [*desk.session.forms, *desk.session.waits_for] == []


def test_rule_08_opening_raises_no_changed_but_for_what_opened_sets() -> None:
    class Opening(Form):
        a = Number("A", default=1)
        b = Number("B", default=lambda form: form.a.required_value + 1)
        c = Number("C", value=lambda form: form.b.required_value + 1)

        @Form.opened
        def set_one(self) -> None:
            self.first = self.c.value
            self.a.value = 5

        @a.changed
        @b.changed
        def hear(self, event: Event) -> None:
            self.heard = event.old, event.new

    with rehearse(Opening) as desk:
        assert told(desk.trace, "event") == ["Opening.opened", "a.changed", "a.entered"]
        assert (vars(desk.form)["first"], vars(desk.form)["heard"]) == (3.0, (1.0, 5.0))


def test_rule_09_a_key_held_down_presses_and_submits_once() -> None:
    with bench({"go": count, "accepting": lambda form: form.open(Dialog)}) as (desk, form):
        desk.key("ctrl+g", repeat=5)
        desk.focus("go")
        desk.key("Space", repeat=5)
        assert form.b.value == 2
        act(desk, "focus a")
        desk.key("Enter", repeat=5)
        assert desk.at(Dialog) and len(desk.session.forms) == 2
        act(desk, "type word x", "key Escape 5", "key Enter")
        assert [*desk.session.forms] == []


def test_rule_09_focus_goes_on_when_it_loses_its_place() -> None:
    with bench() as (desk, form):
        act(desk, "tick on", "type extra text")
        start = len(desk.trace)
        form.on.value = False
        assert told(desk.trace[start:], "event") == ["on.changed", "extra.changed", "extra.left", "pier.entered"]
        assert form.pier.focused and form.extra.value == "text"


def test_rule_09_a_handler_may_send_the_focus_elsewhere() -> None:
    with bench({"on": lambda form: form.word.focus(select=True)}) as (desk, form):
        desk.type("word", "a draft")
        form.word.value = "all of it"
        assert form.word.text == "all of it"
        desk.tick("on")
        assert form.word.focused and desk.session.view.forms[0].controls[3].selected
        desk.key("x")
        assert form.word.text == "x"
        form.word.revert()
        assert form.word.text == "all of it"
        desk.key("ctrl+g")
        assert form.go.focused


def test_rule_09_enter_takes_the_match_and_escape_closes_the_list_first() -> None:
    class List(Form):
        pier = Choice("Pier", choices=("North", "Northeast", "South"))
        other = Text("Other")

    with rehearse(List) as desk:
        pier = desk.at(List).pier
        for steps, text, listing in (
            (("type pier nor",), "nor", True),
            (("key Enter",), "North", False),
            (("type pier So", "key Escape"), "So", False),
            (("key Escape",), "North", False),
        ):
            act(desk, *steps)
            seen: Any = desk.session.view.forms[0].controls[0].part
            assert (pier.text, seen.list_open) == (text, listing)


def test_rule_10_a_refusal_reads_the_clock_and_has_a_reason() -> None:
    with bench({"go": open_dialog, "on": ask}) as (desk, _):
        desk.wait("2h")
        refused(desk, "type extra x", "'extra' is disabled")
        assert desk.trace[-1].time == "2031-05-04T11:30:00"
        desk.press("go")
        refused(desk, "type Bench.a 1", "type a 1: Dialog is open in front of it")
        act(desk, "close", "tick on")
        refused(desk, "press ok", 'a prompt is open: "Really\\?"; answer Yes or No')


TEN_THOUSAND = """
import gc, resource
from fuselatch import Button, Form
from fuselatch.frontends import Gesture, Session
unwound = 0
class Deep(Form):
    go = Button("Go")
    @go.clicked
    def wait(self):
        global unwound
        try:
            self.open(Deep)
        finally:
            unwound += 1
def once():
    session = Session(Deep, recording=False)
    for _ in range(10):
        session.feed(Gesture(verb="press", control="go"))
    session.close()
def peak():
    gc.collect()
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
for _ in range(500):
    once()
before = peak()
for _ in range(9500):
    once()
print(unwound, peak() - before)
"""


def test_ten_waiting_handlers_closed_ten_thousand_times_leave_nothing() -> None:
    answer = subprocess.run([sys.executable, "-c", TEN_THOUSAND], capture_output=True, text=True, check=True, timeout=300)
    unwound, grown = map(int, answer.stdout.split())
    assert unwound == 100_000
    assert grown < 4096, f"{grown} KiB"


def test_a_key_that_is_heard_may_bring_up_a_prompt_where_the_focus_is_already() -> None:
    def ask_early(form: Bench, event: Event) -> None:
        if event.new == "ab":
            form.confirm("Really?")

    with bench({"typed": ask_early}) as (desk, form):
        desk.type("word", "abc")
        assert desk.prompt.text == "Really?" and form.word.draft == "ab"
