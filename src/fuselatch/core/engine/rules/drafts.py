"""Drafts: typed text that isn't settled yet."""

from __future__ import annotations

from fuselatch.core.engine.state.failure import place_outside
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.live_state import AnyControl
from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.values import Unparsable, Value, short_text


def parsed(session: SessionState, control: AnyControl, draft: str) -> Value:
    """Return the value that a draft means, or a blank: the one guard around every kind's parser.

    Raises `Unparsable`, also if the library or a locale can't handle the text. A kind of the developer's own that fails,
    or a rule that it reads, raises its own error.
    """
    decl = control._decl
    try:
        text = decl.settled(draft)
        return decl.parse(text, control, session.formats) if text else control._plan.blank
    except (Unparsable, FuseLatchError):
        raise
    except Exception as error:
        if place_outside(error) is not None:
            raise
        raise Unparsable(session.text("parse.unreadable", text=short_text(draft.strip()))) from error


def end_preview(turn: Turn, control: AnyControl) -> None:
    """Show findings of values again, at a control and where it was checked with others."""
    shown = (control._state.controls[check.at] for check in control._plan.checked_by)
    for each in (control, *shown):
        if each._preview is not None:
            turn.set(each, "_preview", None)


def drop_draft(turn: Turn, control: AnyControl) -> None:
    """Drop a draft, and the finding that it can't be parsed."""
    if control._draft is not None:
        turn.set(control, "_draft", None)
    if control._plan.is_input:
        end_preview(turn, control)
        if control._trouble is not None:
            turn.set(control, "_trouble", None)
            turn.session.dirty.invalidate(control, "trouble", turn.cause)
            turn.session.dirty.revalidate(control)
