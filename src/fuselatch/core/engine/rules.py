"""Make cells: how a declared rule or a written check is run."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Final

from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.held import ControlState, current, is_usable
from fuselatch.core.forms.live_lists import LiveChoice, LiveTable
from fuselatch.core.forms.plans import CheckPlan
from fuselatch.core.forms.prompts import TONES
from fuselatch.core.model.cells import UNSEEN, Cell, Derived, watch
from fuselatch.core.model.choices import choices_of
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.names import suggest

if TYPE_CHECKING:
    from fuselatch.core.forms.form import Form
    from fuselatch.core.forms.state import FormState

PASSIVE: Final = frozenset({"default"})
"""Rules that run at opening and aren't tracked."""


def install(form: Form) -> list[Cell]:
    """Make the cells of a form that is being opened, in order of declaration."""
    state = form._state
    made: list[Cell] = []
    if callable(state.plan.title):
        cell = Cell(
            state, "title", running(state.plan.title, form, str_of), (state.serial, -1, 0), state.plan.title, state.name
        )
        state._cells = {"title": cell}
        made.append(cell)
    for path in state.plan.ruled:
        install_at(state, path, made)
    return made


def install_at(state: FormState, path: str, made: list[Cell], start: int = 0) -> None:
    """Make the cells of one control or group, numbered from `start`."""
    placed: Any = state.controls.get(path) or state.nodes[path]
    rules, plan = placed._decl.rules, placed._plan
    for prop, rule in rules.items():
        if prop in PASSIVE:
            continue
        if placed._cells is None:
            placed._cells = {}
        run, where = rule_of(state, placed, prop, rule)
        order = (state.serial, plan.index, start + len(made))
        cell = placed._cells[prop] = Cell(placed, prop, run, order, where, state.name)
        if isinstance(rule, Derived):
            cell.fixed = True
            cell.plain = held_by([state.controls[path] for path in plan.inputs[prop]])
            watch(cell, {(state.controls[path], "value"): UNSEEN for path in plan.inputs[prop]})
        if prop == "value":
            placed._rule = True
        made.append(cell)
    if plan.checks:
        placed._checks = tuple(check_cell(state, placed, check, start + at) for at, check in enumerate(plan.checks))
        made.extend(placed._checks)


def rule_of(state: FormState, control: Any, prop: str, rule: Any) -> tuple[Callable[[], Any], Callable[..., Any]]:
    """Return what a declared rule runs, and the developer's function."""
    convert = converter(control, prop)
    if isinstance(rule, Derived):
        inputs: list[ControlState] = [state.controls[path] for path in control._plan.inputs[prop]]
        blank = control._plan.blank if prop == "value" else convert(None)
        return following(rule.function, inputs, convert, blank), rule.function
    if isinstance(rule, Catalog):
        given = [state.controls[path] for path in control._plan.inputs[prop]]
        return offering(state.engine, rule, given, control), Catalog.where
    return running(rule, control._owner, convert), rule


def offering(engine: Any, catalog: Catalog[Any], given: list[Any], control: Any) -> Callable[[], Any]:
    """Return a function that computes a catalog's choices."""
    if isinstance(control, LiveTable):
        return lambda: engine.catalogs.choices(catalog, tuple([one._read("value") for one in given]), control._read_sort())
    return lambda: engine.catalogs.choices(catalog, tuple([control._read("value") for control in given]))


def running(rule: Callable[..., Any], owner: Any, convert: Callable[[Any], Any]) -> Callable[[], Any]:
    """Return a function that runs a rule of a form or group."""
    return lambda: convert(rule(owner))


def held_by(inputs: list[ControlState]) -> bool:
    """Return True if no rule and no list decides the inputs' values."""
    return not any("value" in given._decl.rules or isinstance(given, LiveChoice) for given in inputs)


def following(
    function: Callable[..., Any], inputs: list[ControlState], convert: Callable[[Any], Any], blank: Any
) -> Callable[[], Any]:
    """Return a function that runs a `derive` rule.

    It is blank while an input is blank, and doesn't run again for the same values.
    """
    seen: list[Any] = []
    result: Any = UNSEEN
    # A tick is never blank, so this stands for a value that equals nothing.
    blanks = [UNSEEN if given._plan.blank is False else given._plan.blank for given in inputs]
    held = held_by(inputs)
    if len(inputs) == 1:
        return following_one(function, inputs[0], held, blanks[0], convert, blank)

    def run() -> Any:
        nonlocal seen, result
        values = [given._value for given in inputs] if held else [current(given, "value") for given in inputs]
        if values == seen and result is not UNSEEN:
            return result
        seen = values
        result = UNSEEN
        for value, gap in zip(values, blanks, strict=True):
            if value == gap:
                result = blank
                return result
        result = convert(function(*values))
        return result

    return run


def following_one(
    function: Callable[..., Any], given: ControlState, held: bool, gap: Any, convert: Callable[[Any], Any], blank: Any
) -> Callable[[], Any]:
    """Do the same for one input, as in the links of a long chain."""
    seen: Any = UNSEEN
    result: Any = UNSEEN

    def run() -> Any:
        nonlocal seen, result
        value = given._value if held else current(given, "value")
        if result is UNSEEN or value != seen:
            result = UNSEEN
            seen = value
            result = blank if value == gap else convert(function(value))
        return result

    return run


def check_cell(state: FormState, control: Any, check: CheckPlan, at: int) -> Cell:
    """Return the cell of a written check."""
    run = check_runner(state, check)
    cell = Cell(control, "check", run, (state.serial, control._plan.index, at), check.function, state.name)
    cell.name = f"{control.name}.{check.name}"
    return cell


def check_runner(state: FormState, check: CheckPlan, instead: dict[str, Any] | None = None) -> Callable[[], Finding | None]:
    """Return a function that runs a written check.

    It finds nothing while a value is blank or its control isn't usable. `instead` replaces values, by path.
    """
    controls: list[Any] = [state.controls[path] for path in check.controls]
    owner = state.containers[check.within]

    def run() -> Finding | None:
        values = []
        for control in controls:
            path = control._plan.path
            held = instead is None or path not in instead
            value = control._read("value") if held or instead is None else instead[path]
            blank = control._plan.blank
            missing = value == blank and blank is not False
            if (missing and not check.blanks) or (held and control._trouble is not None):
                return None
            if not is_usable(control):
                return None
            values.append(value)
        return as_finding(check.function(owner, *values), check)

    return run


def as_finding(result: object, check: CheckPlan) -> Finding | None:
    """Return a check's result as a finding."""
    if result is None:
        return None
    if isinstance(result, str):
        return Finding(result, check.level or "refuse", check.name, check.while_typing)
    if isinstance(result, Finding):
        return Finding(result.text, check.level or result.level, check.name, check.while_typing)
    raise TypeError(f"a check must return None, a message or warn(message), not {type(result).__name__}")


def converter(control: Any, prop: str) -> Callable[[Any], Any]:
    """Return a function that converts a rule's result to the property's type."""
    if prop in ("value", "minimum", "maximum"):
        blank = control._plan.blank if prop == "value" else None
        coerce, kind = control._decl.coerce, control._plan.as_is

        def convert(value: Any) -> Any:
            if kind is not None and type(value) is kind and is_as_is(value):
                return value
            return blank if value is None else coerce(value)

        return convert
    return CONVERTERS[prop]


def str_of(value: Any) -> str:
    """Return text; None is ""."""
    if value is None:
        return ""
    if not isinstance(value, str):
        raise TypeError(f"expected text (str), not {type(value).__name__}")
    return value


def tone_of(value: Any) -> str:
    """Return one of the four tones; None is plain."""
    tone = str_of(value) or "plain"
    if tone not in TONES:
        raise ValueError(f"unknown tone '{tone}'; {suggest(tone, TONES)}")
    return tone


def need_of(value: Any) -> bool | str:
    """Return True, False or "warn"."""
    return "warn" if value == "warn" else bool(value)


CONVERTERS: Final[dict[str, Callable[[Any], Any]]] = {
    "enabled": bool,
    "visible": bool,
    "required": need_of,
    "choices": choices_of,
    "caption": str_of,
    "help": str_of,
    "tone": tone_of,
    "placeholder": str_of,
}


def is_as_is(value: Any) -> bool:
    """Return True if a value needs no conversion: a finite number, a text that isn't white space."""
    if isinstance(value, float):
        # False for infinity and NaN: inf - inf is NaN.
        return value - value == 0
    return not value.isspace() if isinstance(value, str) else True


def same(one: object, other: object) -> bool:
    """Return True if two values are equal and of one type."""
    return one is other or (type(one) is type(other) and one == other)
