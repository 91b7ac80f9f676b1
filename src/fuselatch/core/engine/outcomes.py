"""The outcome of a form: a snapshot of its values."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.live_lists import LiveLines
from fuselatch.core.forms.live_state import ControlState, is_masked
from fuselatch.core.forms.placing import values_of
from fuselatch.core.model.outcome import CANCELLED, Outcome


def is_left_out(control: ControlState) -> bool:
    """Return True if a rule or a handler hides or disables a control, or a group around it: it has no value then.

    What the developer has declared as hidden or disabled keeps its value, until a handler changes that.
    """
    around: ControlState | None = control
    while around is not None:
        decided = around._set or {}
        for prop in ("enabled", "visible"):
            if (prop in around._decl.rules or prop in decided) and not around._current(prop):
                return True
        around = around._outer
    return False


def submitted_value(control: LiveValue[Any]) -> Any:
    """Return a control's value, or blank if it is left out."""
    return control._plan.blank if is_left_out(control) else control._current("value")


def line_values(lines: LiveLines[Any], line: Any) -> dict[str, Any]:
    """Return a line's values by path."""
    return {
        path: submitted_value(control) for path, control in values_of(lines, line).items() if isinstance(control, LiveValue)
    }


def outcome_of(form: OpenForm, verdict: str) -> Outcome:
    """Return a snapshot of the form's values.

    What a rule or a handler hides or disables is blank. A cancelled outcome has no values.
    """
    if verdict == CANCELLED:
        return Outcome(verdict, {})
    values: dict[str, Any] = {}
    masked: set[str] = set()
    for path, control in form._state.controls.items():
        if isinstance(control, LiveLines):
            values[path] = tuple([line_values(control, line) for line in control._rows]) if not is_left_out(control) else ()
        elif isinstance(control, LiveValue) and "#" not in path:
            values[path] = submitted_value(control)
        if form._engine.has_masks:
            masked.update(masked_in(path, control))
    return Outcome(verdict, values, form._state.overrides, frozenset(masked))


def masked_in(path: str, control: ControlState) -> Iterator[str]:
    """Yield the paths of masked values: the control's own, or those in its lines."""
    if isinstance(control, LiveLines):
        for line in control._rows:
            yield from (f"{path}.{name}" for name, one in values_of(control, line).items() if is_masked(one))
    elif is_masked(control):
        yield path
