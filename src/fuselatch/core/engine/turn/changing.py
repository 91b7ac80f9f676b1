"""Set values, properties and what else a form shows, within a turn."""

from __future__ import annotations

from fuselatch.core.engine.rules.drafts import drop_draft
from fuselatch.core.engine.rules.rows import look, stage
from fuselatch.core.engine.rules.rule_cells import is_as_is
from fuselatch.core.engine.rules.scheduler import property_differs
from fuselatch.core.engine.rules.session_nodes import SharedNode
from fuselatch.core.engine.state.session_state import NO_MESSAGE, SessionState
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import AnyControl, ControlState, current, is_masked
from fuselatch.core.forms.prompts import Tone
from fuselatch.core.model.choices import choices_of
from fuselatch.core.model.errors import FormClosed, NotAllowedHere, RuleError
from fuselatch.core.model.properties import PROPERTIES
from fuselatch.core.model.record_changes import Change
from fuselatch.core.model.trace_rows import add_row
from fuselatch.core.model.values import same


def may_change(session: SessionState, form: OpenForm, name: str, ruled: bool = False) -> None:
    """Refuse to change something of a form where that isn't allowed. `name` is for messages."""
    if session.port.tracker is not None:
        raise RuleError(f"a rule, check or default can't set {name}; set it in a handler")
    if session.closing:
        raise NotAllowedHere(f"the session is closing: {name} can't be set")
    if ruled:
        raise RuleError(f"{name} has a rule and can't be set; change what the rule reads")
    if form._state.phase == "closed":
        raise FormClosed(f"{name} can't be set: the form is closed (you can still read it)")


def exact_value(control: ControlState, value: object) -> object:
    """Return a value as the control's exact type; raise `TypeError` or `ValueError`."""
    if type(value) is control._plan.as_is and is_as_is(value):
        return value
    name = f"{type(control.form).__name__}.{control.name}"
    try:
        exact: object = control._decl.coerce(value)
    except TypeError as error:
        raise TypeError(f"{name}: {error}") from None
    if exact is None:
        return control._plan.blank
    ready: object = control._decl.exact(control, exact, name)
    return ready


def put(turn: Turn, control: ControlState, value: object) -> None:
    """Set a value and drop its control's draft."""
    if control._draft is not None:
        drop_draft(turn, control)
    turn.put_value(control, value, turn.cause)


def put_property(turn: Turn, control: ControlState, prop: str, value: object) -> None:
    """Set a property that has no rule."""
    old = control._current(prop)
    if same(old, value):
        return
    if PROPERTIES[prop].follows:
        # A control with cells or settings isn't read by the short way.
        control._cells = {} if control._cells is None else control._cells
    turn.set_item(control, "_set", prop, value)
    cause = turn.note("change", control, prop, old, value)
    dirty = turn.session.dirty
    dirty.invalidate(control, prop, cause)
    follows = PROPERTIES[prop].follows
    if follows:
        dirty.invalidate(control, follows, cause)
    property_differs(turn, control, prop, cause)


def add_choice(turn: Turn, control: AnyControl, entry: str) -> None:
    """Add an item to a choice: a row of its catalog's source, or an item of this form."""
    rule = control._decl.rules.get("choices")
    if isinstance(rule, Catalog):
        if rule.frame is not None:
            raise NotAllowedHere(f"{control.name} has its items from a data frame, which nothing can be added to")
        given = [current(control._state.controls[path], "value") for path in control._plan.inputs["choices"]]
        row = {rule.text: entry, rule.value: entry, **dict(zip(rule._equal, given, strict=False)), **dict(rule.fixed)}
        stage(turn, Change("add", rule.source, None, row), None)
    elif rule is None:
        put_property(turn, control, "choices", choices_of([*control.choices, entry]))


def put_message(turn: Turn, form: OpenForm, text: str, tone: Tone, stays: bool = False) -> None:
    """Set a form's message line."""
    turn.note_form("change", form, "message", None, text)
    turn.set_item(turn.session, "messages", form, (text, tone, stays))
    turn.said = (*turn.said, form)


def drop_message(turn: Turn, form: OpenForm) -> None:
    """Take away what an earlier gesture has said, unless it is to stay."""
    text, _, stays = turn.session.messages.get(form, NO_MESSAGE)
    if text and not stays and form not in turn.said:
        turn.note_form("change", form, "message", text, "")
        turn.set_item(turn.session, "messages", form, NO_MESSAGE)


def put_title(turn: Turn, form: OpenForm, title: str) -> None:
    """Set a form's title."""
    if form.title != title:
        cause = turn.note_form("change", form, "title", form.title, title)
        turn.set(form._state, "title", title)
        turn.session.dirty.invalidate(form._state, "title", cause)


def put_hidden(turn: Turn, form: OpenForm, hidden: bool) -> None:
    """Hide a form, or show it again."""
    state = form._state
    if state.hidden is not hidden:
        turn.note_form("change", form, "hidden", state.hidden, hidden)
        turn.set(state, "hidden", hidden)
        turn.set(state, "kept_hidden", hidden and turn.handler is None)
        turn.session.stack.find_front()


def put_sort(turn: Turn, table: AnyControl, sort: tuple[str, bool]) -> None:
    """Sort a table by a column, descending or not."""
    if table._sort != sort:
        described = [f"{name} descending" if down else name for name, down in (table._sort, sort)]
        cause = turn.note("change", table, "sort", *described)
        turn.set(table, "_sort", sort)
        turn.session.dirty.invalidate(table, "sort", cause)


def put_shared(turn: Turn, node: SharedNode, value: object) -> None:
    """Set a shared value of the session."""
    if same(node.value, value):
        return
    cause = 0
    if turn.rows is not None:
        cause = add_row(turn.rows, turn.cause, "change", "", node.name, "value", node.value, value)
    turn.set(node, "value", value)
    node.differs(cause)


def refresh_rules(turn: Turn, form: OpenForm) -> None:
    """Run every rule of a form again."""
    look(turn)
    dirty = turn.session.dirty
    for cell in form._state.rules():
        cell.forced = True
        dirty.invalidate_cell(cell, turn.cause)
        dirty.invalidate(cell.node, cell.prop, turn.cause)


def note_stale(turn: Turn, control: ControlState, by_rule: bool) -> None:
    """Note once per gesture that a value was read while its control has a draft."""
    if turn.rows is None or (turn.handler is None and not by_rule):
        return
    if turn.stale is None:
        turn.stale = set()
    if control not in turn.stale:
        turn.stale.add(control)
        turn.note("stale", control, "value", None, "•" if is_masked(control) else control._draft)
