"""After every gesture, whatever fails, a session is sound: at sessions drawn at random.

`--gestures N` plays so many; `make test-long` plays a million.
"""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
from itertools import chain, count
from pathlib import Path
from random import Random
from typing import Any, Final

import pytest

from fuselatch import EffectFailed, FuseLatchError, HandlerFailed, Refused, UnknownName
from fuselatch.core.engine.rules.scheduler import UNTRACKED
from fuselatch.core.kinds.choice import LiveChoice
from fuselatch.core.model.cells import Cell
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.values import same
from fuselatch.core.model.words import phrase
from fuselatch.frontends import Gesture, Session
from tests.core.drawn import TIDE, TROUBLES, World
from tests.helpers import snapshot

ROOT: Final = Path(__file__).parents[2]
MOST_STEPS_OUT: Final = 60
REFUSED: Final = ("Refused", "UnknownName")


def play(seed: int, seen: list[Any], checked: bool = True) -> int:
    """Play a session; add to `seen` what happened. Returns the number of gestures. With `checked`, see that all holds."""
    try:
        world = World(seed)
    except (HandlerFailed, EffectFailed) as error:
        seen.append(str(error.error))
        return 1
    done, backs = 0, Random(seed)
    with world.session as session:
        calm, before = True, None
        for _ in range(world.draw.randint(5, 60)):
            if session.is_done:
                break
            done += 1
            calm = not world.happens() and calm
            gesture = world.gesture()
            last, held = session._state.last_change, None if session.waits_for else entered(session)
            raised = attempt(session, gesture, calm) if checked else fed(session, gesture)
            calm = calm or raised not in REFUSED
            if session._state.last_change is not last:
                before = held
            if seed not in FOUND and backs.random() < 0.2 and not session.is_done:
                seen.append(taken_back(session, before))
            if gesture.verb == "time" and not world.clock.stopped:
                assert session.wakes_at is None or session.wakes_at > world.clock.now
            seen.append((str(gesture), raised))
        while not session.is_done:
            done += 1
            assert done < 60 + MOST_STEPS_OUT, f"no way out of {session.forms}, which wait for {session.waits_for}"
            seen.append(fed(session, world.way_out()))
            if checked:
                holds(session)
        seen.append((session.outcome, session.trace.to_jsonl()))
        if checked:
            assert all(entry.cause < entry.number and phrase(entry) for entry in session.trace)
    assert not world.heard, f"closed forms heard {world.heard}"
    return done


def fed(session: Session, gesture: Gesture) -> str:
    """Make a gesture; return what it raised. Only the library's own errors may come."""
    try:
        session.feed(gesture)
    except FuseLatchError as error:
        assert isinstance(error, Refused | UnknownName | HandlerFailed | EffectFailed), error
        assert not isinstance(error, HandlerFailed) or isinstance(error.error, TROUBLES), error
        return type(error).__name__
    return ""


def attempt(session: Session, gesture: Gesture, calm: bool) -> str:
    """Make a gesture, and see that one that is refused or fails changes nothing, if nothing else happened."""
    before, open_before, waiting = everything(session), len(session.forms), session.waits_for
    raised = ""
    try:
        session.feed(gesture)
    except (Refused, UnknownName) as error:
        raised = type(error).__name__
        assert everything(session) == before
    except HandlerFailed as error:
        raised = str(error.error)
        assert isinstance(error.error, TROUBLES), error
        undone = calm and error.gesture == str(gesture) and not waiting and len(session.forms) >= open_before
        if undone and gesture.verb not in ("type", "key"):
            assert everything(session) == before
    except EffectFailed as error:
        raised = str(error.error)
    holds(session)
    return raised


def entered(session: Session) -> dict[Any, Any]:
    """Return what was entered into open forms: the value of each entry without a rule, and the lines of each list."""
    states = [form._state for form in session.forms]
    values = {each: each._value for state in states for each in state.order if each._plan.is_input and not each._rule}
    return {**values, **{lines: lines._rows for state in states for lines in state.lines}}


def taken_back(session: Session, before: dict[Any, Any] | None) -> str:
    """Take the last change back; see that all is entered again as it was before, and that it can't be done twice.

    `before`: what was entered before the gesture, if that didn't wait.
    """
    can, last = session.view.takes_back, session._state.last_change
    raised = fed(session, Gesture(verb="take_back"))
    assert can or raised, "the view said that there is nothing to take back"
    if not raised:
        now = entered(session)
        assert before is None or [now[each] for each in before if each in now] == [
            old for each, old in before.items() if each in now
        ], last
        assert session.view.notice.startswith("Undone: ") and not session.view.takes_back
        holds(session)
    return f"take_back {raised}"


def everything(session: Session) -> Any:
    """Return all that is seen of a session, with its shared values and latches."""
    return snapshot(session), session[TIDE], session.latches


def holds(session: Session) -> None:
    """See that a session between two gestures is sound."""
    view = session.view
    assert session.waits_for or not view.prompt
    focused = [control for form in view.forms for control in form.controls if control.focused]
    assert len(focused) <= 1
    state = session._state
    kept, state.now = state.now, session.read_at
    outer, state.port.tracker = state.port.tracker, UNTRACKED
    try:
        for form in session.forms:
            of_form = form._state
            nodes: list[Any] = [of_form, *of_form.order]
            for cell in (cell for node in nodes for cell in (*(node._cells or {}).values(), *getattr(node, "_checks", ()))):
                follows(session, cell)
            for control in of_form.order:
                if isinstance(control, LiveChoice) and (control._cells or {})["choices"].fresh:
                    # While a prompt holds its form up, the value that is submitted stays.
                    submitted = of_form.phase == "closing" and control.value is control._kept
                    assert submitted or control.value is None or control.value in control.choices
    finally:
        state.now, state.port.tracker = kept, outer


def follows(session: Session, cell: Cell) -> None:
    """See that a derived value is what its rule returns now. A rule that fails keeps its last value, or is stale."""
    if cell in session._state.failed:
        return
    try:
        wanted = cell.run()
    except Exception:
        assert not cell.fresh, f"{cell.name} is {cell.value!r}, and its rule fails"
        return
    shown: Any = cell.node._value if cell.prop == "value" else cell.value if cell.prop == "check" else cell.announced  # type: ignore[attr-defined]
    if isinstance(wanted, Choices):
        wanted, shown = list(wanted), list(shown)
    assert same(shown, wanted), f"{cell.name} is {shown!r} and should be {wanted!r}"


PARTS: Final = 10
FOUND: Final = (304, 5_000_050, 6_000_357)
"""Sessions that weren't sound once."""


@pytest.mark.parametrize("part", range(PARTS))
def test_what_holds_after_every_gesture(part: int, pytestconfig: pytest.Config) -> None:
    wanted, played = pytestconfig.getoption("gestures") / PARTS, 0
    seeds = chain((each for each in FOUND if each // 1_000_000 == part), count(part * 1_000_000))
    while played < wanted:
        seed = next(seeds)
        try:
            played += play(seed, [])
        except BaseException as error:
            error.add_note(f"seed {seed}")
            raise


def test_another_process_does_the_same_also_without_the_compiled_core() -> None:
    call = f"import tests.core.test_generated as g; print(*map(g.digest_of, range({SAME})))"
    paths = os.pathsep.join([str(ROOT / "src"), str(ROOT)])
    other = {**os.environ, "PYTHONPATH": paths, "PYTHONHASHSEED": "7"}
    told = subprocess.run(
        [sys.executable, "-c", call], env=other, cwd=ROOT, check=True, capture_output=True, text=True
    ).stdout
    assert told.split() == [*map(digest_of, range(SAME))]


SAME: Final = 60
"""How many sessions are compared."""


def digest_of(seed: int) -> str:
    """Return what happened in a session, as a digest."""
    seen: list[Any] = []
    play(seed, seen, checked=False)
    return hashlib.sha256(repr(seen).encode()).hexdigest()
