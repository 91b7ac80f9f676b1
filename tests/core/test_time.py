"""Time is an input like any other: rules follow the clock, and latches that expire or that another session sets."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

import pytest
from small.imports import Import

from fuselatch import Form, HandlerFailed, Label
from fuselatch.frontends import Gesture, Session
from fuselatch.frontends.stage import Stage
from fuselatch.rehearsal import rehearse
from fuselatch.scenes import Scene
from fuselatch.stores import MemoryLatches
from tests.helpers import act

RUNS: list[str] = []


def fragile(form: Any) -> str:
    """A rule that fails in the afternoon, and notes each run."""
    now = form.session.now(to="hour")
    RUNS.append(f"{now:%H}")
    return str(10 // (1 if now.hour < 12 else 0))


class Fragile(Form):
    """Has a rule that fails in the afternoon."""

    value = Label("Value", value=fragile)
    again = Label("Again", value=lambda form: f"{form.value.value} at {form.session.now(to='hour'):%H}")


def test_a_rule_that_fails_by_the_clock_keeps_its_value_and_is_not_run_again_until_it_differs() -> None:
    with rehearse(Fragile) as desk:
        RUNS.clear()
        with pytest.raises(HandlerFailed, match="its last value stays"):
            desk.wait("3h")
        view = desk.session.view
        assert (
            [control.text for control in view.forms[0].controls] == ["10", "10 at 12"]
            and view.failure
            and RUNS == ["10", "11", "12"]
        )
        assert desk.session.wakes_at == datetime(2031, 5, 4, 13)
        for _ in range(3):
            act(desk, "press")
        assert RUNS == ["10", "11", "12"]
        with pytest.raises(HandlerFailed):
            desk.wait("31m")
        assert RUNS == ["10", "11", "12", "13"]


@pytest.mark.parametrize(
    ("duration", "problem"),
    [("14 hours", "'14 hours' isn't a duration"), ("", "isn't a duration"), ("400000d", "'400000d' is too long"), ("9" * 5000 + "s", "is too long; a rehearsal ends before")],
)  # fmt: skip
def test_a_wrong_duration_is_told(duration: str, problem: str) -> None:
    with rehearse(Import) as desk, pytest.raises(ValueError, match=problem):
        desk.wait(duration)


def test_a_stage_feeds_the_time_and_writes_it_as_a_wait() -> None:
    now = [datetime(2031, 5, 4, 9, 59, 59)]
    stage = Stage(Scene(Import, now=now[0]), clock=lambda: now[0])
    heard: list[Any] = []

    def tell(data: Any) -> None:
        heard.append(data)
        if len(heard) == 1:
            now[0] += timedelta(seconds=2)
        elif "10:00:00" in str(data):
            stage.stop()

    stage.join(tell)
    ended: Callable[[], object] = stage.run
    ended()
    assert stage.fed is not None and "wait    2s" in stage.fed.as_cues(stage.scene, "form    tests:Import")


def test_between_gestures_the_time_is_the_one_told_last() -> None:
    now = [datetime(2031, 5, 4, 9, 29)]
    with Session(Import, clock=lambda: now[-1], latches=MemoryLatches()) as session:
        session.feed(Gesture(verb="press", control="run"))
        del now[:]
        with pytest.raises(HandlerFailed):
            session.feed(Gesture(verb="unhover"))
        now.append(datetime(2031, 5, 4, 12))
        form: Any = session.front
        assert form.hourly.is_set() and session.today() == now[0].date() and session.wakes_at == datetime(2031, 5, 4, 10)
        session.feed(Gesture(verb="time"))
        assert not form.hourly.is_set() and form.again.enabled
