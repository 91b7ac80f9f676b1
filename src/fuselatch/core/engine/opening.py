"""Open a form: parameters, defaults, derived values, `opened`, focus, `entered`."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any, get_type_hints

from fuselatch.core.engine import focus
from fuselatch.core.engine.rows import must_be_column
from fuselatch.core.engine.rules import install
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.defaults import LastEntered, NthChoice
from fuselatch.core.forms.form import make
from fuselatch.core.forms.live_lists import LiveChoice
from fuselatch.core.forms.params import MISSING
from fuselatch.core.forms.rules import is_rule
from fuselatch.core.forms.state import Manner
from fuselatch.core.model.cells import Undoable
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import short

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form
    from fuselatch.core.forms.plans import FormPlan
    from fuselatch.core.model.cells import Cell

WIDER: Mapping[type, tuple[type, ...]] = {float: (float, int), complex: (complex, float, int)}
"""Types that accept others, as in the numeric tower of PEP 484."""


PLAIN = Manner()


def open_form(turn: Turn, form: type[Form], params: Mapping[str, Any], opener: Form | None, how: Manner = PLAIN) -> Form:
    """Open a form within a turn. Any error fails the turn."""
    engine = turn.engine
    given = checked_params(form, params)
    opened = make(form, engine.plan_of(form), engine, opener, *engine.next_serial(form))
    state = opened._state
    state.manner = how
    opened.__dict__.update(given)
    turn.set(Opening(engine, opened), "done", True)
    if engine.first is None:
        turn.set(engine, "first", opened)
    engine.bring_to_front(turn, opened)
    before, turn.cause = turn.cause, turn.note_form("open", opened, form._plan.name)
    for path in state.plan.tables:
        table: Any = state.controls[path]._decl
        source = table.rules["choices"].source
        for column in table.columns:
            must_be_column(column, engine.store_columns(source), source)
    cells = install(opened)
    set_defaults(turn, opened)
    engine.look(turn)
    if state.plan.records:
        state.records = engine.bind(opened, state.plan.records)
    if engine.observer is not None:
        engine.observer.opened(opened)
    ready(engine, cells)
    turn.set(state, "phase", state.after("open"))
    if state.records is not None:
        state.records.begin(turn)
    turn.happen("opened", opened, None)
    if opened.is_open and state.focus is None:
        focus.enter(turn, opened, focus.following(opened, None, 1))
    turn.cause = before
    return opened


class Opening(Undoable):
    """A form that a gesture opened. If the gesture fails, the form is closed."""

    __slots__ = ("done", "engine", "form")

    def __init__(self, engine: Engine, form: Form) -> None:
        self.engine = engine
        self.form = form
        self.done = False

    def _restored(self, name: str) -> None:
        state, engine = self.form._state, self.engine
        # Not only what was recorded: another gesture may have changed the forms since.
        engine.forms = tuple(other for other in engine.forms if other is not self.form)
        state.phase = "closed"
        engine._restored("forms")


def ready(engine: Engine, cells: list[Cell]) -> None:
    """Run rules for the first time. This raises no events."""
    for cell in cells:
        cell.announced = engine.updates.fresh(cell)
        if isinstance(cell.node, LiveValue) and cell.prop == "value":
            cell.node._value = cell.value


def set_defaults(turn: Turn, form: Form) -> None:
    """Set a form's defaults in tab order. This raises no events."""
    set_defaults_of(turn, form, form._state.plan.defaulted)


def set_defaults_of(turn: Turn, form: Form, paths: Iterable[str]) -> None:
    """Set the defaults of some controls. This raises no events."""
    control: Any
    for path in paths:
        control = form._state.controls[path]
        decl = control._decl
        rules, constants = decl.rules, decl.constants
        default = rules.get("default")
        if default is None:
            default = constants.get("default")
            if default is None:
                # A label starts with its constant value.
                default = constants.get("value")
        if isinstance(default, LastEntered):
            default = entered_last(turn, form, path, default)
        if default is None or default == "" or default is False:
            continue
        if is_rule(default):
            default = call_default(turn, f"{control.name}.default", default, control._owner)
        if isinstance(default, NthChoice):
            default = default.among(control._current("choices")) if isinstance(control, LiveChoice) else None
            default = (default,) if isinstance(control, LiveChoice) and decl.multiple and default is not None else default
        value = decl.coerce(default) if default is not None else None
        if isinstance(control, LiveChoice) and value is not None:
            choices = control._current("choices")
            # A default that isn't offered would be cleared at once, with an event that no one caused.
            if not all(item in choices for item in (value if decl.multiple else (value,))):
                continue
        control._value = value if value is not None else control._plan.blank


def entered_last(turn: Turn, form: Form, path: str, default: LastEntered) -> Any:
    """Return the value entered last in a control, or `first` until there is one."""
    entered = turn.engine.last_entered.get((type(form), path))
    blank = form._state.controls[path]._plan.blank
    # A blank field has nothing to start with, but an empty tick box was unticked by the user.
    return default.first if entered is None or (entered == blank and blank is not False) else entered


def call_default(turn: Turn, what: str, rule: Callable[..., Any], owner: object) -> Any:
    """Run a default's function, which can't set anything or wait."""
    engine = turn.engine
    engine.tracker = {}
    try:
        return rule(owner)
    except Exception as error:
        raise engine.failed(error, rule, f"the rule {what}") from error
    finally:
        engine.tracker = None


def checked_params(form: type[Form], params: Mapping[str, Any]) -> dict[str, Any]:
    """Return the parameters with defaults; raise for unknown, missing or wrong ones."""
    plan = form._plan
    if not plan.params and not params:
        return {}
    for name in params:
        if name not in plan.params:
            known = [*plan.params, "hiding", "place", "at", "only"]
            raise UnknownName(f"{form.__name__} has no parameter '{name}'; {suggest(name, known)}")
    missing = [name for name, param in plan.params.items() if param.default is MISSING and name not in params]
    if missing:
        raise UnknownName(
            f"{form.__name__} needs {', '.join(missing)}; pass it by name, for example open({form.__name__}, {missing[0]}=…)"
        )
    # Only plain types are checked: anything else is for the type checker.
    hints = hints_of(form, plan)
    given = {name: params.get(name, param.default) for name, param in plan.params.items()}
    for name, value in given.items():
        wanted = hints.get(name)
        if isinstance(wanted, type) and not isinstance(value, WIDER.get(wanted, wanted)):
            raise TypeError(f"{form.__name__}: expected {name}={wanted.__name__}, not {short(value)}")
    return given


def hints_of(form: type[Form], plan: FormPlan) -> Mapping[str, Any]:
    """Return the types that parameters are annotated with, if they can be resolved."""
    if plan.hints is None:
        hints: dict[str, Any] = {}
        for base in reversed(form.__mro__):
            known = vars(sys.modules[base.__module__]) if base.__module__ in sys.modules else {}
            for name, hint in vars(base).get("__annotations__", {}).items():
                if name in plan.params:
                    hints.update(resolved(name, hint, known))
        plan.hints = hints
    return plan.hints


def resolved(name: str, hint: object, known: dict[str, Any]) -> dict[str, Any]:
    """Return an annotation as a type; nothing if a name is only known to type checkers."""
    annotated = type("Annotated", (), {"__annotations__": {name: hint}})
    try:
        return get_type_hints(annotated, globalns=known)
    except Exception:
        return {}
