"""Move the pointer. `hovered` and `unhovered` come in pairs, and nothing can wait."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form


def point(turn: Turn, target: Any) -> None:
    """Move the pointer to a control, or off all controls (None)."""
    engine = turn.engine
    if engine.hovered is target:
        return
    before, turn.pointing = turn.pointing, True
    try:
        unpoint(turn)
        if target is not None:
            turn.set(engine, "hovered", target)
            turn.happen("hovered", target.form, target)
    finally:
        turn.pointing = before


def unpoint(turn: Turn) -> None:
    """Move the pointer off its control."""
    engine = turn.engine
    left = engine.hovered
    if left is None:
        return
    turn.set(engine, "hovered", None)
    before, turn.pointing = turn.pointing, True
    try:
        turn.happen("unhovered", left.form, left)
    finally:
        turn.pointing = before


def release(turn: Turn, covering: Form | None) -> None:
    """Move the pointer off a control that disappeared or gets covered."""
    hovered = turn.engine.hovered
    if hovered is None:
        return
    gone = not hovered.form.is_open or not hovered._has("visible") or turn.engine.covered(hovered.form)
    if gone or (covering is not None and hovered.form is not covering):
        unpoint(turn)
