"""Sessions drawn at random: forms whose rules, handlers, stores and clocks may fail, and what a user does at them."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from datetime import datetime, timedelta
from types import new_class
from typing import Any, Final

from fuselatch import (
    Button,
    Choice,
    CustomEvent,
    EffectFailed,
    Event,
    Form,
    Group,
    HandlerFailed,
    Latch,
    Lines,
    Number,
    Opener,
    Prompt,
    Shared,
    Text,
    Tick,
    check,
    warn,
)
from fuselatch.core.model.errors import NotAllowedHere, Runaway
from fuselatch.core.model.record_changes import MOVES, Change
from fuselatch.frontends import Gesture, Session
from fuselatch.stores import MemoryLatches, MemoryRecords, StoreRefused

TIDE = Shared(int, 0, name="tide")
SURE = Prompt("Sure?", buttons=("Yes", "No"))
ONCE = Prompt("Once?", buttons=("Yes", "No"), latch=Latch(per="form"), remember=("Yes",))
NUMBERS: Final = ("n0", "n1", "n2", "n3")
OF_FORM: Final = ("opened", "closing", "closed", "submitted", "accepting", "brought_to_front", "record_shown", "sent")
OF_ENTRY: Final = ("changed", "entered", "left", "typed", "leaving", "hovered", "unhovered")
OF_BUTTON: Final = ("entered", "left", "clicked", "clicked")
OF_CONTROL: Final = {
    **dict.fromkeys(("n0", "n1", "n2", "n3", "text", "choice"), OF_ENTRY), **dict.fromkeys(("go", "save", "leave"), OF_BUTTON),
    "tick": ("changed", "entered", "left"), "total": ("changed",), "rows": ("line_added", "line_changed"),
}  # fmt: skip
NAMES: Final = (*NUMBERS, "tick", "text", "choice", "total", "go", "save", "leave", "rows", "rows[0].n", "rows[1].n")
TEXTS: Final = ("", "1", "2", "3", "7", "60", "x", "hide", "b", "c")
KEYS: Final = (
    "Enter",
    "Escape",
    "Tab",
    "Shift+Tab",
    "Space",
    "Backspace",
    "5",
    "x",
    "Ctrl+G",
    "Down",
    "Up",
    "Alt+Down",
    "End",
    "Delete",
    "Ctrl+A",
)
FITTING: Final = {
    "press": ("go", "save", "leave"), "pick": ("choice",), "tick": ("tick",), "untick": ("tick",), "add_line": ("rows",),
    "remove_line": ("rows[0]",), "move_line": ("rows[1]",),
}  # fmt: skip
VERBS: Final = (
    *("type",) * 6,
    *("key", "tab", "press", "focus") * 2,
    *FITTING,
    "back_tab",
    "close",
    "hover",
    "unhover",
    "double",
    "record",
    "time",
    "open",
)
STEPS: Final = (timedelta(0), timedelta(seconds=25), timedelta(minutes=1), timedelta(hours=7), timedelta(days=1))

READS: Final[dict[str, Callable[[Any], int]]] = {
    "n0": lambda form: int(form.n0.value or 0),
    "sum": lambda form: int((form.n0.value or 0) + (form.n3.value or 0)),
    "tick": lambda form: int(form.tick.value),
    "text": lambda form: len(form.text.value),
    "minute": lambda form: form.session.now("minute").minute % 4,
    "day": lambda form: form.session.today().day % 4,
    "latch": lambda form: int(form.latch.is_set()),
    "daily": lambda form: int(form.daily.is_set()),
    "tide": lambda form: form.session[TIDE] or 0,
    "open": lambda form: int(form.session.find(form.below) is not None),
    "opener": lambda form: int(form.opener.n1.value or 0) if form.opener is not None else 0,
    "lines": lambda form: len(form.rows),
    "in lines": lambda form: int(sum(line.n.value or 0 for line in form.rows)),
}
"""For rules: numbers that they read."""
LATER: Final[dict[str, Callable[[Any], int]]] = {
    **READS,
    "total": lambda form: int(form.total.value or 0),
    "finding": lambda form: len(form.n3.findings),
    "marker": lambda form: int(form.n3.marker is not None),
    "valid": lambda form: int(form.n3.is_valid),
}
"""For rules that come after `total` and `n3`."""


class Trouble(Exception):
    """The error of all that is drawn to fail."""


TROUBLES: Final = (Trouble, Runaway, NotAllowedHere, StoreRefused)
"""All that may come of drawn sessions: a pointer handler can't wait, and what is written can't be tried again."""


class Hand:
    """A clock that is set by hand; it may stop."""

    def __init__(self) -> None:
        self.now = datetime(2031, 5, 5, 12, 0)
        self.stopped = False

    def __call__(self) -> datetime:
        if self.stopped:
            raise Trouble("the clock stands still")
        return self.now


class Drawn(Form):
    """The members of all drawn forms. `heard`: handlers that ran though their form was closed."""

    opener: Any = Opener()
    sent = CustomEvent(str)
    latch = Latch(per="record")
    daily = Latch(every="day")
    heard: list[str]
    below: type[Form]


def opened(seeds: Iterable[int]) -> Iterator[World]:
    """Yield drawn sessions; those that fail as they open are left out."""
    for seed in seeds:
        with suppress(HandlerFailed, EffectFailed):
            yield World(seed)


def rule(draw: random.Random, reads: dict[str, Callable[[Any], int]], make: Callable[[int], Any]) -> Callable[[Any], Any]:
    """Return a rule that reads one or two things, and may fail for one value of what it reads."""
    first, second = draw.choice([*reads]), draw.choice([*reads])
    fatal = draw.choice((-1, -1, 2, 3, 5))

    def run(form: Any) -> Any:
        found = reads[first](form)
        if found == fatal:
            raise Trouble(f"the rule for {first} {found}")
        return make(found + (reads[second](form) if found != 1 else 0))

    return run


# ---- what handlers do


def copy(form: Any, target: str) -> None:
    other = getattr(form, target)
    other.value = (form.n0.value or 0) + 1 if (other.value or 0) < 20 else None


def fail(form: Any, target: str) -> None:
    form.n3.value = 9
    form.say("half done")
    raise Trouble("a handler")


def swallow(form: Any, target: str) -> None:
    """Catch what a dialog, which may not open, raises."""
    try:
        form.open(form.below)
    except HandlerFailed:
        form.text.value = "caught"


def turn_off(form: Any, target: str) -> None:
    form.n3.enabled = not form.n3.enabled


def conceal(form: Any, target: str) -> None:
    form.save.visible = not form.save.visible


def no_effect(*words: object) -> None:
    raise Trouble("an effect")


def to_opener(form: Any, target: str) -> None:
    if form.opener is not None and form.opener.is_open:
        form.opener.n0.value = 2
        form.opener.hide()


DOES: Final[dict[str, Callable[[Any, str], object]]] = {
    "copy": copy,
    "fail": fail,
    "ask": lambda form, target: form.ask(SURE),
    "ask once": lambda form, target: form.ask(ONCE),
    "open": lambda form, target: form.open(form.below),
    "open instead": lambda form, target: form.open(form.below, hiding=True),
    "show": lambda form, target: form.show(form.below),
    "swallow": swallow,
    "turn off": turn_off,
    "conceal": conceal,
    "hide": lambda form, target: form.hide(),
    "to opener": to_opener,
    "close": lambda form, target: form.close("done"),
    "accept": lambda form, target: form.close("accepted"),
    "focus": lambda form, target: form.n3.focus(),
    "say": lambda form, target: form.say(f"n0 is {form.n0.text}"),
    "tide": lambda form, target: form.session.__setitem__(TIDE, (form.session[TIDE] + 1) % 5),
    "latch": lambda form, target: form.latch.set("by hand"),
    "daily": lambda form, target: form.daily.set(),
    "reset": lambda form, target: form.daily.reset(),
    "add": lambda form, target: form.rows.add(n=2) if len(form.rows) < 4 else None,
    "remove": lambda form, target: form.rows.remove(form.rows[0]) if len(form.rows) else None,
    "write": lambda form, target: form.session.records.add("log", {"what": target}),
    "effect": lambda form, target: form.afterwards(str, target),
    "bad effect": lambda form, target: form.afterwards(no_effect, target),
    "save": lambda form, target: form.records.save() if form.is_bound else None,
    "next": lambda form, target: form.records.next() if form.is_bound else None,
    "send": lambda form, target: form.sent.send(target),
    "refresh": lambda form, target: form.refresh(),
}  # fmt: skip


OPENS: Final = ("open", "open instead", "show", "swallow")
"""The ones that open a form. At each time that one comes to the front, it would have no end."""


def handler(draw: random.Random, does: str, event: str) -> Callable[[Any, Event], None]:
    """Return a handler that does one thing, in a form that must not be closed."""
    target = draw.choice(NUMBERS)

    def run(form: Any, event: Event) -> None:
        if not form.is_open and event.name != "closed":
            form.heard.append(event.name)
        if form.is_open and (does not in OPENS or form.session._state.stack.opened < 15):
            DOES[does](form, target)

    run.__name__ = run.__qualname__ = f"{does} {event}".replace(" ", "_")
    return run


def drawn_form(draw: random.Random, below: Any, heard: list[str]) -> Any:
    """Return a form class, whose handlers open forms of the class below."""
    fatal = draw.choice((-1, 3))

    def twice(line: Any) -> float:
        if line.n.value == fatal:
            raise Trouble("the rule of a line")
        return float((line.n.value or 0) * 2 + line.form.session[TIDE])

    class Line(Group):
        n = Number("N", maximum=50)
        twice_it = Number("Twice", value=twice)

    class Controls(Drawn):
        n0 = Number("n0", maximum=50)
        n1 = Number("n1", enabled=rule(draw, LATER, lambda found: found < 4))
        n2 = Number(
            "n2", visible=rule(draw, LATER, lambda found: found < 4), required=rule(draw, LATER, lambda found: found > 3)
        )
        n3 = Number("n3", maximum=50)
        tick = Tick("Tick")
        text = Text("Text", required=draw.choice((False, True, "warn")))
        choice = Choice("Choice", choices=rule(draw, LATER, lambda found: tuple("abcde"[: 1 + found % 5])))
        total = Number("Total", value=rule(draw, READS, float))
        rows = Lines(Line, "Rows")
        go = Button("Go", keys="Ctrl+G")
        save = Button("Save", closes="accepted", keys="Enter", enabled=rule(draw, LATER, lambda found: found < 9))
        leave = Button("Leave", closes="left")

        @check(n0, n3)
        def judge(self, n: float, m: float) -> Any:
            if m == 13:
                raise Trouble("a check")
            return warn("large") if m > 5 else "too small" if n < 0 else None

    sources: list[Any] = [getattr(Drawn, event) for event in OF_FORM]
    sources += [getattr(getattr(Controls, name), event) for name, events in OF_CONTROL.items() for event in events]
    chosen = [(draw.choice(sources), draw.choice([*DOES])) for _ in range(draw.randint(0, 7))]
    members = {f"h{number}": source(handler(draw, does, source.name)) for number, (source, does) in enumerate(chosen)}
    options: dict[str, Any] = {"title": rule(draw, READS, lambda found: f"Drawn {found}")} if draw.random() < 0.3 else {}
    if draw.random() < 0.4:
        options["records"] = "berths"
    if draw.random() < 0.2:
        options["confirm_discard"] = "Throw it away?"
    members.update(below=below, heard=heard, is_bound="records" in options)
    return new_class(f"Drawn{draw.randint(0, 99)}", (Controls,), options, lambda body: body.update(members))


class World:
    """A drawn session, with what it stands on."""

    def __init__(self, seed: int) -> None:
        draw = self.draw = random.Random(seed)
        self.clock = Hand()
        self.heard: list[str] = []
        self.refuses = draw.choice((0, 0, 0.2, 0.6))
        self.store = MemoryRecords(
            {
                "berths": [{"id": number, "n0": float(number), "text": f"b{number}", "tick": False} for number in (1, 2, 3)],
                "log": [{"id": 1, "what": ""}],
            },
            self.refuse,
        )
        forms: list[Any] = []
        for _ in range(3):
            forms.append(drawn_form(draw, forms[-1] if forms else Last, self.heard))
        self.session = Session(
            forms[-1],
            forms=[forms[0]] if draw.random() < 0.3 else (),
            records=self.store,
            latches=MemoryLatches(),
            clock=self.clock,
            user="imke",
            recording=draw.random() < 0.8,
        )

    def refuse(self, changes: Sequence[Change]) -> str | None:
        """Refuse, or fail, as often as drawn."""
        if self.draw.random() < self.refuses / 4:
            raise Trouble("the store")
        return "The store is shut" if self.draw.random() < self.refuses else None

    def gesture(self) -> Gesture:
        """Return what the user does next, mostly something that can be done."""
        draw, session = self.draw, self.session
        if session.prompt is not None and draw.random() < 0.8:
            return Gesture(verb="answer", text=draw.choice(session.prompt.buttons))
        verb, name, text = draw.choice(VERBS), draw.choice(NAMES), ""
        if verb in ("type", "pick", "key", "record", "move_line", "open"):
            words = {
                "type": TEXTS,
                "pick": "abcde",
                "key": KEYS,
                "record": (*MOVES, "2"),
                "move_line": "01",
                "open": ("Drawn1",),
            }
            text = draw.choice(words[verb])
        if verb in ("key", "tab", "back_tab", "close", "unhover", "record", "time", "open"):
            name = ""
        elif verb in ("press", "pick", "tick", "untick", "add_line", "remove_line", "move_line") and draw.random() < 0.9:
            name = draw.choice(FITTING[verb])
        return Gesture(verb=verb, control=name, text=text)

    def way_out(self) -> Gesture:
        """Return one of the ways out of what is in front."""
        prompt = self.session.prompt
        if prompt is not None:
            return Gesture(
                verb="answer", text="Discard" if "Discard" in prompt.buttons else self.draw.choice(prompt.buttons)
            )
        if not self.session.view.forms:
            return Gesture(verb="open", text=self.session.view.offers[0].name)
        way = self.draw.choice(("close", "key", "press"))
        return Gesture(verb=way, control="leave" if way == "press" else "", text="Escape" if way == "key" else "")

    def happens(self) -> bool:
        """Let time pass, the clock stop, or another write, or a program call; return True if anything of that happened."""
        draw, clock = self.draw, self.clock
        kind = draw.random()
        if kind < 0.1:
            clock.now += draw.choice(STEPS)
        elif kind < 0.13:
            clock.stopped = not clock.stopped
        elif kind < 0.16:
            self.store.sources["berths"][0]["n0"] = float(draw.randint(0, 4))
            self.store.versions["berths"] += 1
        elif kind < 0.19 and self.session.view.forms and self.session.prompt is None:
            with suppress(HandlerFailed, EffectFailed, StoreRefused):
                BY_PROGRAM[draw.choice([*BY_PROGRAM])](self.session.front)
        return kind < 0.19


BY_PROGRAM: Final[dict[str, Callable[[Any], object]]] = {
    "value": lambda form: setattr(form.n0, "value", 3),
    "property": lambda form: setattr(form.n0, "enabled", False),
    "close": lambda form: form.close("by program"),
    "accept": lambda form: form.close("accepted"),
    "refresh": lambda form: form.refresh(),
    "tide": lambda form: form.session.__setitem__(TIDE, 3),
    "again": lambda form: setattr(form.n1, "value", None),
}
"""Calls from outside."""


class Last(Drawn):
    """The form below all others."""

    n0 = Number("n0")
    n1 = Number("n1")
    done = Button("Done", closes="accepted")
