"""Add, remove and move lines under a form."""

from __future__ import annotations

from collections.abc import Mapping

from fuselatch.core.engine.records.line_order import append, cells_of, made, path_of, show
from fuselatch.core.engine.records.submitting import validate_form, veto
from fuselatch.core.engine.rules.default_values import set_defaults_of
from fuselatch.core.engine.rules.rule_cells import make_ready
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn.changing import exact_value, may_change, put
from fuselatch.core.engine.turn.loop import drain, happen
from fuselatch.core.forms.container import Container
from fuselatch.core.forms.line_lists import LineList
from fuselatch.core.forms.placing import inner_plan, values_of
from fuselatch.core.forms.plans import joined
from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.names import suggest


def add(turn: Turn, lines: LineList, values: Mapping[str, object]) -> Container | None:
    """Add a line at the end; return None if it was blocked or refused."""
    form, decl = lines.form, lines._decl
    if decl.max_items is not None and len(lines._rows) >= decl.max_items:
        veto(turn, form, "line", turn.session.text("lines.most", caption=lines.caption, most=decl.max_items))
        return None
    if decl.records and form._state.records.key is None and not parent_kept(turn, lines):
        return None
    before, turn.cause = turn.cause, turn.note("step", lines, "add line")
    try:
        reason = happen(turn, "line_adding", form, lines)
        if reason is not None:
            veto(turn, form, "line_adding", reason)
            return None
        line = made(turn, lines)
        set_defaults_of(turn, form, [joined(path_of(line), path) for path in inner_plan(lines).defaulted])
        make_ready(turn.session, cells_of(lines, line))
        append(turn, lines, line)
        controls = values_of(lines, line)
        for name, value in values.items():
            if name not in controls:
                raise TypeError(f"{lines.name}: lines have no control '{name}'; {suggest(name, controls)}")
            control = controls[name]
            may_change(turn.session, form, f"{type(form).__name__}.{control.name}.value", control._rule)
            put(turn, control, exact_value(control, value))
        happen(turn, "line_added", form, lines, None, line)
        return line
    finally:
        turn.cause = before


def parent_kept(turn: Turn, lines: LineList) -> bool:
    """Save the record that a line will belong to, if declared; return False if refused."""
    form = lines.form
    if lines._decl.new_parent == "together":
        return True
    if lines._decl.new_parent == "save_first":
        return bool(form._state.records.save_now(turn))
    validate_form(turn, form)
    return veto(turn, form, "line", turn.session.text("notice.save_first", caption=lines.caption))


def remove(turn: Turn, lines: LineList, line: Container) -> bool:
    """Remove a line; return False if it was blocked."""
    must_have(lines, line)
    before, turn.cause = turn.cause, turn.note("step", lines, "remove line")
    try:
        reason = happen(turn, "line_removing", lines.form, lines, line, None)
        if reason is not None:
            return veto(turn, lines.form, "line_removing", reason)
        if line in lines._written:
            turn.set_item(lines, "_gone", line, lines._written[line])
        show(turn, lines, tuple(one for one in lines._rows if one is not line))
        drain(turn)
        return True
    finally:
        turn.cause = before


def reorder(turn: Turn, lines: LineList, line: Container, to: int) -> None:
    must_have(lines, line)
    if not 0 <= to < len(lines._rows):
        raise ValueError(f"{lines.name} has no position {to}; positions are 0 to {len(lines._rows) - 1}")
    rest = [one for one in lines._rows if one is not line]
    show(turn, lines, (*rest[:to], line, *rest[to:]))
    drain(turn)


def must_have(lines: LineList, line: Container) -> None:
    """Refuse a line that isn't there."""
    if line not in lines._rows:
        raise NotAllowedHere(f"{line!r} isn't a line of {type(lines.form).__name__}.{lines.name} (or was removed)")
