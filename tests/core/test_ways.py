"""Custom events, and values of other open forms; examples/ways has each way with a cue sheet."""

from __future__ import annotations

import pytest

from fuselatch import Button, CustomEvent, Event, Form, NotAllowedHere, Text, from_open
from fuselatch.rehearsal import rehearse
from tests.bench import Bench, Dialog, bench, refused
from tests.helpers import act, told

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


# ---- other open forms


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


def test_the_view_says_which_forms_are_covered_and_where_each_is() -> None:
    with bench({"go": lambda form: form.open(Dialog), "on": lambda form: form.show(Dialog, place="beside")}) as (desk, _):
        for step, first, second in (
            ("press go", (True, False, "over"), (False, True, "over")),
            ("tick on", (False, False, "over"), (False, False, "beside")),
        ):
            act(desk, step)
            assert [(form.covered, form.modal, form.place) for form in desk.session.view.forms] == [first, second]
            desk.close()
            assert not desk.session.view.forms[0].covered
