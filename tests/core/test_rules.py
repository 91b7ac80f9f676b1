"""The ten numbered rules of docs/events.md, each with tests named after it."""

from __future__ import annotations

import gc
import subprocess
import sys
import threading
import weakref
from typing import Any

import pytest

from fuselatch import (
    Button,
    Choice,
    Event,
    Form,
    FormClosed,
    FuseBlown,
    HandlerFailed,
    Number,
    Opener,
    Prompt,
    Refused,
    Text,
    Tick,
    check,
    warn,
)
from fuselatch.frontends import Gesture, Session
from fuselatch.rehearsal import Desk, rehearse
from fuselatch.stores.memory import MemoryRecords
from tests.helpers import act, snapshot, told


class Pop(Form):
    """A dialog with a field, and ways to fail."""

    opener: Any = Opener()

    word = Text("Word")
    ok = Button("OK", closes="accepted")
    close_opener = Button("Close opener")

    @close_opener.clicked
    def close_it(self) -> None:
        self.opener.close()

    @Form.submitted
    def write(self) -> None:
        self.session.records.add("log", {"word": self.word.value})

    @Form.closed
    def fail_late(self) -> None:
        if self.word.value == "late":
            raise ValueError("too late")


class Main(Form, confirm_discard="Throw it away?"):
    """A form whose handlers can fail in every way."""

    a = Number("A")
    b = Number("B")
    twice = Number("Twice", value=lambda form: (form.a.value or 0) * 2)
    on = Tick("On")
    extra = Text("Extra", enabled=lambda form: form.on.value)
    pop = Button("Pop")
    ask_it = Button("Ask")
    show_it = Button("Show")
    save = Button("Save", closes="accepted", keys="Enter")
    later = Button("Later", closes="later")

    @pop.clicked
    def open_pop(self) -> None:
        self.a.value = 1
        outcome = self.open(Pop)
        self.b.value = 2
        if outcome.accepted and outcome[Pop.word] == "fail":
            raise ValueError("after the dialog")

    @ask_it.clicked
    def ask_first(self) -> None:
        self.a.value = 5
        self.tag = "asking"
        if self.ask("Really?", buttons=("Yes", "No")) == "No":
            raise ValueError("after the answer")
        self.a.value = 6

    @show_it.clicked
    def show_pop(self) -> None:
        shown = self.show(Pop)
        shown.word.value = "shown"
        if self.b.value == 13:
            raise ValueError("after the show")

    @Form.closing
    def on_the_way(self, event: Event) -> None:
        self.seen = event.new
        if self.b.value == 99:
            self.a.value = 99
            raise ValueError("on the way")


def desk_of(form: Any = Main, **more: Any) -> Desk:
    """Return a started rehearsal with a store."""
    desk = rehearse(form, records=MemoryRecords({"log": []}, **more))
    return desk.__enter__()


# ---- 1. Queue


def test_rule_01_one_handler_at_a_time_in_order_of_declaration() -> None:
    order: list[str] = []

    class Order(Form):
        a = Number("A")
        b = Number("B")

        @a.changed
        def first(self) -> None:
            order.append("first begins")
            self.b.value = 1
            order.append("first ends")

        @a.changed
        def second(self) -> None:
            order.append("second")

        @b.changed
        def third(self) -> None:
            order.append("third")

    with rehearse(Order) as desk:
        desk.at(Order).a.value = 1
    assert order == ["first begins", "first ends", "second", "third"]


# ---- 2. Waiting


def test_rule_02_gestures_made_while_one_waits_run_to_their_end() -> None:
    desk = desk_of()
    act(desk, "press pop", "type word x", "press ok")
    assert desk.at(Main).b.value == 2
    lines = told(desk.trace)
    assert lines.index("writes log: word=x") < lines.index("b.value: blank → 2")
    desk.session.close()


def test_rule_02_a_dialog_may_close_its_opener() -> None:
    desk = desk_of()
    opener = desk.at(Main)
    act(desk, "press pop", "paste word x")
    with pytest.raises(HandlerFailed) as caught:  # the opener's handler resumes, and finds its form closed
        act(desk, "press close_opener", "answer Discard")
    assert isinstance(caught.value.__cause__, FormClosed)
    assert not opener.is_open and not desk.session.forms
    desk.session.close()


# ---- 3. Fuse


def test_rule_03_only_a_chain_blows_the_fuse_not_many_events() -> None:
    runs: list[float] = []

    class Many(Form):
        go = Button("Go")
        a = Number("A")

        @go.clicked
        def many(self) -> None:
            for n in range(300):
                self.a.value = n
                self.inform("wait a little") if n == 5 else None

        @a.changed
        def hear(self, event: Event) -> None:
            runs.append(event.new)

    with rehearse(Many) as desk:
        act(desk, "press go", "answer OK")
    assert runs == [299.0]


def test_rule_03_every_event_knows_its_parent_with_the_trace_off() -> None:
    class Ring(Form):
        a = Number("A")

        @a.changed
        def again(self) -> None:
            self.a.value = self.a.required_value + 1

    with Session(Ring, recording=False) as session, pytest.raises(FuseBlown) as caught:
        session.front.a.value = 1  # type: ignore[attr-defined]
    assert caught.value.loop == ("a.changed", "again", "a.changed")
    assert not len(session.trace)


def test_rule_03_a_loop_through_a_rule_is_a_chain_too() -> None:
    class Through(Form):
        a = Number("A")
        twice = Number("Twice", value=lambda form: (form.a.value or 0) * 2)

        @twice.changed
        def again(self) -> None:
            self.a.value = (self.a.value or 0) + 1

    with rehearse(Through) as desk, pytest.raises(FuseBlown) as caught:
        desk.at(Through).a.value = 1
    assert caught.value.loop == ("twice.changed", "again", "twice.changed")
    assert "one handler ran more than 100 times for one control" in str(caught.value)


# ---- 4. All or nothing


def test_rule_04_after_a_filled_dialog_what_it_settled_stays() -> None:
    desk = desk_of()
    before = snapshot(desk.session)
    desk.press("pop")
    dialog = desk.at(Pop)
    desk.paste("word", "fail")
    with pytest.raises(HandlerFailed, match="after the dialog") as caught:
        desk.press("ok")
    assert caught.value.gesture == "press pop"
    assert snapshot(desk.session) == before
    assert dialog.word.value == "fail" and not dialog.is_open


def test_rule_04_cells_that_another_gesture_settled_are_not_put_back() -> None:
    desk = desk_of()
    desk.press("ask_it")
    desk.at(Main).a.value = 50  # a program, while the handler waits
    with pytest.raises(HandlerFailed):
        desk.answer("No")
    assert desk.at(Main).a.value == 50 and desk.at(Main).twice.value == 100


# ---- 5. Writes


def test_rule_05_writes_come_after_the_last_step_and_before_outward_effects() -> None:
    done: list[str] = []

    class Writer(Form):
        save = Button("Save", closes="accepted")
        rows = Number("Rows", value=lambda form: len(form.session.records.rows("log")))

        @save.clicked
        def stage(self) -> None:
            self.afterwards(done.append, "letter")
            self.session.records.add("log", {"n": 1})
            assert self.rows.value == 1

    store = MemoryRecords({"log": []}, lambda rows: done.append("asked"))
    with rehearse(Writer, records=store) as desk:
        desk.press("save")
        assert told(desk.trace)[-1] == "writes log: n=1"
    assert done == ["asked", "letter"] and store.sources["log"] == [{"n": 1}] and store.transactions == 1


def test_rule_05_a_store_that_refuses_a_person_may_be_tried_again_and_a_program_fails() -> None:
    desk = desk_of(refuse=lambda rows: "disk full")
    act(desk, "press pop", "paste word x", "tab")
    before = snapshot(desk.session)
    desk.press("ok")
    assert desk.prompt.text == "Couldn't save: disk full"
    act(desk, "answer 'Try again'", "answer 'Keep editing'")
    assert snapshot(desk.session) == before and desk.at(Pop).is_open
    with pytest.raises(HandlerFailed, match="StoreRefused: disk full"):
        desk.at(Pop).close("accepted")
    assert snapshot(desk.session) == before and desk.at(Pop).is_open
    desk.session.close()


def test_rule_05_what_a_store_has_taken_is_a_fact() -> None:
    store = MemoryRecords({"log": []})

    class Early(Form):
        a = Number("A")
        go = Button("Go")

        @go.clicked
        def stage_then_fail(self) -> None:
            self.a.value = 1
            self.session.records.add("log", {"n": 1})
            self.open(Pop)
            raise ValueError("late")

    with rehearse(Early, records=store) as desk:
        desk.press("go")
        assert store.transactions == 1
        with pytest.raises(HandlerFailed):
            desk.close()
        assert desk.at(Early).a.value is None and store.sources["log"] == [{"n": 1}]


def test_rule_05_what_was_written_before_a_dialog_is_not_written_again() -> None:
    store = MemoryRecords({"log": []})

    class Once(Form):
        go = Button("Go", keys="Ctrl+G")
        count = Number("Count", default=0)

        @go.clicked
        def stage_and_open(self) -> None:
            self.session.records.add("log", {"n": 1})
            self.open(Pop)
            self.count.value = self.count.required_value + 1
            self.session.records.add("log", {"n": 2})

    with rehearse(Once, records=store) as desk:
        act(desk, "press go", "close")
        assert store.sources["log"] == [{"n": 1}, {"n": 2}] and store.transactions == 2
        desk.key("Ctrl+G", repeat=4)
        desk.close()
        assert desk.at(Once).count.value == 2


def test_rule_05_a_closed_handler_that_fails_writes_nothing() -> None:
    store = MemoryRecords({"log": []})
    with rehearse(Pop, records=store) as desk:
        desk.paste("word", "late")
        with pytest.raises(HandlerFailed):
            desk.press("ok")
        assert desk.at(Pop).is_open and store.transactions == 0


# ---- 6. Submitting


def test_rule_06_what_accepting_sets_is_checked_again() -> None:
    class Again(Form):
        a = Number("A", maximum=10)
        save = Button("Save", closes="accepted")

        @Form.accepting
        def spoil(self) -> None:
            self.a.value = (self.a.value or 0) + 10

        @check(a)
        def round_number(self, a: float) -> Any:
            return warn("not round") if a % 10 else None

    with rehearse(Again) as desk:
        act(desk, "type a 1", "press save")
        assert desk.prompt.text == "A: not round"
        desk.answer("Go on")
        assert desk.outcome is None and desk.session.view.notice == "A: Too high: 11. Maximum is 10"


# ---- 7. The way out


@pytest.mark.parametrize("way", ["close", "later", "escape"])
def test_rule_07_the_way_out_is_free_and_a_failure_closes_all_the_same(way: str) -> None:
    desk = desk_of()
    form = desk.at(Main)
    form.b.value = 99
    desk.type("a", "many")
    if way == "escape":
        desk.key("Escape")
    with pytest.raises(HandlerFailed, match="on the way"):
        desk.press("later") if way == "later" else desk.close() if way == "close" else desk.key("Escape")
    assert not form.is_open and form.a.value is None and "seen" not in vars(form)
    assert desk.outcome is not None and desk.outcome.verdict == ("later" if way == "later" else "cancelled")


def test_rule_07_changes_are_thrown_away_only_when_asked() -> None:
    desk = desk_of()
    desk.close()
    assert desk.outcome is not None  # nothing was changed, nothing is asked
    desk = desk_of()
    act(desk, "paste a 1", "close")
    assert (desk.prompt.text, desk.prompt.default) == ("Throw it away?", "Keep editing")
    desk.close()
    assert desk.form.is_open and desk.session.view.notice == "Nothing was discarded"
    act(desk, "close", "answer Discard")
    assert desk.outcome is not None and desk.outcome.verdict == "cancelled"


def test_rule_07_closing_asked_for_in_a_handler_is_a_step_after_it() -> None:
    class Closes(Form):
        a = Number("A")
        go = Button("Go")

        @go.clicked
        def end(self) -> None:
            self.close("done")
            self.a.value = 1

    with rehearse(Closes) as desk:
        desk.press("go")
        assert desk.outcome is not None and (desk.outcome.verdict, desk.outcome[Closes.a]) == ("done", 1.0)


# ---- 8. Opening


def count_open(desk: Desk) -> int:
    """Return the number of open forms."""
    return len(desk.session.forms)


def test_rule_07_a_dialog_that_holds_its_closing_holds_that_of_its_opener() -> None:
    class Stubborn(Form):
        may = Tick("May")

        @Form.closing
        def hold(self, event: Event) -> None:
            if not self.may.value:
                event.block("not yet")

    class Opener1(Form):
        go = Button("Go")

        @go.clicked
        def open_it(self) -> None:
            self.open(Stubborn)

    desk = rehearse(Opener1)
    desk.__enter__()
    opener = desk.form
    desk.press("go")
    opener.close()
    assert opener.is_open and count_open(desk) == 2 and desk.session.view.notice == "not yet"
    desk.tick("may")
    opener.close()
    assert count_open(desk) == 0 and desk.session.waits_for == ()
    desk.session.close()


def test_rule_08_opening_raises_no_changed_but_for_what_opened_sets() -> None:
    heard: list[str] = []

    class Opening(Form):
        a = Number("A", default=1)
        b = Number("B", default=lambda form: form.a.required_value + 1)
        c = Number("C", value=lambda form: form.b.required_value + 1)

        @Form.opened
        def set_one(self) -> None:
            heard.append(f"opened with {self.c.value}")
            self.a.value = 5

        @a.changed
        def hear(self, event: Event) -> None:
            heard.append(f"a {event.old} → {event.new}")

        @b.changed
        def never(self) -> None:
            heard.append("b")

    with rehearse(Opening) as desk:
        assert told(desk.trace, "event") == ["Opening.opened", "a.changed", "a.entered"]
    assert heard == ["opened with 3.0", "a 1.0 → 5.0"]


# ---- 9. Focus and keys


def test_rule_09_a_key_held_down_never_submits_twice() -> None:
    class Two(Form):
        save = Button("Save", closes="accepted", keys="Enter")

    class One(Form):
        name = Text("Name")
        go = Button("Go", keys="Enter")

        @go.clicked
        def open_two(self) -> None:
            self.count = getattr(self, "count", 0) + 1
            self.open(Two)

    with rehearse(One) as desk:
        desk.key("Enter", repeat=5)
        assert vars(desk.session.first)["count"] == 1 and isinstance(desk.form, Two)
        desk.key("Enter", repeat=3)
        assert isinstance(desk.form, One) and vars(desk.form)["count"] == 1


def test_rule_09_a_shortcut_held_down_presses_once() -> None:
    class Counts(Form):
        n = Number("N", default=0)
        up = Button("Up", keys="Ctrl+Up")

        @up.clicked
        def count(self) -> None:
            self.n.value = self.n.required_value + 1

    with rehearse(Counts) as desk:
        desk.key("ctrl+up", repeat=5)
        assert desk.at(Counts).n.value == 1
        desk.focus("up")
        desk.key("Space", repeat=5)
        assert desk.at(Counts).n.value == 2


def test_rule_09_focus_goes_on_when_it_loses_its_place() -> None:
    with rehearse(Main) as desk:
        act(desk, "tick on", "type extra text")
        start = len(desk.trace)
        desk.at(Main).on.value = False
        assert told(desk.trace[start:], "event") == ["on.changed", "extra.changed", "extra.left", "pop.entered"]
        assert desk.at(Main).pop.focused and desk.at(Main).extra.value == "text"


def test_rule_09_the_focus_moves_on_until_it_has_a_place() -> None:
    class Row3(Form):
        a = Text("A")
        b = Text("B")
        c = Text("C")
        d = Text("D")

        @a.left
        def one(self) -> None:
            self.b.enabled = False

        @b.entered
        def two(self) -> None:
            self.b.enabled = False

        @c.entered
        def three(self) -> None:
            self.c.enabled = False

    with rehearse(Row3) as desk:
        desk.at(Row3).a.enabled = False
        assert desk.at(Row3).d.focused


def test_rule_09_a_handler_may_send_the_focus_elsewhere() -> None:
    class Sends(Form):
        a = Text("A", default="all of it")
        b = Tick("B")
        c = Text("C", keys="Ctrl+G")

        @b.changed
        def back(self) -> None:
            self.a.focus(select=True)

    with rehearse(Sends) as desk:
        desk.tick("b")
        assert desk.at(Sends).a.focused and desk.session.view.forms[0].controls[0].selected
        desk.key("x")
        assert desk.at(Sends).a.text == "x"
        desk.at(Sends).a.revert()
        assert desk.at(Sends).a.text == "all of it"
        desk.key("ctrl+g")
        assert desk.at(Sends).c.focused


def is_listing(desk: Desk) -> bool:
    """Return True if the first control shows its list."""
    return desk.session.view.forms[0].controls[0].list_open


def test_rule_09_enter_takes_the_match_and_escape_closes_the_list_first() -> None:
    class List(Form):
        pier = Choice("Pier", choices=("North", "Northeast", "South"))
        other = Text("Other")

    with rehearse(List) as desk:
        desk.type("pier", "nor")
        assert is_listing(desk)
        desk.key("Enter")
        assert desk.at(List).pier.value == "North"
        act(desk, "type pier So", "key Escape")
        assert desk.at(List).pier.draft == "So" and not is_listing(desk)
        desk.key("Escape")
        assert desk.at(List).pier.text == "North"


# ---- 10. Refused


def test_rule_10_a_refusal_reads_the_clock() -> None:
    with rehearse(Main) as desk:
        desk.wait("2h")
        with pytest.raises(Refused):
            desk.type("extra", "x")
        assert desk.trace[-1].time == "2031-05-04T11:30:00"


def test_rule_10_what_is_covered_is_refused_with_a_reason() -> None:
    desk = desk_of()
    desk.press("pop")
    before = snapshot(desk.session)
    with pytest.raises(Refused, match="type a 1: Pop is open in front"):
        desk.type(Main.a, "1")
    desk.at(Pop).word.value = "x"
    assert snapshot(desk.session) != before
    act(desk, "close", "press ask_it")
    with pytest.raises(Refused, match='a prompt is open: "Really\\?"; answer Yes or No'):
        desk.press("save")
    desk.session.close()


def test_forms_beside_each_other_both_take_gestures() -> None:
    brought_to_front: list[str] = []

    class Side(Form):
        word = Text("Word")

        @Form.brought_to_front
        def hear(self) -> None:
            brought_to_front.append("side")

    class Centre(Form):
        a = Text("A")
        go = Button("Go")

        @go.clicked
        def show_side(self) -> None:
            self.show(Side).word.value = "ready"

        @Form.brought_to_front
        def hear(self) -> None:
            brought_to_front.append("centre")

    desk = rehearse(Centre)
    desk.__enter__()
    desk.press("go")
    assert desk.at(Side).word.value == "ready" and not any(form.covered for form in desk.session.view.forms)
    desk.type(Centre.a, "x")
    desk.type("Side.word", "y")
    desk.focus(Centre.a)
    assert brought_to_front == ["centre", "side", "centre"]
    assert desk.session.find(Side) is desk.session.forms[1]
    desk.session.close()


def test_a_session_belongs_to_the_thread_that_made_it() -> None:
    desk = desk_of()
    desk.type("a", "1")
    said: list[str] = []

    def elsewhere() -> None:
        for verb, *words in (["press", "ask_it"], ["type", "a", "2"]):
            try:
                getattr(desk, verb)(*words)
            except RuntimeError as error:
                said.append(str(error))

    thread = threading.Thread(target=elsewhere)
    thread.start()
    thread.join()
    assert said == ["a session can only be used from the thread that created it"] * 2
    act(desk, "press ask_it", "answer Yes")
    with pytest.raises(AttributeError, match="Main has no 'extr'; did you mean 'extra'"):
        _ = desk.form.extr  # type: ignore[attr-defined]


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
    answer = subprocess.run([sys.executable, "-c", TEN_THOUSAND], capture_output=True, text=True, check=True)
    unwound, grown = map(int, answer.stdout.split())
    assert unwound == 100_000
    assert grown < 4096, f"{grown} KiB"


class Curious(Form):
    """Ask at the second key."""

    word = Text("Word")

    @word.typed
    def ask_early(self, event: Event) -> None:
        if event.new == "ab":
            self.ask("Really?", buttons=("Yes", "No"))


def test_a_key_that_is_heard_may_bring_up_a_prompt_where_the_focus_is_already() -> None:
    with rehearse(Curious) as desk:
        desk.type("word", "abc")
        assert desk.prompt.text == "Really?" and desk.at(Curious).word.draft == "ab"
        desk.answer("Yes")


def test_what_comes_of_an_answer_may_ask_in_turn() -> None:
    class Leads(Form):
        a = Text("A")
        b = Text("B")
        sure = Prompt("Sure?")

        @a.changed
        def close_the_way(self) -> None:
            self.a.enabled = False
            self.ask(self.sure)

        @b.entered
        def tell_why(self) -> None:
            self.inform("Here is B")

    with rehearse(Leads) as desk:
        act(desk, "type a x", "key Enter", "answer OK")
        # The focus couldn't stay. Moving it is part of the answer, and asks before the first handler resumes.
        assert desk.prompt.text == "Here is B"
        desk.answer("OK")
        assert not desk.prompt and desk.at(Leads).b.focused


def test_a_change_that_waits_is_its_own_though_a_program_sets_the_control_meanwhile() -> None:
    heard: list[tuple[Any, Any]] = []

    class Waits(Form):
        a = Text("A")
        b = Number("B")

        @a.changed
        def set_and_ask(self) -> None:
            self.b.value = 5
            self.inform("B is set")

        @b.changed
        def hear(self, event: Event) -> None:
            heard.append((event.old, event.new))

    with rehearse(Waits) as desk:
        act(desk, "type a x", "tab")
        assert heard == []
        desk.at(Waits).b.value = 7
        assert heard == [(5, 7)]
        desk.answer("OK")
        assert heard == [(5, 7), (None, 7)]


def test_a_closed_session_is_let_go_though_its_workers_serve_on() -> None:
    session = Session(Main, records=MemoryRecords({"log": []}))
    session.feed(Gesture(verb="press", control="show_it"))
    session.close()
    known = weakref.ref(session)
    del session
    gc.collect()
    assert known() is None
