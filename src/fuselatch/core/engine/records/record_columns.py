"""Map rows to controls: columns, values, and the values written back."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from fuselatch.core.engine.looking.edited import differs
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.live_state import AnyControl, is_left_out, is_masked, seen
from fuselatch.core.forms.plans import ControlPlan
from fuselatch.core.model.errors import RecordError, UnknownName
from fuselatch.core.model.names import suggest
from fuselatch.core.model.record_changes import Record
from fuselatch.core.model.values import MASK, adapted, alike, anyhow, short_text


def bound_columns(
    form: OpenForm, controls: Mapping[str, Any], columns: Sequence[str], source: str
) -> dict[str, LiveValue[object]]:
    """Return the control for each column, by `column=`, by name, or by heading."""
    bound: dict[str, LiveValue[object]] = {}
    headings = {heading_as_name(column): column for column in columns}
    for name, control in controls.items():
        if not control._plan.is_input or control._rule:
            continue
        wanted = control._decl.constants.get("column", "")
        column = column_for(name, control._decl, columns, headings)
        # A source without rows may not know its columns.
        if column in columns or not columns:
            bound[column] = control
        elif wanted:
            raise UnknownName(f"{form._state.name}.{name}: '{source}' has no column '{wanted}'; {suggest(wanted, columns)}")
    return bound


def column_for(name: str, decl: Any, columns: Sequence[str], headings: Mapping[str, str]) -> str:
    """Return the column that a control shows."""
    wanted: str = decl.constants.get("column", "")
    return wanted or (name if name in columns else headings.get(name, name))


def declared_types(plans: Mapping[str, ControlPlan], columns: Sequence[str]) -> dict[str, type | None]:
    """Return the type that each column has for the control that shows it; None if the control takes any."""
    headings = {heading_as_name(column): column for column in columns}
    return {
        column_for(name, plan.decl, columns, headings): plan.decl.of_record
        for name, plan in plans.items()
        if plan.is_input and "value" not in plan.decl.rules
    }


def heading_as_name(heading: str) -> str:
    """Return a column's heading as a control name: "Home port" is home_port."""
    return "_".join(re.findall(r"\w+", heading.casefold()))


def must_be_column(column: str, columns: Sequence[str], source: str) -> None:
    """Refuse a column that a source doesn't have."""
    if columns and column not in columns:
        raise UnknownName(f"'{source}' has no column '{column}'; {suggest(column, columns)}")


def values_by_column(bound: Mapping[str, LiveValue[object]]) -> dict[str, object]:
    """Return values by column, without controls that are left out."""
    return {
        column: none_of(control._current("value"), control) for column, control in bound.items() if not is_left_out(control)
    }


def bring(turn: Turn, control: AnyControl, value: object, where: str, column: str) -> None:
    """Set a control to a column's value. `where` names the row in messages."""
    decl = control._decl
    try:
        wanted = decl.of_record
        if value is not None and wanted is not None:
            value = adapted(value, wanted)
        stored = control._plan.blank if value is None or value == "" else decl.coerce(value)
    except TypeError as error:
        caption, shown = str(seen(control, "caption")), MASK if is_masked(control) else short_text(anyhow(value))
        raise RecordError(where, column, str(error), caption, shown) from None
    if control._plan.offers:
        stored = decl.of_column(control, stored)
        turn.set(control, "_brought", stored)
    put_silently(turn, control, stored)


def lay_under(turn: Turn, bound: Mapping[str, object], before: Record, fresh: Record, where: str) -> None:
    """Show what differs in a row that was read again, in the columns that the user left as they were."""
    for column, control in bound.items():
        if not differs(control) and before.get(column) != fresh.get(column):
            bring(turn, control, fresh.get(column), where, column)


def lay_over(turn: Turn, bound: Mapping[str, Any], stored: Record, where: str) -> None:
    """Show a row as the store has it now, in the columns that the user hasn't entered anything in since."""
    for column, control in bound.items():
        value = stored.get(column)
        if column in stored and not differs(control) and not alike(none_of(control._value, control), value):
            bring(turn, control, value, where, column)


def none_of(value: object, control: LiveValue[object]) -> object:
    """Return a value as a column stores it: a blank is None."""
    return None if value == control._plan.blank and value is not False else value


def put_silently(turn: Turn, control: LiveValue[object], value: object) -> None:
    """Set a value without events, as when a form opens."""
    turn.set(control, "_value", value)
    turn.session.dirty.invalidate(control, "value", turn.cause)
