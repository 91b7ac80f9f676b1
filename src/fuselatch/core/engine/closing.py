"""Submitting, and the free way out."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from fuselatch.core.engine.waiting import ask
from fuselatch.core.forms.controls import LiveEntry, LiveValue
from fuselatch.core.forms.plans import Handler
from fuselatch.core.model.findings import Finding, Override
from fuselatch.core.model.outcome import ACCEPTED, CANCELLED, Outcome

if TYPE_CHECKING:
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form

Found = tuple[tuple[LiveEntry[Any, Any], Finding], ...]


def submit(turn: Turn, form: Form, trigger: Handler | None = None) -> bool:
    """Settle, check, confirm warnings, raise `accepting`, and close; False where something held it back."""
    before, turn.cause = turn.cause, turn.note_form("step", form, "submit")
    try:
        confirmed: set[tuple[str, str]] = set()
        if not in_order(turn, form, confirmed):
            return False
        event = turn.happen("accepting", form, None)
        if event is not None and event._reason is not None:
            return held(turn, form, "accepting", event._reason)
        # What an accepting handler has set is looked at again.
        return in_order(turn, form, confirmed) and close(turn, form, ACCEPTED)
    finally:
        turn.cause = before


def in_order(turn: Turn, form: Form, confirmed: set[tuple[str, str]]) -> bool:
    """Whether nothing refuses, and every warning is confirmed."""
    refusing, warning = judged(turn, form)
    if refusing:
        point_out(turn, form, refusing)
        control, finding = refusing[0]
        return held(turn, form, "check", f"{control.caption}: {finding.text}")
    asked = [(control, finding) for control, finding in warning if (control.name, finding.text) not in confirmed]
    if not asked:
        return True
    lines = "\n".join(f"{control.caption}: {finding.text}" for control, finding in asked)
    prompt = form.warnings_prompt
    if ask_here(turn, form, lines) == prompt.cancel:
        point_out(turn, form, tuple(asked))
        return held(turn, form, "warnings", "gone back to the form")
    confirmed.update((control.name, finding.text) for control, finding in asked)
    when = turn.session.now().isoformat() if turn.session.clock is not None else ""
    overrides = tuple(Override(control.name, finding.text, turn.session.user, when) for control, finding in asked)
    turn.undo.append((form._state, "overrides", form._state.overrides))
    form._state.overrides += overrides
    # While the person was looking, a program may have changed what was judged.
    return in_order(turn, form, confirmed)


def ask_here(turn: Turn, form: Form, lines: str) -> str:
    """Put the form's warnings prompt; no handler of the author asks it, so it stands in for one."""
    before, turn.handler = turn.handler, turn.handler or ENGINE
    try:
        return ask(turn.session, form, form.warnings_prompt, {"warnings": lines})
    finally:
        turn.handler = before


ENGINE = Handler("the form itself", lambda: None, False)


def judged(turn: Turn, form: Form) -> tuple[Found, Found]:
    """Judge all controls and show what is found; gives what refuses, and what warns."""
    updates = turn.session.updates
    refusing: list[tuple[LiveEntry[Any, Any], Finding]] = []
    warning: list[tuple[LiveEntry[Any, Any], Finding]] = []
    for control in form._state.order:
        if not isinstance(control, LiveEntry):
            continue
        updates.judge(turn, control)
        mark(turn, control)
        for finding in control._findings:
            (refusing if finding.level == "refuse" else warning).append((control, finding))
    updates.unjudged.clear()
    return tuple(refusing), tuple(warning)


def mark(turn: Turn, control: LiveEntry[Any, Any]) -> None:
    """Let a control show its findings from now on."""
    if not control._marked:
        turn.undo.append((control, "_marked", False))
        control._marked = True


def point_out(turn: Turn, form: Form, found: Found) -> None:
    """Put the focus on the first control of those found."""
    turn.session.put_focus(turn, form, found[0][0])


def held(turn: Turn, form: Form, what: str, reason: str) -> bool:
    """Note that something held the form back, and say so on the view."""
    turn.note_form("hold", form, what, None, reason)
    turn.session.notice = reason
    return False


def close(turn: Turn, form: Form, verdict: str) -> bool:
    """Raise `closing`, take the values, raise `submitted` and `closed`; False where it was held."""
    session, state = turn.session, form._state
    turn.undo.append((state, "phase", state.move("closing")))
    before, turn.cause = turn.cause, turn.note_form("step", form, "close", None, verdict)
    try:
        event = turn.happen("closing", form, None, None, verdict)
        if event is not None and event._reason is not None:
            state.move("open")
            return held(turn, form, "closing", event._reason)
        turn.undo.append((state, "outcome", state.outcome))
        state.outcome = outcome_of(form, verdict)
        if verdict == ACCEPTED:
            turn.happen("submitted", form, None)
        state.move("closed")
        session.take_away(turn, form)
        turn.note_form("close", form, verdict)
        turn.happen("closed", form, None, None, verdict)
    finally:
        turn.cause = before
    session.hand_over(turn, form)
    return True


def leave(turn: Turn, form: Form, verdict: str) -> bool:
    """The free way out: nothing settles, no check runs, and if a handler fails the form closes all the same."""
    turn.way_out = (form, verdict)
    if close(turn, form, verdict):
        return True
    turn.way_out = None
    return False


def leave_without_handlers(turn: Turn, form: Form, verdict: str) -> None:
    """Close a form whose handler failed on the way out."""
    state = form._state
    if state.phase != "closing":
        state.move("closing")
    state.outcome = outcome_of(form, verdict)
    state.move("closed")
    turn.session.take_away(turn, form)
    turn.note_form("close", form, verdict)
    turn.session.hand_over(turn, form)
    turn.undo.clear()


def outcome_of(form: Form, verdict: str) -> Outcome:
    """A snapshot of the form's values; hidden and disabled ones are blank in it, a cancelled one has none."""
    if verdict == CANCELLED:
        return Outcome(verdict, {})
    values: dict[str, Any] = {}
    for path, control in form._state.controls.items():
        if isinstance(control, LiveValue):
            in_use = control.enabled and control.visible
            values[path] = control._current("value") if in_use else control._plan.blank
    return Outcome(verdict, values, form._state.overrides)
