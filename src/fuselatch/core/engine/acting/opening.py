"""Open a form: parameters, defaults, derived values, `opened`, focus, `entered`."""

from __future__ import annotations

import sys
from collections.abc import Mapping
from typing import Any, get_type_hints

from fuselatch.core.engine.records.bound_records import Records
from fuselatch.core.engine.records.record_columns import must_be_column
from fuselatch.core.engine.records.storing import commit
from fuselatch.core.engine.rules.default_values import set_defaults
from fuselatch.core.engine.rules.rows import columns_of, look
from fuselatch.core.engine.rules.rule_cells import install, make_ready
from fuselatch.core.engine.rules.validation import follow_before_wait
from fuselatch.core.engine.state.failure import tell
from fuselatch.core.engine.state.offers import Offers
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import OwnQueue, Turn
from fuselatch.core.engine.state.waiting import DialogWait
from fuselatch.core.engine.turn import focus
from fuselatch.core.engine.turn.loop import happen
from fuselatch.core.engine.turn.pointing import give_way
from fuselatch.core.engine.turn.waits import may_wait, wait_for
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.manner import USUAL, Manner
from fuselatch.core.forms.params import MISSING
from fuselatch.core.forms.placing import make
from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.model.cells import Undoable
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import CANCELLED, Outcome
from fuselatch.core.model.values import short

WIDER: Mapping[type, tuple[type, ...]] = {float: (float, int), complex: (complex, float, int)}
"""Types that accept others, as in the numeric tower of PEP 484."""


def open_form(
    turn: Turn, form: type[Form], params: Mapping[str, object], opener: OpenForm | None, how: Manner = USUAL
) -> Form:
    """Open a form within a turn. Any error fails the turn."""
    session = turn.session
    stack = session.stack
    given = checked_params(form, params)
    opened = make(form, session.plan_of(form), session.port, opener, *stack.next_serial(form))
    state = opened._state
    session.port.has_masks |= state.plan.has_masks
    state.manner = how
    if state.plan.idle is not None and session.clock is not None and session.quiet_since is None:
        session.quiet_since = session.read_clock()
    opened.__dict__.update(given)
    turn.set(Opening(session, opened), "done", True)
    if stack.first is None:
        turn.set(stack, "first", opened)
    stack.bring_to_front(turn, opened)
    # No one waits for it.
    shown = "shown" if opener is not None and not state.manner.modal else None
    before, turn.cause = turn.cause, turn.note_form("open", opened, form._plan.name, None, shown)
    for path in state.plan.tables:
        table: Any = state.controls[path]._decl
        if table.made is not None:
            continue
        catalog = table.rules["choices"]
        there = columns_of(session, catalog.source) if catalog.frame is None else list(catalog.frame.columns)
        for column in table.columns:
            must_be_column(column, there, catalog.source)
    cells = install(session, opened)
    set_defaults(turn, opened)
    look(turn)
    if state.plan.records:
        state.records = Records(session, opened, state.plan.records)
    if session.observers:
        tell(session, "opened", opened)
    make_ready(session, cells)
    turn.set(state, "phase", state.after("open"))
    if state.records is not None:
        state.records.begin(turn)
    happen(turn, "opened", opened, None)
    if state.phase != "closed" and state.focus is None:
        focus.enter(turn, opened, focus.next_focusable(opened, None, 1))
    turn.cause = before
    return opened


def open_within(turn: Turn, form: type[Form], params: Mapping[str, object], opener: OpenForm | None, how: Manner) -> Form:
    """Open a form within a running handler."""
    with OwnQueue(turn):
        return open_form(turn, form, params, opener, how)


def open_dialog(
    session: SessionState, form: OpenForm | None, child: type[Form], params: Mapping[str, object], how: Manner
) -> Outcome:
    """Open a modal dialog and wait until it closes."""
    turn = may_wait(session, "open", child)
    opened = open_within(turn, child, params, form, how)
    follow_before_wait(turn)
    give_way(turn, opened)
    # A dialog can stay open for long, and reads the same store.
    if turn.writes is not None:
        commit(turn)
    if opened._state.phase == "closed":
        return opened._state.outcome or Outcome(CANCELLED, {})
    outcome: Outcome = wait_for(turn, DialogWait(turn, form, opened))
    return outcome


class Opening(Undoable):
    """A form that a gesture opened. If the gesture fails, the form is closed."""

    __slots__ = ("done", "form", "session")

    def __init__(self, session: SessionState, form: Form) -> None:
        self.session = session
        self.form = form
        self.done = False

    def _restored(self, name: str) -> None:
        self.form._state.phase = "closed"  # not undone: this is the undo
        self.session.stack.drop(self.form)


def checked_params(form: type[Form], params: Mapping[str, object]) -> dict[str, object]:
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
            f"{form.__name__} needs {', '.join(missing)}; pass each by name: "
            f"open({form.__name__}, {missing[0]}=…) in a handler, "
            f"or Scene({form.__name__}, {missing[0]}=…) in a scene function"
        )
    # Only plain types are checked: anything else is for the type checker.
    hints = hints_of(form, plan)
    given = {name: params.get(name, param.default) for name, param in plan.params.items()}
    for name, value in given.items():
        wanted = hints.get(name)
        if isinstance(wanted, type) and not isinstance(value, WIDER.get(wanted, wanted)):
            raise TypeError(f"{form.__name__}: expected {name}={wanted.__name__}, not {short(value)}")
    return given


def must_fit(offers: Offers) -> None:
    """Refuse parameters that an offered form doesn't take. Missing ones are reported when it is opened."""
    for offer in offers.by_name.values():
        if offer.params:
            checked_params(offer.form, offer.params)


def hints_of(form: type[Form], plan: FormPlan) -> Mapping[str, object]:
    """Return the types that parameters are annotated with, if they can be resolved."""
    if plan.hints is None:
        hints: dict[str, object] = {}
        for base in reversed(form.__mro__):
            known = vars(sys.modules[base.__module__]) if base.__module__ in sys.modules else {}
            for name, hint in vars(base).get("__annotations__", {}).items():
                if name in plan.params:
                    hints.update(resolved(name, hint, known))
        plan.hints = hints
    return plan.hints


def resolved(name: str, hint: object, known: dict[str, object]) -> dict[str, object]:
    """Return an annotation as a type; nothing if a name is only known to type checkers."""
    annotated = type("Annotated", (), {"__annotations__": {name: hint}})
    try:
        return get_type_hints(annotated, globalns=known)
    except Exception:
        return {}
