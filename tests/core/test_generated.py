"""Invariants after every gesture: random forms, random gestures."""

from __future__ import annotations

from types import new_class
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from fuselatch import (
    Button,
    Choice,
    Form,
    HandlerFailed,
    Number,
    Prompt,
    Refused,
    Text,
    Tick,
    UnknownName,
    check,
    warn,
)
from fuselatch.core.forms.controls import LiveInput, LiveValue
from fuselatch.core.forms.form import controls_of
from fuselatch.core.forms.live_lists import LiveChoice
from fuselatch.core.model.words import phrase
from fuselatch.rehearsal import Desk, rehearse
from tests.helpers import snapshot

NUMBERS = ("n0", "n1", "n2", "n3")
SURE = Prompt("Sure?", buttons=("Yes", "No"))
RULES = st.fixed_dictionaries(
    {
        "sum": st.lists(st.sampled_from(NUMBERS), min_size=1, max_size=3),
        "enabled": st.sampled_from(["always", "tick", "sum"]),
        "visible": st.sampled_from(["always", "tick", "text"]),
        "choices": st.sampled_from(["constant", "tick", "sum"]),
        "handlers": st.lists(
            st.tuples(
                st.sampled_from([*NUMBERS, "text", "tick", "choice", "total"]),
                st.sampled_from(["changed", "left", "entered"]),
                st.sampled_from(["copy", "ask", "fail", "disable", "open", "show", "clear"]),
                st.sampled_from(NUMBERS),
            ),
            max_size=5,
        ),
        "check": st.sampled_from(["none", "warn", "refuse", "pair"]),
    }
)


def make_form(rules: dict[str, Any], depth: int = 0) -> Any:
    """Return a form class from drawn values; its dialogs are forms of the same kind."""
    members: dict[str, Any] = {name: Number(name, maximum=50) for name in NUMBERS}
    members["tick"] = Tick("Tick")
    members["text"] = Text("Text", required=rules["check"] == "refuse")
    follows: dict[str, Any] = {
        "always": True,
        "tick": lambda form: form.tick.value,
        "text": lambda form: form.text.value != "hide",
        "sum": lambda form: form.total.value < 10,
    }
    offers: dict[str, Any] = {
        "constant": ("a", "b"),
        "tick": lambda form: ("a", "b") if form.tick.value else ("b", "c"),
        "sum": lambda form: tuple("abcde"[: int(form.total.value) % 5]),
    }
    members["total"] = Number("Total", value=lambda form: total(form, rules))
    members["n1"] = Number("n1", enabled=follows[rules["enabled"]])
    members["n2"] = Number("n2", visible=follows[rules["visible"]])
    members["choice"] = Choice("Choice", choices=offers[rules["choices"]])
    members["save"] = Button("Save", closes="accepted", keys="Enter")
    members["leave"] = Button("Leave", closes="cancelled")
    members["sure"] = SURE
    for number, (name, event, action, target) in enumerate(rules["handlers"]):
        if name == "total" and event != "changed":
            continue
        source = getattr(members[name], event, None)
        if source is not None:
            members[f"handler{number}"] = source(handler(action, target, rules, depth))
    if rules["check"] != "none":
        both = (members["n0"], members["n3"]) if rules["check"] == "pair" else (members["n0"],)
        members["judge"] = check(*both)(judge(len(both)))
    return new_class("Drawn", (Form,), {}, lambda body: body.update(members))


def total(form: Any, rules: dict[str, Any]) -> float:
    """Compute the derived value from scratch."""
    return sum(getattr(form, name).value or 0 for name in rules["sum"]) + (1 if form.tick.value else 0)


def judge(count: int) -> Any:
    """Return a check of one control or two."""

    def of_one(self: Any, n: float) -> Any:
        return warn("large") if n > 5 else None

    def of_two(self: Any, n: float, m: float) -> Any:
        return "the same" if n == m else None

    return of_one if count == 1 else of_two


def handler(action: str, target: str, rules: dict[str, Any], depth: int) -> Any:
    """Return a handler with one action."""

    def run(self: Any) -> None:
        other = getattr(self, target)
        if action == "copy":
            other.value = (self.n0.value or 0) + 1 if (other.value or 0) < 20 else None
        elif action == "ask":
            self.marked = self.ask(SURE)
        elif action == "fail":
            self.n3.value = 9
            raise ValueError("drawn to fail")
        elif action == "disable":
            other.enabled = not other.enabled
        elif action == "clear" and self.text.enabled:
            self.text.value = ""
        elif action == "open" and depth < 2:
            self.open(make_form(rules, depth + 1))
        elif action == "show" and len(self.session.forms) < 4:
            self.show(make_form({**rules, "handlers": []}, depth + 1))

    return run


GESTURES = st.lists(
    st.one_of(
        st.tuples(
            st.just("paste"),
            st.sampled_from([*NUMBERS, "text", "choice", "total"]),
            st.sampled_from(["", "1", "7", "x", "hide", "b"]),
        ),
        st.tuples(st.just("pick"), st.just("choice"), st.sampled_from("abcde")),
        st.tuples(st.sampled_from(["tick", "untick"]), st.just("tick")),
        st.tuples(st.sampled_from(["focus", "hover"]), st.sampled_from([*NUMBERS, "text", "choice", "save"])),
        st.tuples(st.just("press"), st.sampled_from(["save", "leave"])),
        st.tuples(st.sampled_from(["tab", "back_tab", "close", "unhover"])),
        st.tuples(st.just("answer"), st.sampled_from(["Yes", "No", "Go on", "Go back"])),
        st.tuples(st.just("key"), st.sampled_from(["Enter", "Escape", "5"])),
    ),
    max_size=20,
)


def play(rules: dict[str, Any], gestures: list[tuple[str, ...]], each: Any) -> Desk | None:
    """Make the gestures at a new form; `each` is called around every gesture."""
    desk = rehearse(make_form(rules))
    try:
        desk.__enter__()
    except HandlerFailed:
        return None
    for verb, *words in gestures:
        each(desk, verb, words)
    desk.session.close()
    return desk


def attempt(desk: Desk, verb: str, words: list[str]) -> None:
    """Make one gesture, and check the invariants."""
    before, lines = snapshot(desk.session), len(desk.trace)
    waiting = desk.session.waits_for
    open_before = len(desk.session.forms)
    try:
        getattr(desk, verb)(*words)
    except (Refused, UnknownName):
        assert snapshot(desk.session) == before
    except HandlerFailed as error:
        free = verb in ("close", "answer", "press", "key") and len(desk.session.forms) < open_before
        own = error.gesture == str(desk.trace[lines].name) if len(desk.trace) > lines else False
        if own and not waiting and not free:
            assert snapshot(desk.session) == before
    holds(desk)
    assert all(entry.cause < entry.number for entry in desk.trace[lines:])


def holds(desk: Desk) -> None:
    """Check the invariants of a settled session."""
    session = desk.session
    view = session.view
    assert len(session.waits_for) > 0 or not view.prompt
    focused = [control for form in view.forms for control in form.controls if control.focused]
    assert len(focused) <= 1 and all(control.enabled for control in focused)
    for form in session.forms:
        for control in controls_of(form).values():
            if isinstance(control, LiveChoice):
                assert control.value is None or control.value in control.choices
            if isinstance(control, LiveInput) and control.draft is None and control.enabled and control.visible:
                value: Any = control.value
                assert (value is None or value <= 50 if control.name in ("n0", "n3") else True) or control.findings


@settings(max_examples=120)
@given(RULES, GESTURES)
def test_what_holds_after_every_gesture(rules: dict[str, Any], gestures: list[tuple[str, ...]]) -> None:
    play(rules, gestures, attempt)


@settings(max_examples=60)
@given(RULES, GESTURES)
def test_derived_values_equal_an_evaluation_from_scratch(rules: dict[str, Any], gestures: list[tuple[str, ...]]) -> None:
    def each(desk: Desk, verb: str, words: list[str]) -> None:
        try:
            getattr(desk, verb)(*words)
        except (Refused, UnknownName, HandlerFailed):
            pass
        for form in desk.session.forms:
            values = controls_of(form)
            derived, ticked = values["total"], values["tick"]
            assert isinstance(derived, LiveValue) and isinstance(ticked, LiveValue)
            assert derived.value == total(form, rules)

    play(rules, gestures, each)


@settings(max_examples=40)
@given(RULES, GESTURES)
def test_the_same_gestures_give_the_same_trace(rules: dict[str, Any], gestures: list[tuple[str, ...]]) -> None:
    def each(desk: Desk, verb: str, words: list[str]) -> None:
        try:
            getattr(desk, verb)(*words)
        except (Refused, UnknownName, HandlerFailed):
            pass

    one, other = play(rules, gestures, each), play(rules, gestures, each)
    assert (one is None) == (other is None)
    if one is not None and other is not None:
        assert one.trace.to_jsonl() == other.trace.to_jsonl()
        assert all(phrase(entry) for entry in one.trace)
