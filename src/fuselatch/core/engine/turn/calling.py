"""Slow calls: a handler waits for the world, and the form doesn't.

Theory of operation
-------------------
`call_elsewhere` parks its turn as a prompt does (`waits`), with a `CallWait` in `SessionState.calls`. The core starts
nothing: whoever runs the session sees the request in `session.slow_calls`, carries it out, and feeds the gesture
`slow_call` with its end, which is a turn of its own and then resumes the parked one.

A call covers nothing, so the user can do other things; what it locks refuses gestures in words (`refusals`). Calls end in
any order: finished, failed, timed out, cancelled by the user, or abandoned when their form closes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, Final

from greenlet import getcurrent

from fuselatch.core.engine.rules.validation import follow_before_wait
from fuselatch.core.engine.state.failure import tell
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.state.waiting import CallWait, name_of_function
from fuselatch.core.engine.turn.waits import may_wait, must_not_have_failed, stand_by
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.model.errors import CallCancelled, NotAllowedHere, TimedOut, describe
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.record_changes import NewKey
from fuselatch.core.model.slow_calls import ENDS, REPORTED, CallEnd, SlowCall
from fuselatch.core.model.trace import safe_text
from fuselatch.core.model.values import short

DEEPEST: Final = 6
"""How deep an argument is looked at."""


def call_elsewhere(
    session: SessionState,
    form: OpenForm,
    request: Callable[..., Any],
    args: tuple[object, ...],
    locks: object,
    **options: Any,
) -> Any:
    """Wait for a function that runs elsewhere; return its result, or raise what it raised."""
    turn = may_call(session, form, request)
    must_fit(request, args, options["timeout"])
    locked = controls_to_lock(form, locks)
    in_effect = is_in_effect(turn)
    if not in_effect:
        follow_before_wait(turn)
    session.called += 1
    handler = turn.handler.name if turn.handler is not None and not in_effect else name_of_function(request)
    name = numbered(session, handler.rpartition(".")[2])
    call = SlowCall(f"c{session.called}", name, handler, request, args, **options)
    wait = CallWait(turn, form, call, locked, in_effect)
    wait.number = turn.note_form("slow_call", form, name, call.text or None, f"{wait}")
    if session.observers:
        tell(session, "called", form, call)
    session.calls.append(wait)
    port = session.port
    tracker, port.tracker = port.tracker, None
    stand_by(turn)
    port.tracker = tracker
    end: CallEnd = wait.result
    if end.how == "finished":
        return end.result
    if end.how == "timed_out":
        raise TimedOut(f"{wait} took longer than {call.timeout:g} s" if call.timeout else f"{wait} took too long")
    if end.how == "cancelled":
        raise CallCancelled(f"{wait} was cancelled")
    raise end.result


def may_call(session: SessionState, form: OpenForm, request: object) -> Turn:
    """Return the running turn; raise if it can't wait for a slow call here."""
    named, turn = name_of_function(request), session.turn
    if turn is not None and is_in_effect(turn) and turn.worker is getcurrent() and not session.closing:
        return turn
    turn = may_wait(session, "call_elsewhere", named, "a slow call")
    if form._state.phase in ("closing", "closed"):
        instead = "call it in 'accepting', or in self.afterwards(…)"
        raise NotAllowedHere(f"{type(form).__name__} is closing, and can't wait for a slow call ('{named}'); {instead}")
    must_not_have_failed(turn)
    return turn


def is_in_effect(turn: Turn) -> bool:
    """Return True while an outward effect itself runs, and no rule that it reads."""
    return turn.effect is not None and turn.effect is turn.session.port.tracker


def must_fit(request: object, args: Iterable[object], timeout: object) -> None:
    """Refuse what can't be called, or what can't be handed to another thread or process."""
    if not callable(request):
        raise TypeError(f"call_elsewhere(…): expected a function, not {short(request)}")
    if timeout is not None and not (isinstance(timeout, int | float) and timeout > 0):
        raise ValueError(f"call_elsewhere(…, timeout={timeout!r}): expected seconds, more than 0, or None")
    owner = getattr(request, "__self__", None)
    for at, given in enumerate((owner, *args)):
        alive = first_alive(given, DEEPEST)
        if alive is not None:
            what = f"argument {at}" if at else "the object of the method"
            problem = f"{what} is {short(alive)}, which only its own session can use; hand over its value"
            raise TypeError(f"call_elsewhere({name_of_function(request)}, …): {problem}")


def first_alive(given: object, depth: int) -> object:
    """Return a live form, control or record within a value, or None."""
    if isinstance(given, Container | ControlState | NewKey):
        return given
    if depth and isinstance(given, dict):
        given = [*given, *given.values()]
    if depth and isinstance(given, list | tuple | set | frozenset):
        return next((found for each in given if (found := first_alive(each, depth - 1)) is not None), None)
    return None


def controls_to_lock(form: OpenForm, locks: object) -> tuple[ControlState, ...] | None:
    """Return the controls that a call locks; None for all of its form."""
    if locks == "form":
        return None
    given = () if locks == "nothing" else locks if isinstance(locks, tuple | list) else (locks,)
    for each in given:
        if not isinstance(each, ControlState) or each.form is not form:
            expected = f"'form', 'nothing', or controls of {type(form).__name__}"
            raise TypeError(f"call_elsewhere(…, locks=…): expected {expected}, not {short(each)}")
    return tuple(given)


def numbered(session: SessionState, name: str) -> str:
    """Return a name that no call has that waits: "get_rate#2"."""
    names = {wait.call.name for wait in session.calls}
    number = 1
    while (f"{name}#{number}" if number > 1 else name) in names:
        number += 1
    return f"{name}#{number}" if number > 1 else name


def late_or_report(session: SessionState, gesture: Gesture) -> CallWait | None:
    """Return the wait that the gesture `slow_call` ends. One that comes too late is traced; progress is noted at once."""
    if gesture.text != REPORTED and gesture.text not in ENDS:
        raise ValueError(f"slow_call …: expected {', '.join(ENDS)} or {REPORTED}, not '{gesture.text}'")
    wait = session.call_named(gesture.control) if gesture.control else None
    if wait is None:
        if session.recording and gesture.text != REPORTED:
            session.trace.add(0, "skip", "", "", f"slow call {gesture.control}", None, "nothing waits for it any more")
        return None
    if gesture.text != REPORTED:
        return wait
    told: Any = gesture.result
    wait.reported = (float(told[0]), float(told[1]), str(told[2]))  # not undone: it is what has been done elsewhere
    return None


def end_of(gesture: Gesture) -> CallEnd:
    """Return the end that the gesture `slow_call` tells."""
    how: Any = gesture.text
    if how == "failed" and not isinstance(gesture.result, BaseException):
        return CallEnd(how, RuntimeError(str(gesture.result)))
    return CallEnd(how, gesture.result)


def end(turn: Turn, wait: CallWait, ended: CallEnd) -> None:
    """End a wait for a slow call. The runner then resumes its handler."""
    why = safe_text(describe(ended.result)) if ended.how == "failed" else None
    turn.note_form("call_end", wait.form, wait.call.name, why, ended.how)
    if turn.session.observers:
        tell(turn.session, "call_ended", wait.form, wait.call, ended.how)
    wait.end(turn, ended)


def cancel_call(turn: Turn, gesture: Gesture, control: ControlState | None) -> None:
    """Cancel a slow call for the user."""
    wait = turn.session.call_named(gesture.text)
    if wait is not None:
        end(turn, wait, CallEnd("cancelled"))
