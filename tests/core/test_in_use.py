"""Forms in daily use: search boxes, messages, forms that follow one another, units that are typed along."""

from __future__ import annotations

import json
import re
from datetime import time
from typing import Any

import pytest
from small.bill import Bill, bill

from fuselatch import Button, DeclarationError, Form, HandlerFailed, Label, Number, Text, UnknownName, derive
from fuselatch.frontends import Gesture
from fuselatch.rehearsal import Unmet, rehearse
from fuselatch.report.anatomy import anatomy
from fuselatch.stores import MemoryRecords
from tests.bench import LOG, Bench, Dialog, bench, doing, note, undone
from tests.helpers import act


@pytest.mark.parametrize(
    ("options", "message"),
    [
        ({"value": 5}, "value: expected text (str), not int 5"), ({"read_only": "yes"}, "read_only must be True, False or a rule, not 'yes'"),
        ({"required": 1}, 'required must be True, False, "warn" or a rule, not 1'),
        ({"counts_as_change": "no"}, "counts_as_change must be True or False, not 'no'"),
        ({"counts_as_change": lambda form: True}, "counts_as_change must be a constant"),
    ],
)  # fmt: skip
def test_an_option_of_a_wrong_kind_is_told_where_it_is_declared(options: dict[str, Any], message: str) -> None:
    with pytest.raises(DeclarationError, match=re.escape(message)):
        Text("Pin", **options)


def test_a_constant_is_described_as_declared() -> None:
    with rehearse(bill) as desk:
        assert desk.why("terms.value") == "terms.value is 30 days\n  as declared"
    told_of = {control.path: (control.rules, control.follows) for control in anatomy(Bill).controls}
    assert told_of["terms"] == ((), ("value always '30 days'",)) and told_of["search"][0] == ("doesn't count as a change",)


def test_a_form_comes_to_the_front_from_any_handler() -> None:
    does = {
        "go": lambda form: form.show(Dialog), "Dialog go": lambda form: form.opener.to_front(), "front": note("front"),
        "on": lambda form: (form.hide(), form.to_front()), "word": lambda form: form.open(Dialog), "Dialog word": lambda form: form.opener.to_front(),
    }  # fmt: skip
    with bench(does) as (desk, form):
        act(desk, "press go", "press go")
        assert desk.session.front is form and LOG == ["front"]
        act(desk, "tick on")
        assert desk.session.front is form and not form._state.hidden
        act(desk, "type word x", "tab", "type word y")
        undone(desk, "tab", "Bench can't come to the front: Dialog is open in front of it")


def test_the_next_form_opens_when_the_first_is_done() -> None:
    def go_on(form: Bench) -> None:
        LOG.append(form.open(Dialog).verdict)
        form.show(Dialog)

    with bench({"closed": go_on}) as (desk, _):
        act(desk, "type a 1", "press ok")
        assert desk.at(Dialog).opener is None and desk.session.outcome is None
        act(desk, "press later")
        outcome = desk.session.view.outcome
        assert LOG == ["later"] and outcome is not None and outcome.verdict == "accepted"
        assert [each._state.name for each in desk.session.forms] == ["Dialog#2"]
        act(desk, "close")
    once = lambda form: form.show(Dialog) if len(form.session.forms) < 2 and form.a.value else None  # noqa: E731
    doing(**{"go": lambda form: form.open(Dialog), "Dialog closed": once})
    with rehearse(Bench) as desk:
        act(desk, "press go", "paste a 1", "tab", "close")
        assert desk.at(Dialog).opener is desk.session.first
        act(desk, "close", "close")
    with pytest.raises(HandlerFailed), rehearse(doing(closed=lambda form: setattr(form.a, "value", 1))) as desk:
        act(desk, "close")


@pytest.mark.parametrize(
    ("words", "error"),
    [
        ("open Bnch", "unknown form 'Bnch'; did you mean 'Bench'"), ("front Nonsense", "unknown form 'Nonsense'"),
        ("latch Latched.sen", "unknown latch"), ("written bils", "unknown record source 'bils'"), ("word.value", "got 0 words"),
        ("pier.choices_include South", "choices: North, South"), ("pier.choices_include East", ""), ("open Dialog#2", ""), ("open Dialog", ""), ("row hours at=09:25", "1 row matches"), ("row hours at=09:26", ""),
    ],
)  # fmt: skip
def test_what_does_not_exist_fails_also_when_it_is_not_expected(words: str, error: str) -> None:
    with pytest.raises(DeclarationError):
        type("Broken", (Form,), {"open": Number("Open")})
    kept = Form.__subclasses__()
    with bench(records=MemoryRecords({"hours": [{"id": 1, "at": time(9, 25)}]})) as (desk, _):
        assert any(each.__name__ == "Broken" for each in kept)
        if not error:
            desk.expect("not", *words.split())
            return
        with pytest.raises((UnknownName, Unmet), match=error):
            desk.expect("not", *words.split())


class Locker(Form):
    """A password that prompts, findings and expectations don't tell."""

    pin = Text("Pin", look="password", pattern="^[0-9]+$")
    twice = Text("Twice", value=lambda form: form.pin.value * 2)
    card = Label("Card", value=derive(lambda twice: f"card {twice}", twice))
    length = Number("Length", value=lambda form: len(form.pin.value), masked=False)
    ask_it = Button("Ask")
    go = Button("Go", closes="gone")

    @ask_it.clicked
    def put(self) -> None:
        self.inform("Is {pin} right?")


def test_prompts_findings_and_expectations_mask_a_password() -> None:
    with rehearse(Locker) as desk:
        act(desk, "type pin lowtide", "press ask_it")
        assert desk.prompt.text == "Is ••••••• right?"
        act(desk, "answer OK")
        assert "lowtide" not in desk.at(Locker).pin.marker.text
        for prop in ("value", "text"):
            with pytest.raises(Unmet, match="but it is masked"):
                desk.expect(f"pin.{prop}", "hightide")
        assert "lowtide" not in desk.trace.to_jsonl()


def test_what_is_derived_from_a_password_is_masked_too() -> None:
    with rehearse(Locker) as desk:
        act(desk, "type pin 4711", "focus ask_it", "expect pin.value 4711")
        desk.session.feed(Gesture(verb="type", control="pin", text="4711"))
        texts = [control.text for control in desk.session.view.forms[0].controls[:4]]
        assert texts == ["••••", "•" * 8, "•" * 13, "4"]
        told = [desk.why("card.value"), desk.why("twice.value"), json.dumps(desk.session.view.to_dict())]
        act(desk, "press go")
        assert (
            desk.outcome is not None
            and desk.outcome[Locker.twice] == "47114711" == desk.outcome.to_dict()["values"]["twice"]
        )
        told += [repr(desk.outcome), desk.trace.to_jsonl(), desk.as_cues(), str(desk.outcome.shown)]
        assert [text for text in told if "4711" in text] == []
        assert "type    pin ••••  # masked: put a made-up entry here" in desk.as_cues()
    with pytest.raises(DeclarationError, match="masked is for a value that a rule computes"):
        Text("Pin", masked=True)
