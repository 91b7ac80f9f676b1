"""Written checks: `@check(length)` on a method that returns what is wrong."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from fuselatch.core.forms.attaching import must_be_plain
from fuselatch.core.forms.latch import Latch
from fuselatch.core.model.errors import DeclarationError

F = TypeVar("F", bound=Callable[..., Any])
MARK = "_fuselatch_checks"


@dataclass(frozen=True, slots=True)
class CheckMark:
    """A `@check` on a method: the controls whose values it gets, and how it is shown."""

    controls: tuple[Any, ...]
    at: Any = None
    while_typing: bool = False
    blanks: bool = False
    latch: Latch | None = None


def check(
    *controls: Any, at: object = None, while_typing: bool = False, blanks: bool = False, latch: Latch | None = None
) -> Callable[[F], F]:
    """Mark a method as a check of one or more controls.

    The method gets the controls' values and returns None, a message (which blocks acceptance) or `warn(message)` (which the
    user can confirm). It may read other controls, and runs again when they change. It can't set anything or wait.

    `at`: the control that shows the marker (default: the first). `while_typing`: show it from the first key. `blanks`: also
    run for blank values. `latch`: don't ask about a confirmed warning again while the latch is set. Returns the method.
    """
    if not controls:
        raise DeclarationError("check() needs at least one control, for example check(length)")
    bare = next((control for control in controls if hasattr(control, "__code__")), None)
    if bare is not None:
        raise DeclarationError(
            f"@check above {bare.__qualname__} needs the controls that it checks, for example @check(length)"
        )

    def attach(function: F) -> F:
        must_be_plain(function, "a check", "@check")
        marks: list[CheckMark] = function.__dict__.setdefault(MARK, [])
        marks.append(CheckMark(controls, at, while_typing, blanks, latch))
        return function

    return attach


def checks_of(function: object) -> tuple[CheckMark, ...]:
    """Return the checks that a function is marked with."""
    return tuple(getattr(function, "__dict__", {}).get(MARK, ()))
