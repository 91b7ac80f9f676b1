"""Eight ways to pass values between forms, however the second form ends."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from fuselatch import (
    Button,
    CustomEvent,
    Event,
    Form,
    HandlerFailed,
    Label,
    NotAllowedHere,
    Opener,
    Param,
    Shared,
    Text,
    from_open,
)
from fuselatch.rehearsal import Desk, rehearse
from tests.bench import Bench, Dialog, bench, refused
from tests.helpers import act, told

WORD = Shared(str, "", name="word")


class Second(Form, title="Second"):
    """The form that values come from and go to."""

    passed: str = Param(default="")
    opener: First = Opener()
    sent = CustomEvent(str)

    word = Text("Word", default=lambda form: form.passed)
    live = Label("Live", value=lambda form: form.opener.mine.value)
    send = Button("Send")
    ok = Button("OK", closes="accepted")
    back = Button("Back", closes="cancelled")
    fail = Button("Fail")

    @send.clicked
    def send_word(self) -> None:
        self.sent.send(self.word.value)
        self.session[WORD] = self.word.value

    @fail.clicked
    def go_wrong(self) -> None:
        self.word.value = "half done"
        raise OSError("no ink")


class First(Form, title="First"):
    """Open the second form in one of the ways."""

    way: str = Param()
    fails: bool = Param(default=False)

    mine = Text("Mine", default="mine")
    got = Text("Got")
    go = Button("Go")

    @go.clicked
    def start(self) -> None:
        GO[self.way](self)
        if self.fails and self.way not in SHOWN:
            raise OSError("after it")

    @Second.sent
    def hear(self, event: Event) -> None:
        if self.way == "signal":
            self.got.value = event.payload

    @Second.closed
    def look(self, event: Event) -> None:
        if self.way in SHOWN:
            form: Any = event.form
            self.got.value = form.word.value
            if self.fails:
                raise OSError("after it")


def take(form: First, **options: Any) -> None:
    """Open it and use its outcome."""
    outcome = form.open(Second, **options)
    if outcome.accepted:
        form.got.value = outcome.values["live" if form.way == "opener" else "word"]


def read_shared(form: First) -> None:
    """Read the session's value once the form has closed."""
    form.open(Second)
    form.got.value = form.session[WORD] or ""


GO: dict[str, Callable[[First], Any]] = {
    "param": lambda form: take(form, passed=form.mine.value),
    "outcome": take,
    "signal": lambda form: form.open(Second),
    "opener": take,
    "find": lambda form: form.show(Second),
    "shared": read_shared,
    "hiding": lambda form: take(form, hiding=True),
    "beside": lambda form: form.show(Second, place="beside"),
}
SHOWN = ("find", "beside")
ENDS = ("accepted", "cancelled", "closed", "fails in it", "fails after it")
ALWAYS = ("signal", "shared", *SHOWN)
"""Ways by which a value arrives however the second form ends."""


def end(desk: Desk, how: str) -> None:
    """End the second form."""
    if how == "fails in it":
        with pytest.raises(HandlerFailed, match="no ink"):
            desk.press("Second.fail")
        assert desk.at(Second).word.value == ("mine" if desk.session.first.way == "param" else "typed")  # type: ignore[attr-defined]
        desk.close()
    elif how == "closed":
        desk.close()
    else:
        desk.press("Second.back" if how == "cancelled" else "Second.ok")


@pytest.mark.parametrize("how", ENDS)
@pytest.mark.parametrize("way", GO)
def test_each_way_however_the_second_form_ends(way: str, how: str) -> None:
    with rehearse(First, way=way, fails=how == "fails after it") as desk:
        first = desk.at(First)
        desk.press("go")
        assert desk.at(Second).live.value == "mine"
        seen = [(form.name, form.covered, form.modal, form.place) for form in desk.session.view.forms]
        behind = [] if way == "hiding" else [("First", way not in SHOWN, False, "over")]
        assert seen == [*behind, ("Second", False, way not in SHOWN, "beside" if way == "beside" else "over")]
        if way not in SHOWN:
            refused(desk, "type First.mine x", "Second is open in front")
        if way != "param":
            act(desk, "type word typed", "press send")
        if how == "fails after it":
            with pytest.raises(HandlerFailed, match="after it"):
                end(desk, "accepted")
        else:
            end(desk, how)
        arrives = how == "accepted" or way == "signal" or (way in ALWAYS and how != "fails after it")
        word = "mine" if way in ("param", "opener") else "typed"
        assert first.got.value == (word if arrives else "")
        assert desk.session.waits_for == () and not desk.session.view.forms[0].covered
        desk.type("First.mine", "still usable")
        assert first.mine.draft == "still usable"
        if way in SHOWN and how == "fails after it":
            # A failed submit is undone with its form; cancelling closes it all the same.
            desk.focus("Second.word")
            with pytest.raises(HandlerFailed):
                desk.close()
        assert desk.session.forms == (first,)


# ---- custom events


class Sender(Form):
    """Has custom events of two types."""

    words = CustomEvent(str)
    depths = CustomEvent(float)
    heard = Text("Heard")
    send = Button("Send")
    ok = Button("OK", closes="accepted")

    @send.clicked
    def send_both(self) -> None:
        self.depths.send(3)
        self.words.send("eins")
        self.heard.value += "sent;"

    @words
    def hear_own(self, event: Event) -> None:
        assert (event.name, event.payload, event.by, event.control) == ("words", "eins", "program", None)
        self.heard.value += f"{event.payload};"


class Listener(Form):
    """Attach a handler by a call."""

    got = Text("Got")
    show_it = Button("Show")
    leave = Button("Leave", closes="cancelled")

    @show_it.clicked
    def listen(self) -> None:
        sender = self.show(Sender)
        sender.depths.listen(self.note)
        sender.words.listen(lambda: HEARD.append("words"))

    def note(self, event: Event) -> None:
        self.got.value += f"{event.payload!r};"


HEARD: list[str] = []


def test_a_signal_is_heard_by_its_own_form_and_by_hand_after_the_handler_that_sent_it() -> None:
    with rehearse(Listener) as desk:
        listener = desk.at(Listener)
        act(desk, "press show_it", "press send")
        assert desk.at(Sender).heard.value == "sent;eins;"
        assert (listener.got.value, HEARD) == ("3.0;", ["words"])
        assert "Sender.depths '3'" in told(desk.trace, "event")
        assert "Sender.words was last raised in entry" in desk.why("words")
        act(desk, "press Listener.leave", "press send")
        assert listener.got.value == "3.0;"  # a method of a closed form hears no more
        desk.press("ok")


def test_what_a_signal_refuses() -> None:
    with pytest.raises(AttributeError, match="Sender has no 'wrods'; did you mean 'words'"):
        Sender.wrods  # type: ignore[attr-defined]  # noqa: B018
    with rehearse(Sender) as desk:
        form = desk.at(Sender)
        with pytest.raises(TypeError, match=r"Sender\.words: expected str, not int 5"):
            form.words.send(5)  # type: ignore[arg-type]
        with pytest.raises(TypeError, match="takes the event or no argument, not 2 arguments"):
            form.words.listen(lambda one, two: None)
        with pytest.raises(AttributeError, match=r"Sender.words is a custom event; use self.words.send"):
            form.words = "x"  # type: ignore[assignment]
        form.words.send("eins")
        assert told(desk.trace, "gesture")[-1] == "send Sender.words (by program)"


# ---- other open forms, hiding, values asked for


class Guest(Form):
    """Take a value of another open form."""

    host = Text("Host", default=from_open(Dialog, "word"))


def test_from_open_takes_settled_values_of_the_front_one_and_notes_a_pending_draft() -> None:
    def show_both(form: Bench) -> None:
        form.show(Dialog).word.value = "Imke"
        form.show(Dialog).word.value = "Oda"

    with bench({"go": show_both, "on": lambda form: form.show(Guest)}) as (desk, form):
        desk.tick("on")
        assert desk.at(Guest).host.value == ""
        act(desk, "close", "press go", "type word Pelle", "untick Bench.on")
        assert desk.at(Guest).host.value == "Oda"
        desk.close()
        form.hide()
        assert [form.name for form in desk.session.view.forms] == ["Dialog", "Dialog#2"]
        act(desk, "close", "close")
        refused(desk, "press go", "all open forms are hidden")
        with pytest.raises(NotAllowedHere, match="all open forms are hidden"):
            desk.session.front  # noqa: B018
        form.unhide()
        act(desk, "tick on", "close")
        assert told(desk.trace, "stale") == ["reads word while 'Pelle' is still a draft"]
