"""Make cells: how a declared rule or a written check is run, and run them for the first time."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from fuselatch.core.engine.rules.catalog_index import catalog_choices, made_choices
from fuselatch.core.engine.rules.scheduler import fresh
from fuselatch.core.engine.rules.validation import check_runner
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import touch
from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import AnyControl, ControlState, FormState, current
from fuselatch.core.forms.plans import CheckPlan
from fuselatch.core.model.cells import UNSEEN, Cell, Derived, watch
from fuselatch.core.model.properties import PROPERTIES, text_of
from fuselatch.core.model.values import same

PASSIVE: Final = frozenset({"default"})
"""Rules that run at opening and aren't tracked."""


def install(session: SessionState, form: OpenForm) -> list[Cell]:
    """Make the cells of a form that is being opened, in order of declaration."""
    state = form._state
    made: list[Cell] = []
    if callable(state.plan.title):
        cell = Cell(
            state, "title", running(state.plan.title, form, text_of), (state.serial, -1, 0), state.plan.title, state.name
        )
        state._cells = {"title": cell}
        made.append(cell)
    for path in state.plan.ruled:
        install_at(session, state, path, made)
    return made


def install_at(session: SessionState, state: FormState, path: str, made: list[Cell], start: int = 0) -> None:
    """Make the cells of one control or group, numbered from `start`."""
    placed: Any = state.controls.get(path) or state.nodes[path]
    rules, plan = placed._decl.rules, placed._plan
    for prop, rule in rules.items():
        if prop in PASSIVE:
            continue
        if placed._cells is None:
            placed._cells = {}
        run, where = rule_of(session, state, placed, prop, rule)
        order = (state.serial, plan.index, start + len(made))
        cell = placed._cells[prop] = Cell(placed, prop, run, order, where, state.name)
        if isinstance(rule, Derived):
            cell.fixed = True
            cell.plain = are_plain([state.controls[path] for path in plan.inputs[prop]])
            watch(cell, {(state.controls[path], "value"): UNSEEN for path in plan.inputs[prop]})
        if prop == "value":
            placed._rule = True
        made.append(cell)
    if plan.checks:
        placed._checks = tuple(check_cell(state, placed, check, start + at) for at, check in enumerate(plan.checks))
        made.extend(placed._checks)


def make_ready(session: SessionState, cells: list[Cell]) -> None:
    """Run rules for the first time. This raises no events."""
    for cell in cells:
        cell.announced = fresh(session, cell)  # not undone: the form is new
        touch(cell.node)
        if cell.prop == "value" and isinstance(cell.node, ControlState):
            cell.node._value = cell.value  # not undone: the form is new


def rule_of(
    session: SessionState, state: FormState, control: AnyControl, prop: str, rule: Any
) -> tuple[Callable[[], object], Callable[..., object]]:
    """Return what a declared rule runs, and the developer's function."""
    convert = converter(control, prop)
    if isinstance(rule, Derived):
        inputs: list[ControlState] = [state.controls[path] for path in control._plan.inputs[prop]]
        blank = control._plan.blank if prop == "value" else convert(None)
        return derived_rule(rule.function, inputs, convert, blank), rule.function
    if isinstance(rule, Catalog):
        given = [state.controls[path] for path in control._plan.inputs[prop]]
        return offering(session, rule, given, control), Catalog.where
    if PROPERTIES[prop].follows and control._decl.made is not None:
        return made_choices(session, control, rule), rule
    return running(rule, control._owner, convert), rule


def offering(session: SessionState, catalog: Catalog[object], given: list[Any], control: AnyControl) -> Callable[[], object]:
    """Return a function that computes a catalog's choices."""
    order_of = control._decl.order_of
    return lambda: catalog_choices(session, catalog, tuple([one._read("value") for one in given]), *order_of(control))


def running(rule: Callable[..., object], owner: object, convert: Callable[[object], object]) -> Callable[[], object]:
    """Return a function that runs a rule of a form or group."""
    return lambda: convert(rule(owner))


def are_plain(inputs: list[ControlState]) -> bool:
    """Return True if no rule and no list decides the inputs' values."""
    return not any("value" in given._decl.rules or given._plan.lists for given in inputs)


def derived_rule(
    function: Callable[..., object], inputs: list[ControlState], convert: Callable[[object], object], blank: object
) -> Callable[[], object]:
    """Return a function that runs a `derive` rule.

    It is blank while an input is blank, and doesn't run again for the same values.
    """
    seen: list[object] = []
    result: object = UNSEEN
    # A tick is never blank, so this stands for a value that equals nothing.
    blanks = [UNSEEN if given._plan.blank is False else given._plan.blank for given in inputs]
    gap = blanks[0] if blanks == [blanks[0]] * len(blanks) else blanks
    plain = are_plain(inputs)
    if len(inputs) == 1:
        return derived_from_one(function, inputs[0], plain, gap, convert, blank)

    def run() -> object:
        nonlocal seen, result
        values = [given._value for given in inputs] if plain else [current(given, "value") for given in inputs]
        if values == seen and result is not UNSEEN and are_same(values, seen):
            return result
        seen = values
        result = UNSEEN
        is_blank = has_blank(values, blanks) if gap is blanks else gap in values
        result = blank if is_blank else convert(function(*values))
        return result

    return run


def are_same(values: list[object], others: list[object]) -> bool:
    """Return True if all values are the same as those of another list of that length."""
    for at in range(len(values)):
        if values[at] is not others[at] and not same(values[at], others[at]):
            return False
    return True


def has_blank(values: list[object], blanks: list[object]) -> bool:
    """Return True if one of the values is the blank of its control."""
    for at in range(len(values)):
        if values[at] is blanks[at] or values[at] == blanks[at]:
            return True
    return False


def derived_from_one(
    function: Callable[..., object],
    given: ControlState,
    plain: bool,
    gap: object,
    convert: Callable[[object], object],
    blank: object,
) -> Callable[[], object]:
    """Do the same for one input, as in the links of a long chain."""
    seen: object = UNSEEN
    result: object = UNSEEN

    def run() -> object:
        nonlocal seen, result
        value = given._value if plain else current(given, "value")
        if result is UNSEEN or not same(value, seen):
            result = UNSEEN
            seen = value
            result = blank if value == gap else convert(function(value))
        return result

    return run


def check_cell(state: FormState, control: AnyControl, check: CheckPlan, at: int) -> Cell:
    """Return the cell of a written check."""
    run = check_runner(state, check)
    cell = Cell(control, "check", run, (state.serial, control._plan.index, at), check.function, state.name)
    cell.name = f"{control.name}.{check.name}"
    return cell


def converter(control: AnyControl, prop: str) -> Callable[[object], object]:
    """Return a function that converts a rule's result to the property's type."""
    if prop in ("value", "minimum", "maximum"):
        blank = control._plan.blank if prop == "value" else None
        coerce, kind = control._decl.coerce, control._plan.as_is

        def convert(value: object) -> object:
            if kind is not None and type(value) is kind and is_as_is(value):
                return value
            return blank if value is None else coerce(value)

        return convert
    usual = PROPERTIES[prop].convert
    assert usual is not None, f"a rule for '{prop}' isn't accepted where it is declared"
    return usual


def is_as_is(value: object) -> bool:
    """Return True if a value needs no conversion: a finite number, a text that isn't white space."""
    if isinstance(value, float):
        # False for infinity and NaN: inf - inf is NaN.
        return value - value == 0
    return not value.isspace() if isinstance(value, str) else True
