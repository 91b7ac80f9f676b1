"""The outcome of a form: a snapshot of its values."""

from __future__ import annotations

from typing import Any

from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.live_lists import LiveLines
from fuselatch.core.forms.placing import values_of
from fuselatch.core.model.outcome import CANCELLED, Outcome


def submitted_value(control: LiveValue[Any]) -> Any:
    """Return a control's value, or blank if it is hidden or disabled."""
    return control._current("value") if control._is_usable else control._plan.blank


def line_values(lines: LiveLines[Any], line: Any) -> dict[str, Any]:
    """Return a line's values by path."""
    return {
        path: submitted_value(control) for path, control in values_of(lines, line).items() if isinstance(control, LiveValue)
    }


def outcome_of(form: OpenForm, verdict: str) -> Outcome:
    """Return a snapshot of the form's values.

    Hidden and disabled controls are blank. A cancelled outcome has no values.
    """
    if verdict == CANCELLED:
        return Outcome(verdict, {})
    values: dict[str, Any] = {}
    for path, control in form._state.controls.items():
        if isinstance(control, LiveLines):
            values[path] = tuple([line_values(control, line) for line in control._rows]) if control._is_usable else ()
        elif isinstance(control, LiveValue) and "#" not in path:
            values[path] = submitted_value(control)
    return Outcome(verdict, values, form._state.overrides)
