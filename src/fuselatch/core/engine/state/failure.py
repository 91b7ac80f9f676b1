"""Errors for failing code of the developer: where it failed, and what caused it."""

from __future__ import annotations

import sys
from collections.abc import Callable
from datetime import datetime
from types import TracebackType
from typing import Any

from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.forms.plans import Handler
from fuselatch.core.model.errors import FuseBlown, HandlerFailed, Runaway
from fuselatch.core.model.events import Event


def place(error: BaseException, function: Callable[..., object]) -> tuple[str, int]:
    """Return the developer's file and line: the innermost frame in the function's file."""
    code: Any = getattr(getattr(function, "__wrapped__", function), "__code__", None)
    if code is None:
        return "?", 0
    start: tuple[str, int] = (code.co_filename, code.co_firstlineno)
    for frame in frames_of(error):
        if frame.tb_frame.f_code.co_filename == code.co_filename:
            start = (code.co_filename, frame.tb_lineno)
    return start


def chain(event: Event | None, first: str, gesture: str) -> tuple[str, ...]:
    """Return the causes, from the failed code back to the gesture."""
    links = [first]
    while event is not None:
        links.append(event.path)
        if event._handler is not None:
            links.append(event._handler.name)
        event = event._parent
    return (*links, gesture)


def failed(
    error: Exception, function: Callable[..., object], event: Event | None, first: str, gesture: str
) -> HandlerFailed:
    """Return the error for an exception in the developer's code. `first` is what failed."""
    failure = HandlerFailed(place(error, function), error, chain(event, first, gesture), gesture)
    # Set here because compiled code ignores `from`.
    failure.__cause__ = error
    return failure


def place_outside(error: BaseException) -> tuple[str, int, str] | None:
    """Return file, line and function of the developer's code that raised an error, or None if the library did.

    Such code is called by the library without a handler: a kind of control, a store, formats.
    """
    for frame in reversed(frames_of(error)):
        first = package_of(frame)
        if first == "fuselatch":
            return None
        if first not in sys.stdlib_module_names and first not in LIBRARIES:
            code = frame.tb_frame.f_code
            return code.co_filename, frame.tb_lineno, code.co_qualname
    return None


def frames_of(error: BaseException) -> list[TracebackType]:
    """Return the frames that an error came through, the outermost first."""
    frames = []
    step: TracebackType | None = error.__traceback__
    while step is not None:
        frames.append(step)
        step = step.tb_next
    return frames


def package_of(frame: TracebackType) -> str:
    """Return the package that a frame belongs to. File names don't tell it: those of compiled code have no folder."""
    return str(frame.tb_frame.f_globals.get("__name__", "")).partition(".")[0]


def place_text(where: tuple[str, int]) -> str:
    """Return a place in the developer's code as the trace has it, without folders: "booking.py:12"."""
    file, line = where
    return f"{file.replace(chr(92), '/').rpartition('/')[2]}:{line}"


def clock_failed(error: Exception) -> HandlerFailed:
    """Return the error for a clock that failed at the start of a gesture, which is made all the same."""
    file, line, _ = place_outside(error) or ("?", 0, "")
    failure = HandlerFailed((file, line), error, ("the clock",), "")
    failure.__cause__ = error
    return failure


def time_of(session: SessionState) -> datetime:
    """Return the time for rules and latches: the one told last if the clock fails. `feed` raises that at the end.

    Between gestures it is the one told last, too: only a gesture lets follow what differs.
    """
    if session.turn is None and session.read_at is not None:
        return session.read_at
    try:
        return session.read_clock()
    except Exception as error:
        if session.read_at is None:
            raise
        if session.turn is not None:
            session.turn.late = session.turn.late or clock_failed(error)
        return session.read_at


LIBRARIES = frozenset({"babel", "filelock", "greenlet", "openpyxl", "pandas", "psycopg", "sqlalchemy"})
"""Packages that the library itself calls."""
MOST_SHOWN = 8


def blown(handler: Handler, event: Event, gesture: str, why: str) -> FuseBlown:
    """Return the error for a loop of handlers, and name the loop."""
    loop: list[str] = [event.path]
    step: Event | None = event
    while step is not None and len(loop) < 2 * MOST_SHOWN:
        if step._handler is not None:
            loop.append(step._handler.name.rpartition(".")[2])
        step = step._parent
        if step is None or step.path == event.path:
            break
        loop.append(step.path)
    loop.append(event.path)
    loop.reverse()
    error = Runaway(f"{why}: {' → '.join(loop)} → …")
    return FuseBlown(handler.where, error, (handler.name, event.path, gesture), gesture, tuple(loop))


def failure_of(session: SessionState, error: Exception, function: Callable[..., object], what: str) -> HandlerFailed:
    """Return the error for a rule, check, default or store that raised; fail the running turn."""
    turn = session.turn
    event = turn.event if turn is not None else None
    failure = failed(error, function, event, what, turn.description if turn is not None else "reading")
    if turn is not None:
        turn.note_failed(failure)
    return failure


def guarded(session: SessionState, run: Callable[[], object], function: Callable[..., object], name: str) -> Any:
    """Run the developer's code where it can't set anything or wait."""
    port = session.port
    outer, port.tracker = port.tracker, {}
    try:
        return run()
    except Exception as error:
        raise failure_of(session, error, function, f"the rule {name}") from error
    finally:
        port.tracker = outer


def tell(session: SessionState, what: str, *args: object) -> list[object]:
    """Call a method of all observers; return what they answer. Call this only if there are any.

    An observer that raises fails the gesture, as a handler does.
    """
    answers = []
    for observer in session.observers:
        method = getattr(observer, what)
        try:
            answers.append(method(*args))
        except Exception as error:
            raise failure_of(session, error, method, f"{type(observer).__name__}.{what}") from error
    return answers
