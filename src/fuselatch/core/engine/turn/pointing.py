"""Move the pointer. `hovered` and `unhovered` come in pairs, and nothing can wait."""

from __future__ import annotations

from typing import Any

from fuselatch.core.engine.state.turns import OwnQueue, Turn
from fuselatch.core.engine.turn.loop import happen
from fuselatch.core.forms.container import OpenForm


def point(turn: Turn, target: Any) -> None:
    """Move the pointer to a control, or off all controls (None)."""
    session = turn.session
    if session.hovered is target:
        return
    before, turn.pointing = turn.pointing, True
    try:
        unpoint(turn)
        if target is not None:
            turn.set(session, "hovered", target)
            happen(turn, "hovered", target.form, target)
    finally:
        turn.pointing = before


def unpoint(turn: Turn) -> None:
    """Move the pointer off its control."""
    session = turn.session
    left = session.hovered
    if left is None:
        return
    turn.set(session, "hovered", None)
    before, turn.pointing = turn.pointing, True
    try:
        happen(turn, "unhovered", left.form, left)
    finally:
        turn.pointing = before


def release(turn: Turn, covering: OpenForm | None) -> None:
    """Move the pointer off a control that disappeared or gets covered."""
    session = turn.session
    hovered = session.hovered
    if hovered is None:
        return
    gone = not hovered.form.is_open or not hovered._has("visible") or session.stack.covered(hovered.form)
    if gone or (covering is not None and hovered.form is not covering):
        unpoint(turn)


def give_way(turn: Turn, covering: OpenForm | None) -> None:
    """Within a handler: move the pointer off what a form will cover; off any control for a prompt (None)."""
    if turn.session.hovered is None:
        return
    with OwnQueue(turn):
        if covering is None:
            unpoint(turn)
        else:
            release(turn, covering)
