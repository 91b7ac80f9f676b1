"""Slow calls against prompts, and a neighbour's key beside 50 calls that wait: `python benchmarks/bench_calls.py`"""

from __future__ import annotations

import time
from threading import Event
from typing import Any

from bench_sessions import Asking, presses
from common import HEADING, compare, ratio

from fuselatch import Button, Text
from fuselatch.frontends import Gesture, Session
from fuselatch.frontends.crew import Crew
from fuselatch.frontends.elsewhere import Threads
from fuselatch.frontends.messages import message_of
from fuselatch.frontends.stage import Stage
from fuselatch.scenes import Scene

WAITING = 50
KEYS = 300
BACK = Event()
"""Is set once the calls that wait may return."""
HELD: list[int] = []
"""One for each call that waits."""


def hold() -> int:
    """Stand for a service that doesn't answer yet."""
    HELD.append(1)
    BACK.wait()
    return 1


class Desk(Asking):
    """A button that asks the user, one that calls a service, and an entry."""

    word = Text("Word")
    call_it = Button("Call")

    @call_it.clicked
    def get(self) -> None:
        self.call_elsewhere(hold, text="Asking …", locks="nothing")


IDS = {each.name: each.id for each in Session(Desk).view.forms[0].controls}
"""The ids of the controls. In each session they are the same."""


class Desks:
    """Stages on one thread of a crew. A key at the first of them is answered by a patch."""

    def __init__(self, count: int) -> None:
        self.answered = Event()
        self.crew = Crew(1)
        executor = Threads(max(1, count - 1))
        self.stages = [Stage(Scene(Desk, slow_calls_on=executor), patience=3600) for _ in range(count)]
        for stage in self.stages:
            self.crew.take(stage)
        self.number = 0
        self.stages[0].join(self.told)
        self.stages[0].send(message_of({"number": 1, "verb": "focus", "control": IDS["word"]}), self.told)
        for stage in self.stages[1:]:
            stage.join(self.heard)
            stage.send(message_of({"number": 1, "verb": "press", "control": IDS["call_it"]}), self.heard)
        while len(HELD) < count - 1:
            time.sleep(0.01)
        time.sleep(1.5)

    def heard(self, message: Any) -> None:
        """Hear what another one is told."""

    def told(self, message: Any) -> None:
        self.number = max(self.number, message.get("number") or 0)
        self.answered.set()

    def key(self) -> None:
        """Type a text, and wait for the answer."""
        wanted = self.number + 1
        message = message_of({"number": wanted, "verb": "type", "control": IDS["word"], "text": f"{wanted}"})
        self.answered.clear()
        self.stages[0].send(message, self.told)
        while self.number < wanted:
            self.answered.wait(5)
            self.answered.clear()


def main() -> None:
    print(HEADING)
    finished = Gesture(verb="slow_call", control="get", text="finished")
    called = presses(Gesture(verb="press", control="call_it"), finished, form=Desk)
    asked = presses(Gesture(verb="press", control="ask_it"), Gesture(verb="answer", text="Yes"), form=Desk)
    compare("a slow call that finishes, against a prompt", called, asked, 3)
    alone, beside = Desks(1), Desks(WAITING + 1)
    took: dict[str, list[float]] = {"alone": [], "beside": []}
    for _ in range(KEYS):
        for name, desks in (("alone", alone), ("beside", beside)):
            start = time.perf_counter()
            desks.key()
            took[name].append((time.perf_counter() - start) * 1e6)
    middle = {name: sorted(each)[len(each) // 2] for name, each in took.items()}
    ratio(f"a key beside {WAITING} calls that wait, against one alone", middle["beside"], middle["alone"], 1.1)
    BACK.set()


if __name__ == "__main__":
    main()
