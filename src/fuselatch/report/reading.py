"""Find what a function does with its form, by reading its code.

Names that are computed at run time can't be seen.
"""

from __future__ import annotations

import dis
from collections.abc import Callable, Iterable, Iterator
from types import CodeType
from typing import Any, NamedTuple

from fuselatch.core.forms.form import Form
from fuselatch.core.forms.plans import ControlPlan


class Use(NamedTuple):
    """A use of a function's first argument: attributes, if the last is set, and the line.

    `self.home.street.value = 3` is `(("home", "street", "value"), True, …)`. The line is 0 if unknown.
    """

    names: tuple[str, ...]
    is_set: bool
    line: int = 0


def code_of(function: object) -> CodeType | None:
    """Return the code of a function, or of what it wraps."""
    code = getattr(getattr(function, "__wrapped__", function), "__code__", None)
    return code if isinstance(code, CodeType) else None


def within(code: CodeType) -> Iterator[CodeType]:
    """Yield code, and the functions and comprehensions in it."""
    yield code
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from within(constant)


def uses(function: object, owner: type | None = None) -> frozenset[Use]:
    """Return how a function uses its first argument, also by `owner`'s methods it calls."""
    used: set[Use] = set()
    read: set[CodeType] = set()
    waiting = [code_of(function)]
    while waiting:
        code = waiting.pop()
        if code is None or code in read or not code.co_varnames:
            continue
        read.add(code)
        for use in uses_of(code, code.co_varnames[0]):
            used.add(use)
            if owner is not None and not hasattr(Form, use.names[0]):
                waiting.append(code_of(getattr(owner, use.names[0], None)))
    return frozenset(used)


def uses_of(code: CodeType, name: str) -> Iterator[Use]:
    """Yield the chains of attributes after a name in code."""
    for part in within(code):
        chain: list[str] | None = None
        line = 0
        for step in dis.get_instructions(part):
            kind = step.opname
            line = (step.positions.lineno if step.positions is not None else None) or line
            if kind.startswith(("LOAD_ATTR", "LOAD_METHOD")) and chain is not None:
                chain.append(str(step.argval))
                continue
            if chain:
                is_set = kind == "STORE_ATTR"
                yield Use((*chain, str(step.argval)) if is_set else tuple(chain), is_set, line)
            starts = kind.startswith(("LOAD_FAST", "LOAD_DEREF", "LOAD_CLOSURE")) and step.argval == name
            chain = [] if starts else None
        if chain:
            yield Use(tuple(chain), False, line)


class Called(NamedTuple):
    """A slow call in code: the name of its function ("rates.latest"), and the options that it is given, by name."""

    function: str
    options: frozenset[str] = frozenset()


def calls_in(function: object, owner: type | None = None) -> tuple[Called, ...]:
    """Return the slow calls of a function, also those in `owner`'s methods that it calls, without two that are alike."""
    functions = [function]
    if owner is not None:
        named = [use.names[0] for use in uses(function, owner) if not hasattr(Form, use.names[0])]
        functions += [getattr(owner, name, None) for name in sorted({*named})]
    codes = dict.fromkeys(code for code in map(code_of, functions) if code is not None)
    return tuple(dict.fromkeys(called for code in codes for part in within(code) for called in calls_of(part)))


def calls_of(code: CodeType) -> Iterator[Called]:
    """Yield the slow calls of code, without what is within it."""
    steps = [step for step in dis.get_instructions(code) if step.opname not in ("PUSH_NULL", "CACHE", "EXTENDED_ARG")]
    # The names of a call's options come as a tuple, before or at the call itself.
    tuples = [names for names in code.co_consts if isinstance(names, tuple)]
    options = frozenset(name for names in tuples for name in names if isinstance(name, str))
    for at, step in enumerate(steps):
        if step.argval != "call_elsewhere" or not step.opname.startswith(("LOAD_ATTR", "LOAD_METHOD")):
            continue
        names: list[str] = []
        for following in steps[at + 1 :]:
            is_first = following.opname.startswith(("LOAD_GLOBAL", "LOAD_FAST", "LOAD_DEREF", "LOAD_NAME"))
            if not (is_first if not names else following.opname.startswith("LOAD_ATTR")):
                break
            names.append(str(following.argval))
        yield Called(".".join(names) or "a function", options)


def paths_in(found: Iterable[Use], paths: Iterable[str], is_set: bool | None = None) -> list[str]:
    """Return the paths that are used. `is_set`: only if a property is set, or isn't."""
    chains = {".".join(use.names) for use in found if is_set is None or use.is_set is is_set}
    return [path for path in paths if any(chain == path or chain.startswith(f"{path}.") for chain in chains)]


def forms_named(function: Callable[..., object], owner: type | None = None) -> tuple[type[Form], ...]:
    """Return the form classes that a function, or a method that it calls, names."""
    forms: dict[type[Form], None] = {}
    functions = [function]
    used = uses(function, owner)
    if not any(use.names[0] in ("open", "show") for use in used):
        return ()
    for use in used:
        method = getattr(owner, use.names[0], None) if owner is not None and not hasattr(Form, use.names[0]) else None
        if code_of(method) is not None and method is not None:
            functions.append(method)
    for each in functions:
        plain: Any = getattr(each, "__wrapped__", each)
        code = code_of(plain)
        known = dict(getattr(plain, "__globals__", {}))
        cells = getattr(plain, "__closure__", None) or ()
        known.update(zip(code.co_freevars if code is not None else (), (cell.cell_contents for cell in cells), strict=False))
        for part in within(code) if code is not None else ():
            for name in part.co_names + part.co_freevars:
                named = known.get(name)
                if isinstance(named, type) and issubclass(named, Form) and named is not Form:
                    forms[named] = None
    return tuple(forms)


def can_warn(control: ControlPlan, is_bound: bool) -> bool:
    """Return True if a control may have a warning: by a policy, a declaration, or the code of a check.

    A choice of a bound form has one if its record brings an item that isn't offered.
    """
    if is_bound and control.lists:
        return True
    levels = [*(control.levels or {}).values(), *(check.level for check in control.checks)]
    if "warn" in levels or control.decl.constants.get("required") == "warn":
        return True
    codes = [code_of(check.function) for check in control.checks]
    return any({"warn", "Finding"} & {*part.co_names} for code in codes if code is not None for part in within(code))
