"""Drafts: typed text that isn't settled yet."""

from __future__ import annotations

from typing import Any

from fuselatch.core.engine.state import Turn
from fuselatch.core.forms.controls import LiveInput


def end_preview(turn: Turn, control: Any) -> None:
    """Show findings of values again, at a control and where it was checked with others."""
    shown = (control._state.controls[check.at] for check in control._plan.checked_by)
    for each in (control, *shown):
        if each._preview is not None:
            turn.set(each, "_preview", None)


def drop_draft(turn: Turn, control: Any) -> None:
    """Drop a draft, and the finding that it can't be parsed."""
    if control._draft is not None:
        turn.set(control, "_draft", None)
    if isinstance(control, LiveInput):
        end_preview(turn, control)
        if control._trouble is not None:
            turn.set(control, "_trouble", None)
            turn.session.dirty.invalidate(control, "trouble", turn.cause)
            turn.session.dirty.revalidate(control)
