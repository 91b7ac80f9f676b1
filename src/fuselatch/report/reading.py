"""Reading what a function names, without running it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from types import CodeType
from typing import Any

from fuselatch.core.forms.form import Form


def code_of(function: Callable[..., object]) -> CodeType | None:
    """The code of a function, or of what it wraps."""
    found: CodeType | None = getattr(getattr(function, "__wrapped__", function), "__code__", None)
    return found


def named_in(code: CodeType) -> Iterator[str]:
    """The names of attributes and globals that a piece of code reads, with those of the functions within it."""
    yield from code.co_names
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from named_in(constant)


def names_read(function: Callable[..., object], owner: type | None = None) -> frozenset[str]:
    """The names that a function reads, and those that the methods of `owner` read that it calls by name."""
    found: set[str] = set()
    waiting = [function]
    while waiting:
        code = code_of(waiting.pop())
        for name in set(named_in(code)) - found if code is not None else ():
            found.add(name)
            method = getattr(owner, name, None) if owner is not None and not hasattr(Form, name) else None
            if code_of(method) is not None if method is not None else False:
                waiting.append(method)  # type: ignore[arg-type]
    return frozenset(found)


def forms_named(function: Callable[..., object], owner: type | None = None) -> tuple[type[Form], ...]:
    """The form classes that a function names, other than `Form` itself: those that it may open."""
    known: dict[str, Any] = {}
    plain = getattr(function, "__wrapped__", function)
    known.update(getattr(plain, "__globals__", {}))
    for name, cell in zip(
        getattr(code_of(function), "co_freevars", ()), getattr(plain, "__closure__", None) or (), strict=False
    ):
        known[name] = cell.cell_contents
    names = names_read(function, owner)
    found = [known.get(name) for name in sorted(names)]
    return tuple(form for form in found if isinstance(form, type) and issubclass(form, Form) and form is not Form)
