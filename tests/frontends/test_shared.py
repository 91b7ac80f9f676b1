"""Shared by all front ends: patches, keys, messages, what was fed, and the stage."""

from __future__ import annotations

import json
import logging
from collections.abc import Callable
from datetime import datetime
from typing import Any

import pytest

from fuselatch import Form, Row, Text
from fuselatch.core.model.view import View
from fuselatch.frontends import Gesture, Session
from fuselatch.frontends.fed import FedGestures
from fuselatch.frontends.keys import key_gesture
from fuselatch.frontends.messages import message_of
from fuselatch.frontends.patches import patch, whole, without_echo
from fuselatch.frontends.stage import Stage, clock_of
from fuselatch.rehearsal import Desk, read_cues, run_cues
from fuselatch.scenes import NOW, Scene
from tests.bench import LOG, Bench, Dialog, bench, doing, fail
from tests.core.drawn import opened
from tests.core.test_generated import fed
from tests.rehearsal.test_cues import little  # noqa: F401


def applied(mirror: dict[str, Any], told: dict[str, Any]) -> None:
    """Apply a patch as a front end elsewhere does."""
    mirror["view"].update(told["view"])
    forms = {form["id"]: form for form in mirror["view"]["forms"]}
    for name, change in told.get("forms", {}).items():
        form = forms.setdefault(name, change.get("whole"))
        form.update(change.get("fields", {}))
        controls = {control["id"]: control for control in form["controls"]}
        for control, differs in change.get("controls", {}).items():
            controls.setdefault(control, differs.get("whole")).update(differs.get("fields", {}))
        form["controls"] = [controls[each] for each in change.get("order", [each["id"] for each in form["controls"]])]
    mirror["view"]["forms"] = [forms[name] for name in told.get("order", [form["id"] for form in mirror["view"]["forms"]])]
    mirror["layouts"].update(told.get("layouts", {}))


class Renamed(Form):
    """A form whose captions follow an entry."""

    where = Text("Where")
    boat = Text(lambda form: f"Boat at {form.where.value}")
    both = Row("Both", where, boat)


def test_a_caption_that_differs_is_told_with_the_layout_that_repeats_it() -> None:
    session = Session(Renamed)
    seen = json.loads(json.dumps(whole(session.view)))
    for gesture in (Gesture(verb="type", control="where", text="N1"), Gesture(verb="focus", control="boat")):
        before = session.view
        session.feed(gesture)
        told = patch(before, session.view)
        assert ("layouts" in told) == (gesture.verb == "focus")
        applied(seen, json.loads(json.dumps(told)))
    assert seen == json.loads(json.dumps(whole(session.view))) and "Boat at N1" in json.dumps(seen)


@pytest.mark.parametrize("part", range(3))
def test_a_front_end_that_follows_patches_has_the_view(part: int) -> None:
    for world in opened(range(100 * part, 100 * part + 30)):
        session = world.session
        seen = json.loads(json.dumps(whole(session.view)))
        while not session.is_done:
            before: View = session.view
            gesture = world.gesture() if world.draw.random() < 0.9 else world.way_out()
            fed(session, gesture)
            after = session.view
            told = patch(before, after)
            if gesture.verb == "type" and before.forms:
                # Who typed it isn't told, and shows it already.
                for one in [one for one in seen["view"]["forms"][-1]["controls"] if one["name"] == gesture.control]:
                    one["text"] = gesture.text
                    told = dict(without_echo(told, after, one["id"], gesture.text))
            applied(seen, json.loads(json.dumps(told)))
            wanted = json.loads(json.dumps(whole(after)))
            assert seen["view"] == wanted["view"]
            assert {name: seen["layouts"][name] for name in wanted["layouts"]} == wanted["layouts"]


@pytest.mark.parametrize(
    ("key", "held", "verb", "text"),
    [
        ("Tab", "", "tab", ""), ("Tab", "shift", "back_tab", ""), ("Enter", "ctrl", "key", "Ctrl+Enter"), ("ArrowUp", "ctrl", "key", "Ctrl+Up"),
        (" ", "", "key", "Space"), ("r", "ctrl alt", "key", "Ctrl+Alt+R"), ("R", "shift", "key", "R"), ("F5", "shift", "key", "Shift+F5"),
    ],
)  # fmt: skip
def test_keys_are_gestures(key: str, held: str, verb: str, text: str) -> None:
    found = key_gesture(key, **dict.fromkeys(held.split(), True))
    assert (found.verb, found.text) == (verb, text)
    with pytest.raises(ValueError, match="isn't a key"):
        key_gesture("MediaPlay")


FED: list[tuple[str, str, str]] = [
    *(("type", "name", "Sal"[:end]) for end in (1, 2, 3)), ("type", "name", "Saltwort"), ("type", "name", "Saltwor"), ("type", "name", ""),
    ("type", "name", "T"), ("focus", "pier", ""), ("pick", "pier", "North"), ("type", "price", "1"), ("type", "name", "Te"),
    ("press", "save", ""),
]  # fmt: skip


def test_what_was_fed_is_a_cue_sheet_that_does_the_same(little: Any) -> None:  # noqa: F811
    from little_forms import morning  # type: ignore[import-not-found]

    with Desk(morning()) as desk:
        session = desk.session
        fed = FedGestures(session)
        for verb, control, text in FED:
            session.feed(Gesture(verb=verb, control=control, text=text))
        text = fed.as_cues(desk.scene, "scene   little_forms:morning")
    assert text.splitlines()[-10:] == [
        "type    name Sal", "paste   name Saltwort", "paste   name Saltwor", "clear   name", "type    name T", "focus   pier",
        "pick    pier North", "type    price 1", "paste   name Te", "press   save",
    ]  # fmt: skip
    again = run_cues(read_cues(text, "x.cues"))
    assert again.problems == [] and again.outcome is not None and desk.outcome is not None
    assert again.outcome.values == desk.outcome.values


def at(stage: Stage, tell: Callable[[Any], None], *messages: dict[str, Any], others: Any = None) -> None:
    """Put what a front end does into a stage's queue. `others` only looks on."""
    stage.join(tell)
    if others is not None:
        stage.join(others)
    for number, message in enumerate(messages, 1):
        stage.send(message_of({"number": number, "serial": 99, **message}), tell)


def test_a_stage_tells_what_came_of_each_message_and_returns_the_outcome(caplog: pytest.LogCaptureFixture) -> None:
    told: list[Any] = []
    others: list[Any] = []
    stage = Stage(Scene(doing(go=fail("on purpose"))))
    press = [{"verb": "press", "control": f"1.{name}"} for name in ("go", "ok")]
    ask = {"control": "1.pier", "start": 0, "stop": 9}
    at(
        stage,
        told.append,
        {"verb": "type", "control": "1.a", "text": "3"},
        {"verb": "pick", "control": "1.pier", "item": "=South"},
        ask,
        *press,
        others=others.append,
    )
    with caplog.at_level(logging.ERROR):
        outcome = stage.run()
    assert (outcome.accepted, outcome[Bench.a], outcome[Bench.pier], stage.over) == (True, 3, "South", True)
    assert "on purpose" in caplog.text and told[4]["refused"] == "HandlerFailed"
    assert told[4]["view"]["notice"] == "That didn't work, and nothing was changed"
    assert [item["text"] for item in told[3]["items"]] == ["North", "South"] and told[-1] == {"over": True, "late": False}
    assert [each.get("number") for each in told[1:-2]] == [1, 2, None, 4, 5] and {each.get("number") for each in others} == {
        None,
        0,
    }


def test_who_only_looks_on_changes_nothing_until_the_first_has_gone() -> None:
    first: list[Any] = []
    second: list[Any] = []
    stage = Stage(Scene(doing()))
    word = {"verb": "type", "control": "1.word", "text": "Teal"}
    stage.join(first.append)
    at(stage, second.append, word)
    stage.part(first.append)
    at(stage, second.append, {"verb": "press", "control": "1.ok"})
    outcome = stage.run()
    assert outcome.accepted and outcome[Bench.word] in (None, "")
    assert [each["looks_on"] for each in second if "looks_on" in each][:3] == [True, True, False]


def ask_at_the_end(form: Bench) -> None:
    """Ask before it closes, and note what comes of that."""
    try:
        form.confirm("Really?")
    except BaseException as error:
        LOG.append(type(error).__name__)
        raise


@pytest.mark.parametrize(("does", "left"), [({}, []), ({"closing": ask_at_the_end}, ["Abandoned"])])
def test_a_form_that_no_one_looks_at_closes_as_cancelled(does: dict[str, Any], left: list[str]) -> None:
    outcome = Stage(Scene(doing(**does)), patience=0.05).run()
    assert outcome.verdict == "cancelled" and LOG == left


def test_a_shown_scene_has_the_real_clock_or_begins_at_its_own() -> None:
    assert clock_of(Scene(Bench)) == datetime.now
    begins = NOW.replace(hour=7)
    assert 0 <= (clock_of(Scene(Bench, now=begins))() - begins).total_seconds() < 5


def test_a_gesture_that_was_made_before_a_dialog_could_be_seen_is_stale() -> None:
    with bench({"go": lambda form: form.open(Dialog)}) as (desk, _):
        session: Session = desk.session
        fed = FedGestures(session)
        saw = session.view.serial
        session.feed(Gesture(verb="press", control="go", view_serial=saw))
        with pytest.raises(RuntimeError, match="made before what is in front could be seen"):
            session.feed(Gesture(verb="press", control="ok", view_serial=saw))
        session.feed(Gesture(verb="press", control="ok", view_serial=session.view.serial))
        with pytest.raises(RuntimeError, match="made before"):  # it was meant for the dialog
            session.feed(Gesture(verb="press", control="ok", view_serial=session.view.serial - 1))
        session.feed(Gesture(verb="type", control="word", text="x", view_serial=session.view.serial))
        assert [str(each.gesture) for each in fed.fed] == ["press go", "press ok", "type word x"]
