"""Slow calls at a desk: run at once on the same thread, or ended step by step."""

from __future__ import annotations

import builtins
import json
import types
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, is_dataclass
from datetime import date, datetime, time
from decimal import Decimal
from enum import Enum
from typing import Any, Final, Literal, Union, get_args, get_origin, get_type_hints

from fuselatch.core.engine.session import Session
from fuselatch.core.engine.state.waiting import name_of_function
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.json_text import json_text
from fuselatch.core.model.names import suggest
from fuselatch.core.model.slow_calls import REPORTED, SlowCall, reporter
from fuselatch.core.model.values import short_text
from fuselatch.scenes import Scene

SAMPLES: Final[Mapping[type, tuple[str, ...]]] = {
    bool: ("true", "false"), int: ("1", "0", "-1"), float: ("1.0", "0.0", "-1.0"), Decimal: ("1", "0", "-1"),
    str: ('"a"', '""'), date: ('"2031-05-04"',), datetime: ('"2031-05-04T09:30:00"',), time: ('"09:30:00"',),
    bytes: ('"a"',), dict: ("{}",), type(None): ("null",),
}  # fmt: skip
"""Results of each type as JSON, for a function that must not run and has no stand-in. The first is the likeliest to fit."""
DEEPEST: Final = 5
"""How deep types within types have samples."""


STAND_IN: Final = object()
"""In place of a result: what the function's stand-in returns."""


@dataclass(frozen=True, slots=True)
class DeskCall:
    """A slow call that a handler waits for. It is false if there is none."""

    handler: str = ""
    function: Callable[..., Any] | None = None
    args: tuple[object, ...] = ()
    text: str = ""
    timeout: float | None = None

    def __bool__(self) -> bool:
        return bool(self.handler)


def as_seen(call: SlowCall) -> DeskCall:
    """Return a slow call as a rehearsal looks at it."""
    return DeskCall(call.name, call.function, call.args, call.text, call.timeout)


def call_named(session: Session, name: str) -> SlowCall:
    """Return the call of a handler that waits, the newest for "". Raises `UnknownName`."""
    waiting: tuple[SlowCall, ...] = session.slow_calls
    found: SlowCall | None = next((call for call in reversed(waiting) if name in ("", call.name, call.handler)), None)
    if found is not None:
        return found
    if waiting:
        raise UnknownName(f"no slow call '{name}' waits; {suggest(name, [call.name for call in waiting])}")
    raise UnknownName("no slow call waits; rehearse(…, slow_calls='ask') lets them wait")


def end_call(session: Session, call: SlowCall, how: str, result: object = None) -> None:
    """Feed the end of a slow call."""
    session.feed(Gesture(verb="slow_call", control=call.id, text=how, result=result))


def run_call(session: Session, call: SlowCall, function: Callable[..., Any]) -> None:
    """Run a slow call at once, and feed its end."""
    report = {"report": reporter(lambda told: end_call(session, call, REPORTED, told))} if call.progress else {}
    try:
        how, result = "finished", function(*call.args, **report)
    except Exception as error:
        how, result = "failed", error
    end_call(session, call, how, result)


def stand_in_of(scene: Scene, call: SlowCall) -> Callable[..., Any]:
    """Return what runs in place of a function: the scene's stand-in, or one that returns a sample. See `sample_of`."""
    stand_in = scene.slow_calls_by.get(call.function)
    return stand_in if stand_in is not None else sample_of(call.function)


def sample_of(function: Callable[..., Any]) -> Callable[..., Any]:
    """Return a stand-in that returns a sample of a function's return type. Raises `UnknownName` if it has none."""
    samples = samples_of(function)
    if not samples:
        named = name_of_function(function)
        raise UnknownName(f"{named} must not run here; give a stand-in, Scene(slow_calls_by={{{named}: …}})")
    return lambda *args, **named: result_of(samples[0], function)


def samples_of(function: Callable[..., Any]) -> tuple[str, ...]:
    """Return samples of a function's results as JSON, by its return type; none if that isn't known."""
    return tuple(samples_for(returned_by(function), DEEPEST))


def samples_for(wanted: Any, depth: int) -> Iterator[str]:
    """Yield samples of a type as JSON."""
    parts, kind = get_args(wanted), get_origin(wanted) or wanted
    if depth == 0:
        return
    if kind in (Union, types.UnionType):
        yield from (sample for part in parts for sample in samples_for(part, depth))
    elif kind is Literal:
        yield from map(json_text, parts)
    elif kind in SAMPLES:
        yield from SAMPLES[kind]
    elif kind is tuple and parts and Ellipsis not in parts:
        yield from ([f"[{', '.join(firsts)}]"] if (firsts := first_of_each(parts, depth)) else [])
    elif kind in (list, tuple, set, frozenset):
        yield from (f"[{sample}]" for part in parts[:1] for sample in samples_for(part, depth - 1))
        yield "[]"
    elif isinstance(kind, type) and issubclass(kind, Enum):
        yield from (json_text(each.value) for each in kind)
    elif is_dataclass(kind) or hasattr(kind, "_fields"):
        hints = get_type_hints(kind)
        if firsts := first_of_each(hints.values(), depth):
            yield "{" + ", ".join(f'"{name}": {first}' for name, first in zip(hints, firsts, strict=True)) + "}"


def first_of_each(wanted: Iterable[Any], depth: int) -> list[str]:
    """Return the first sample of each type, or nothing if one has none."""
    firsts = [next(samples_for(one, depth - 1), "") for one in wanted]
    return firsts if all(firsts) else []


def returned_by(function: Callable[..., Any]) -> Any:
    """Return the return type of a function, or `Any`."""
    try:
        return get_type_hints(function).get("return", Any)
    except Exception:
        return Any


def result_of(text: str, function: Callable[..., Any]) -> object:
    """Return the result that a word of a cue sheet means: JSON, converted to the function's return type.

    Raises `ValueError`.
    """
    wanted = returned_by(function)
    try:
        read = json.loads(text, parse_float=Decimal)
    except ValueError:
        if wanted is str or wanted is Any:
            return text
        read = text
    try:
        return converted(read, wanted)
    except (ValueError, TypeError, ArithmeticError):
        name = getattr(wanted, "__name__", str(wanted))
        raise ValueError(f"'{short_text(text)}' isn't a {name}, which {name_of_function(function)} returns") from None


def converted(read: Any, wanted: Any) -> Any:
    """Return what was read from JSON as a type has it."""
    parts, origin = get_args(wanted), get_origin(wanted) or wanted
    if origin in (Union, types.UnionType):
        *parts_before, last = sorted(parts, key=lambda part: part is not type(None))
        for part in parts_before:
            with suppress(ValueError, TypeError, ArithmeticError):
                return converted(read, part)
        return converted(read, last)
    if wanted is Any or wanted is object:
        return float(read) if isinstance(read, Decimal) else read
    if origin in (list, tuple, set, frozenset) and isinstance(read, list):
        kinds = parts if origin is tuple and Ellipsis not in parts else [*parts[:1], Any][:1] * len(read)
        return origin(converted(one, kind) for one, kind in zip(read, kinds or [Any] * len(read), strict=True))
    if isinstance(read, dict) and origin in (dict, Mapping):
        return {key: converted(one, parts[1] if parts else Any) for key, one in read.items()}
    if isinstance(read, dict) and (is_dataclass(origin) or hasattr(origin, "_fields")):
        hints = get_type_hints(origin)
        return origin(**{key: converted(one, hints.get(key, Any)) for key, one in read.items()})
    if origin is Literal and read in parts:
        return read
    if origin is bytes and isinstance(read, str):
        return read.encode()
    if origin in (date, datetime, time):
        return origin.fromisoformat(read)
    if origin is float and isinstance(read, int | Decimal) and not isinstance(read, bool):
        return float(read)
    if origin is Decimal and isinstance(read, int | str) and not isinstance(read, bool):
        return Decimal(read)
    if isinstance(origin, type) and issubclass(origin, Enum):
        return origin(read)
    if origin is type(None) and read is None:
        return None
    if not isinstance(origin, type) or not isinstance(read, origin) or (isinstance(read, bool) and origin is not bool):
        raise ValueError(read)
    return read


def error_named(text: str, kind: str) -> Exception:
    """Return the error that a step `fail` raises. `kind`: a built-in class of errors. Raises `ValueError`."""
    found = getattr(builtins, kind, None)
    if not (isinstance(found, type) and issubclass(found, Exception)):
        raise ValueError(f"'{kind}' isn't a built-in error such as OSError or ValueError")
    made: Exception = found(text)
    return made
