"""Written checks: `@check(length)` on a method that receives the value and says what is wrong."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from fuselatch.core.forms.latches import Latch
from fuselatch.core.forms.sources import must_be_plain
from fuselatch.core.model.errors import DeclarationError

F = TypeVar("F", bound=Callable[..., Any])
MARK = "_fuselatch_checks"


@dataclass(frozen=True, slots=True)
class CheckMark:
    """What `@check` wrote on a method: the declared controls whose values it receives, and how it is shown."""

    controls: tuple[Any, ...]
    at: Any = None
    while_typing: bool = False
    blanks: bool = False
    latch: Latch | None = None


def check(
    *controls: Any, at: Any = None, while_typing: bool = False, blanks: bool = False, latch: Latch | None = None
) -> Callable[[F], F]:
    """Have a method judge the value of a control, or of several together.

    The method receives the values, none of them blank (with `blanks=True`, blank ones too), and
    returns nothing, a message (which holds acceptance back) or `warn(message)` (which lets the
    person go on after a confirmation). Its marker sits on the first control, or on `at`; with
    `while_typing=True` it is shown from the first key. It may read other controls and is judged again
    when they differ. With a `latch`, a warning of it that a person went on in spite of is not asked
    about again while the latch holds. It can change nothing, and wait for nobody. Stacked, it is applied to each.
    Returns the method unchanged.
    """
    if not controls:
        raise DeclarationError("check() needs at least one control, for example check(length)")

    def attach(function: F) -> F:
        must_be_plain(function, "a check", "@check")
        marks: list[CheckMark] = function.__dict__.setdefault(MARK, [])
        marks.append(CheckMark(controls, at, while_typing, blanks, latch))
        return function

    return attach


def checks_of(function: object) -> tuple[CheckMark, ...]:
    """The checks that a function was marked as; none for anything else."""
    return tuple(getattr(function, "__dict__", {}).get(MARK, ()))
