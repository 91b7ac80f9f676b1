"""Rules: properties that depend on others, as functions of the form or by `derive`."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol, TypeAlias, TypeVar, overload

from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.model.cells import Derived
from fuselatch.core.model.errors import DeclarationError
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import Value, short

A = TypeVar("A")
B = TypeVar("B")
C = TypeVar("C")
D = TypeVar("D")
T = TypeVar("T")
G_co = TypeVar("G_co", covariant=True)

Rule: TypeAlias = Callable[[Any], T] | Derived[T]
"""A rule: a function of the form, or the result of `derive`."""


def is_rule(value: object) -> bool:
    """Return True if an option is a rule and not a constant."""
    return isinstance(value, Derived | Catalog) or (callable(value) and not isinstance(value, type))


class Constant:
    """The rule of a declared value that never differs."""

    __slots__ = ("value",)

    def __init__(self, value: object) -> None:
        self.value = value

    def __call__(self, form: object) -> Any:
        return self.value


def from_open(form: Any, control: str) -> Callable[[Any], Any]:
    """Return a default: the value of a control of another open form.

    `default=from_open(MemberForm, "member")`. If several are open, the front one is used; if none is open, the default is
    blank. Only settled values are used. Raises `DeclarationError` for an unknown control.
    """
    plan = getattr(form, "_plan", None)
    if plan is None:
        raise DeclarationError(f"from_open(…): expected a form class, not {short(form)}")
    source = plan.controls.get(control)
    if source is None or not source.decl.holds_value:
        holding = [path for path, placed in plan.controls.items() if placed.decl.holds_value]
        raise DeclarationError(
            f"from_open({form.__name__}, …): no control '{control}' with a value; {suggest(control, holding)}"
        )

    def default(owner: Any) -> Value:
        engine = owner._engine
        other = engine.session.find(form)
        if other is None:
            return None
        live = other._state.controls[control]
        if live.draft is not None:
            engine.note_stale(live, by_rule=True)
        return live.value

    return default


class WithValue(Protocol[G_co]):
    """A declared control that has a value. For type checkers, `holds` is a value that isn't blank."""

    @property
    def holds(self) -> G_co: ...


@overload
def derive(function: Callable[[A], T], a: WithValue[A], /) -> Derived[T]: ...
@overload
def derive(function: Callable[[A, B], T], a: WithValue[A], b: WithValue[B], /) -> Derived[T]: ...
@overload
def derive(
    function: Callable[[A, B, C], T],
    a: WithValue[A],
    b: WithValue[B],
    c: WithValue[C],
    /,
) -> Derived[T]: ...
@overload
def derive(
    function: Callable[[A, B, C, D], T],
    a: WithValue[A],
    b: WithValue[B],
    c: WithValue[C],
    d: WithValue[D],
    /,
) -> Derived[T]: ...
@overload
def derive(
    function: Callable[..., T],
    a: WithValue[Value],
    b: WithValue[Value],
    c: WithValue[Value],
    d: WithValue[Value],
    e: WithValue[Value],
    /,
    *more: WithValue[Value],
) -> Derived[T]: ...
def derive(function: Callable[..., T], /, *inputs: Any) -> Derived[T]:
    """Return a rule that calls a function with controls' values.

    `function`: takes the values in the order of `inputs`, can't set anything or wait. The result is blank while an input is
    blank. Raises `DeclarationError` for a control without a value.
    """
    name = getattr(function, "__name__", type(function).__name__)
    if not callable(function):
        raise DeclarationError(f"derive(…): expected a function, not {name}")
    if not inputs:
        raise DeclarationError(f"derive({name}): pass the controls that {name} reads")
    for given in inputs:
        if not getattr(given, "holds_value", False):
            raise DeclarationError(f"derive({name}, …): expected declared controls with a value, not {short(given)}")
    return Derived(function, inputs)
