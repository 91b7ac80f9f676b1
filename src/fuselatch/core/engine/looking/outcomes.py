"""The outcome of a form: a snapshot of its values."""

from __future__ import annotations

from fuselatch.core.forms.container import OpenForm
from fuselatch.core.model.outcome import CANCELLED, Outcome


def outcome_of(form: OpenForm, verdict: str) -> Outcome:
    """Return a snapshot of the form's values.

    What a rule or a handler hides or disables is blank. A cancelled outcome has no values.
    """
    if verdict == CANCELLED:
        return Outcome(verdict, {})
    values: dict[str, object] = {}
    masked: set[str] = set()
    for path, control in form._state.controls.items():
        decl = control._decl
        if (control._plan.holds_value and "#" not in path) or decl.has_lines:
            values[path] = decl.outcome(control)
        if form._engine.has_masks:
            masked.update(decl.masked_paths(control, path))
    return Outcome(verdict, values, form._state.overrides, frozenset(masked))
