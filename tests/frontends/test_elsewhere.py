"""Slow calls of a stage: on real threads, each end, progress, and what can't be handed over."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from queue import Queue
from threading import Event, Lock
from typing import Any

import pytest

from fuselatch import Button, Form
from fuselatch.core.model.gestures import Gesture
from fuselatch.frontends import Session
from fuselatch.frontends.elsewhere import LARGEST, Elsewhere, Threads

GO = Event()


def counts(report: Callable[..., None]) -> str:
    """Tell how far it is, once it may, and return."""
    assert GO.wait(60)
    report(1, 2, "half")
    report(2, 2)
    return "counted"


def reports_badly(report: Callable[..., None]) -> None:
    """Tell a word instead of a number."""
    report("much")


def waits() -> str:
    """Return once it may."""
    assert GO.wait(60)
    return "late"


class Asks(Form):
    """Calls what it is told to."""

    go = Button("Go")
    request: Any = waits
    options: Any = {}  # noqa: RUF012
    came: Any = None

    @go.clicked
    def call(self) -> None:
        try:
            self.came = self.call_elsewhere(self.request, **self.options)
        except Exception as error:
            self.came = f"{type(error).__name__}: {error}"


def asked(request: Any, executor: Any = None, **options: Any) -> tuple[Session, Elsewhere, Queue[Gesture]]:
    """Return a session whose handler waits for a call that has begun, and where its ends come."""
    GO.clear()
    came: Queue[Gesture] = Queue()
    session, elsewhere = Session(Asks), Elsewhere(executor or Threads(1), came.put)
    form: Any = session.front
    form.request, form.options = request, options
    session.feed(Gesture(verb="press", control="go"))
    elsewhere.follow(session)
    return session, elsewhere, came


ENDS = [
    (lambda: "x" * LARGEST, {}, "ValueError: .* at most 1,000,000 are handed over"),
    (Lock, {}, "TypeError: .*can't be handed over"),
    (lambda: 1 / 0, {}, "ZeroDivisionError"),
    (lambda: exit(3), {}, "RuntimeError: .* ended with SystemExit"),
    (reports_badly, {"progress": True}, "ValueError: could not convert"),
    (lambda: 7, {}, "7"),
]


@pytest.mark.parametrize(("request_", "options", "said"), ENDS, ids=[said[:12] for _, _, said in ENDS])
def test_each_end_comes_back_to_the_handler(request_: Any, options: Any, said: str) -> None:
    session, elsewhere, came = asked(request_, **options)
    session.feed(came.get(timeout=60))
    elsewhere.follow(session)
    form: Any = session.front
    with pytest.raises(AssertionError, match=said):
        raise AssertionError(form.came)


def test_progress_is_seen_until_the_result_comes() -> None:
    session, _, came = asked(counts, progress=True, text="Counting")
    assert [call.done for call in session.view.slow_calls] == [0.0]
    GO.set()
    session.feed(came.get(timeout=60))
    seen = session.view.slow_calls[0]
    assert (seen.done, seen.of, seen.reported, seen.text) == (1.0, 2.0, "half", "Counting")
    while session.slow_calls:
        session.feed(came.get(timeout=60))
    form: Any = session.front
    assert form.came == "counted" and session.view.slow_calls == ()
    _, _, came = asked(counts, ProcessPoolExecutor(1), progress=True)
    assert "on threads only" in str(came.get(timeout=60).result)


def test_a_late_call_is_left_and_its_result_comes_to_nothing() -> None:
    session, elsewhere, came = asked(waits, timeout=0.01)
    form: Any = session.front
    while (end := elsewhere.late()) is None:
        pass
    session.feed(end)
    elsewhere.follow(session)
    assert form.came.startswith("TimedOut") and elsewhere.next_end > 60 and elsewhere.late() is None
    GO.set()
    session.feed(came.get(timeout=60))
    assert "nothing waits for it any more" in str(session.trace[-1].new) and form.came.startswith("TimedOut")
