"""The user always gets out of a form: nothing that fails or hides may keep it open."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import pytest

from fuselatch import Button, Form, FuseLatchError, HandlerFailed, Number, Text
from fuselatch.frontends import Gesture, Session
from tests.bench import LOG, Bench, Dialog, Does, bench, doing, note
from tests.helpers import act

NOON = datetime(2031, 5, 5, 12, 0)
WAYS = (("close", "", ""), ("key", "", "Escape"), ("press", "later", ""))


class Hand:
    """A clock that the test sets; it may fail."""

    def __init__(self) -> None:
        self.now: datetime | None = NOON

    def __call__(self) -> datetime:
        assert self.now is not None, "stopped"
        return self.now


def by_minute(form: Form) -> Any:
    """Fail at noon and a quarter."""
    session: Any = form.session
    return 1 // (session.now("minute").minute - 15)


class Quarter(Form, title=lambda form: f"A{by_minute(form)}"):
    total = Number("Total", value=by_minute)
    word = Text("Word", enabled=lambda form: by_minute(form) < 1)
    later = Button("Later", closes="later", enabled=lambda form: by_minute(form) < 1)
    ok = Button("OK", closes="accepted")


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("first", [False, True], ids=["at once", "after a look at the clock"])
def test_a_form_closes_though_its_rules_fail(way: tuple[str, str, str], first: bool) -> None:
    clock = Hand()
    with Session(Quarter, clock=clock) as session:
        clock.now = NOON + timedelta(minutes=15)
        verb, control, text = way
        for gesture in ([Gesture(verb="time")] if first else []) + [Gesture(verb=verb, control=control, text=text)]:
            try:
                session.feed(gesture)
            except HandlerFailed as error:
                assert "ZeroDivisionError" in str(error)
        assert session.is_done and session.outcome is not None and session.outcome.verdict in ("cancelled", "later")


@pytest.mark.parametrize("way", WAYS)
def test_a_form_closes_though_the_clock_fails(way: tuple[str, str, str]) -> None:
    clock = Hand()
    with Session(doing(closed=note("closed")), clock=clock) as session:
        clock.now = None
        with pytest.raises(HandlerFailed, match=r"AssertionError: stopped.*; in the clock; its last value stays"):
            session.feed(Gesture(verb="tick", control="on"))
        assert session.first.on.value  # type: ignore[attr-defined]
        with pytest.raises(FuseLatchError):
            session.feed(Gesture(verb=way[0], control=way[1], text=way[2]))
        assert session.is_done and LOG == ["closed"]


def hide(form: Form) -> None:
    """Hide."""
    form.hide()


def hide_and_ask(form: Form) -> None:
    """Hide while the user is asked."""
    form.hide()
    form.inform("Look at the chart")
    LOG.append(form._state.hidden)
    form.unhide()


def hide_both(form: Bench) -> None:
    """Hide the dialog, and the form that waits for it."""
    form.opener.hide()
    form.hide()


def opens(form: Form) -> None:
    """Open the dialog."""
    form.open(Dialog)


def fail_later(form: Form) -> None:
    """Wait for a dialog, which hides this form, and fail."""
    form.open(Dialog)
    raise OSError("no chart")


HIDDEN: dict[str, tuple[dict[str, Does], tuple[str, ...], tuple[str, ...]]] = {
    "the only form": ({"go": hide}, ("press go",), ("Bench",)),
    "as it opens": ({"opened": hide}, (), ("Bench",)),
    "a dialog": ({"go": opens, "Dialog go": hide}, ("press go", "press go"), ("Bench", "Dialog")),
    "a dialog as it opens": ({"go": opens, "Dialog opened": hide}, ("press go",), ("Bench", "Dialog")),
    "both": ({"go": opens, "Dialog go": hide_both}, ("press go", "press go"), ("Dialog",)),
    "beside it": (
        {"on": lambda form: form.show(Dialog), "Dialog go": hide}, ("tick on", "press go", "close"), ("Dialog",)
    ),
    "for a prompt": ({"go": hide_and_ask}, ("press go", "answer OK"), ("Bench",)),
    "by what closes": (
        {"go": opens, "Dialog closing": lambda form: form.opener.hide()}, ("press go", "close"), ("Bench",)
    ),
    "by a dialog, and it fails": (
        {"go": fail_later, "Dialog go": lambda form: form.opener.hide()}, ("press go", "press go", "close"), ("Bench",)
    ),
}  # fmt: skip
"""By what a form is hidden, in which gestures, and the forms that the user sees then."""


@pytest.mark.parametrize("case", HIDDEN)
def test_a_hidden_form_is_shown_again_if_the_user_has_no_other(case: str) -> None:
    does, steps, seen = HIDDEN[case]
    with bench(does) as (desk, _):
        for step in steps:
            try:
                act(desk, step)
            except HandlerFailed:
                assert case == "by a dialog, and it fails"
        assert tuple(form.name for form in desk.session.view.forms) == seen
        for _ in range(2):
            act(desk, *["close"] * (not desk.session.is_done))
        assert desk.session.is_done
        assert case != "for a prompt" or LOG == [True]
