"""Every action that a handler can take, done and then failed: the session is as it was before."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from decimal import Decimal
from typing import Any

import pytest

from fuselatch import (
    Button,
    Catalog,
    Choice,
    CustomEvent,
    Finding,
    Form,
    Group,
    HandlerFailed,
    Label,
    Latch,
    Lines,
    Money,
    Number,
    Picture,
    Prompt,
    Shared,
    Table,
    Text,
    Tick,
    check,
    last_entered,
    warn,
)
from fuselatch.frontends import Gesture, Session
from fuselatch.stores import LatchRecord, MemoryLatches, MemoryRecords
from tests.helpers import snapshot

COUNT = Shared(int, 3, name="count")
BOATS = [
    {"number": number, "boat": boat, "size": number * 10.0} for number, boat in enumerate(["Eider", "Teal", "Heron"], 1)
]
EXTRAS = [{"id": 1, "boat": 1, "what": "rope", "price": 3}, {"id": 2, "boat": 1, "what": "paint", "price": 5}]
BERTHS = [{"name": name, "length": length} for name, length in (("N1", 9), ("N2", 12), ("S1", 7))]


class Extra(Group):
    what = Text("What", required=True)
    price = Money("Price", default=Decimal(1))


class Side(Form):
    """A form beside the other."""

    chosen = CustomEvent(str)
    note = Text("Note")


class Ask(Form):
    """A dialog."""

    done = Button("Done", closes="accepted")


class All(Form, records="boats", title="All"):
    """A form with something of everything; `run` does the action of the test, and fails."""

    boat = Text("Boat", required=True, default=last_entered())
    size = Number("Size", maximum=50)
    double = Number("Double", value=lambda form: (form.size.value or 0) * 2)
    kind = Choice("Kind", choices=("sloop", "barge"), other=True)
    ready = Tick("Ready")
    place = Text("Place", value=lambda form: form.records.position_text)
    seen = Text("Seen", value=lambda form: f"{form.session[COUNT]} {form.asked.is_set()} {len(form.extras)}")
    plan = Label("Plan", picture=Picture(b"GIF89a"), alt="a plan")
    berths = Table("Berths", rows=Catalog("berths", text="name"), columns=("name", "length"))
    rows = Number("Rows", value=lambda form: len(form.session.records.rows("log")))
    extras = Lines(Extra, "Extras", records="extras", key="boat", on_parent_remove="cascade")
    go = Button("Go")
    save = Button("Save", submits=True, after_submit="new")
    done = Button("OK", closes="accepted")
    asked = Latch(per="session")
    daily = Latch(every="day")
    sure = Prompt("Sure?", buttons=("Yes", "No"))
    heard = ""
    action: Callable[[Any], Any] = staticmethod(lambda form: None)
    waits = ""

    @check(size, boat)
    def plausible(self, size: float, boat: str) -> Finding | None:
        return warn("Large") if size > 25 else None

    def hear(self) -> None:
        self.heard = "heard"

    @Form.submitted
    def refuse(self) -> None:
        raise ValueError("after submitting")

    @go.clicked
    def run(self) -> None:
        type(self).action(self)
        if self.waits == "prompt":
            self.ask(self.sure)
        if self.waits == "dialog":
            self.open(Ask)
        raise ValueError("after the action")


def side(form: Any) -> Any:
    return form.session.find(Side)


def pick(form: Any, kind: str) -> Any:
    form.kind.value = kind
    return form


def offer(form: Any, kinds: list[str]) -> Any:
    form.kind.choices = kinds
    return form


ACTIONS: dict[str, Callable[[Any], Any]] = {
    "value": lambda form: setattr(form.boat, "value", "Old Heron"),
    "value with a finding": lambda form: setattr(form.size, "value", 60),
    "value with a warning": lambda form: setattr(form.size, "value", 30),
    "value cleared": lambda form: setattr(form.boat, "value", ""),
    "choice": lambda form: pick(form, "barge"),
    "position": lambda form: setattr(form.kind, "position", 1),
    "tick": lambda form: setattr(form.ready, "value", True),
    "caption": lambda form: setattr(form.boat, "caption", "Ship"),
    "picture": lambda form: setattr(form.plan, "picture", Picture(b"GIF89a other")),
    "a picture's words": lambda form: setattr(form.plan, "alt", "another plan"),
    "help": lambda form: setattr(form.go, "help", "Go now"),
    "tone": lambda form: setattr(form.go, "tone", "danger"),
    "required": lambda form: setattr(form.size, "required", True),
    "read-only": lambda form: setattr(form.size, "read_only", True),
    "enabled": lambda form: setattr(form.boat, "enabled", False),
    "enabled of the focused": lambda form: setattr(form.go, "enabled", False),
    "visible": lambda form: setattr(form.size, "visible", False),
    "choices": lambda form: offer(form, ["ketch"]),
    "choices without the value": lambda form: offer(pick(form, "sloop"), ["ketch"]),
    "revert": lambda form: form.boat.revert(),
    "focus": lambda form: form.boat.focus(select=True),
    "title": lambda form: form.set_title("Other"),
    "say": lambda form: form.say("Half done", tone="warning"),
    "plain attribute": lambda form: setattr(form, "heard", "half"),
    "hide": lambda form: form.hide(),
    "hide another": lambda form: side(form).hide(),
    "show": lambda form: form.show(Side, place="beside"),
    "close another": lambda form: side(form).close(),
    "set another form": lambda form: setattr(side(form).note, "value", "set"),
    "send": lambda form: side(form).chosen.send("N2"),
    "listen": lambda form: side(form).chosen.listen(form.hear),
    "afterwards": lambda form: form.afterwards(BERTHS.clear),
    "refresh": lambda form: form.refresh(),
    "session value": lambda form: form.session.__setitem__(COUNT, 9),
    "latch": lambda form: form.asked.set("done"),
    "latch in the store": lambda form: form.daily.set("done"),
    "latch reset": lambda form: (form.asked.set("x"), form.asked.reset()),
    "sort": lambda form: form.berths.sort_by("length", descending=True),
    "table row": lambda form: setattr(form.berths, "value", "N2"),
    "line added": lambda form: form.extras.add(what="rope"),
    "line set": lambda form: setattr(form.extras[0].what, "value", "tar"),
    "line removed": lambda form: form.extras.remove(form.extras[0]),
    "line moved": lambda form: form.extras.move(form.extras[1], 0),
    "lines mixed": lambda form: (form.extras.add(what="a"), form.extras.remove(form.extras[0]), form.extras.move(form.extras[1], 0)),
    "record": lambda form: form.records.next(),
    "record by key": lambda form: form.records.at(3),
    "new record": lambda form: form.records.new(),
    "record saved": lambda form: pick(form, "barge").records.save(),
    "record removed": lambda form: form.records.remove(),
    "value asked for": lambda form: form.ask_value(Text("State")),
    "dialog": lambda form: form.open(Ask),
    "row staged": lambda form: form.session.records.add("log", {"n": 1}),
    "filter": lambda form: form.records.where(boat=form.kind, blank="none"),
}  # fmt: skip


def everything(session: Any, log: MemoryLatches, store: MemoryRecords) -> dict[str, Any]:
    """Return all that can be seen of a session, with stores, latches and staged writes."""
    form = next(form for form in session.forms if isinstance(form, All))
    return {
        "seen": snapshot(session),
        "listeners": [len(each._state.listeners) for each in session.forms],
        "findings": [control.findings for control in (form.boat, form.size, form.kind)],
        "lines": [[line.what.value for line in form.extras], form.extras._gone, list(form.extras._written.values())],
        "record": (form.records.key, form.records.count, form.records.is_changed, form.records.position_text),
        "latches": (session.latches, log.all(), form.overrides, session._state.messages),
        "inside": [
            (
                each._state.select,
                each._state.record,
                each._state.outcome,
                getattr(each._state.records, "_blank_is_all", None),
            )
            for each in session.forms
        ]
        + [
            (control.name, control._marked, control._listing, control._preview, getattr(control, "_brought", None))
            for control in form._state.order
        ],
        "front": (session._state.stack.brought_to_front, session._state.stack.first, session._state.hovered),
        "written": {name: [dict(row) for row in rows] for name, rows in store.sources.items()},
    }


BY_WAIT = {
    **dict.fromkeys(("All", "Other"), Gesture(verb="answer", text="Yes")),
    "Remove record": Gesture(verb="answer", text="Remove"),
    "Ask": Gesture(verb="press", control="done"),
    "State": Gesture(verb="press", control="ok"),
}
"""The gesture that ends each wait, by the title that the user sees."""

STAYS = {
    # What a record was left with is written before a dialog opens.
    *((action, "dialog", "written") for action in ("record", "record by key", "new record")),
    *(("row staged", "dialog", part) for part in ("seen", "written")),
    *(("record removed", "dialog", part) for part in ("seen", "record", "written")),
    # The gesture that ends the wait has moved the focus on.
    *(("enabled of the focused", waits, part) for part in ("seen", "inside", "front") for waits in ("prompt", "dialog")),
}
"""Parts that stay: written data, and what another gesture has settled since."""


@pytest.mark.parametrize("recording", [True, False], ids=["traced", "untraced"])
@pytest.mark.parametrize("waits", ["", "prompt", "dialog"])
@pytest.mark.parametrize("action", ACTIONS)
def test_an_action_that_fails_leaves_no_trace(action: str, waits: str, recording: bool) -> None:
    store = MemoryRecords(
        {"boats": BOATS, "extras": EXTRAS, "berths": BERTHS, "log": []},
        keys={"boats": "number", "extras": "id", "berths": "name"},
    )
    log = MemoryLatches()
    log.set(LatchRecord("All.daily", "", "", "yesterday", "2031-05-03T09:00:00"), None)
    kind = type("All", (All,), {"action": staticmethod(ACTIONS[action]), "waits": waits, "__doc__": "As above."})
    clock = lambda: datetime(2031, 5, 4, 9, 30)  # noqa: E731
    with Session(kind, records=store, latches=log, clock=clock, recording=recording) as session:
        session.forms[0].show(Side, place="beside")
        assert not session.control("All.boat").form.daily.is_set()  # it has expired
        session.feed(Gesture(verb="type", form="All", control="boat", text="Eider 2"))
        session.feed(Gesture(verb="hover", control="boat"))
        session.feed(Gesture(verb="type", control="size", text="nine"))
        before = everything(session, log, store)
        with pytest.raises(HandlerFailed) as failed:
            session.feed(Gesture(verb="press", control="go"))
            while session.waits_for:
                session.feed(BY_WAIT[session.view.prompt.title if session.view.prompt else session.front.title])
        assert isinstance(failed.value.error, ValueError) and str(failed.value.error) == "after the action"
        after = everything(session, log, store)
        for part in before:
            assert after[part] == before[part] or (action, waits, part) in STAYS, part


@pytest.mark.parametrize("button", ["save", "done"])
def test_a_submit_that_fails_leaves_no_trace(button: str) -> None:
    store = MemoryRecords(
        {"boats": BOATS, "extras": EXTRAS, "berths": BERTHS, "log": []},
        keys={"boats": "number", "extras": "id", "berths": "name"},
    )
    log = MemoryLatches()
    with Session(All, records=store, latches=log, clock=lambda: datetime(2031, 5, 4, 9, 30)) as session:
        session.feed(Gesture(verb="type", control="size", text="30"))
        before = everything(session, log, store)
        session.feed(Gesture(verb="press", control=button))
        with pytest.raises(HandlerFailed):
            session.feed(Gesture(verb="answer", text="Go on"))
        assert everything(session, log, store) == before
        assert session._state.last_entered == {}
