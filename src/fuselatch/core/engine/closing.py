"""Submit and close forms."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from fuselatch.core.engine import focus, latching
from fuselatch.core.engine.waiting import DialogWait, PromptWait
from fuselatch.core.forms.controls import LiveInput, LiveValue
from fuselatch.core.forms.defaults import LastEntered
from fuselatch.core.forms.lines import told, values_of
from fuselatch.core.forms.live_lists import LiveLines
from fuselatch.core.forms.plans import CheckPlan
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.cells import UNSEEN
from fuselatch.core.model.findings import Finding, Override
from fuselatch.core.model.latch_records import LatchRecord
from fuselatch.core.model.outcome import ACCEPTED, CANCELLED, Outcome
from fuselatch.core.model.texts import TEXTS, user_text

if TYPE_CHECKING:
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form

Found = tuple[tuple[LiveInput[Any, Any], Finding], ...]


def submit(turn: Turn, form: Form) -> bool:
    """Settle, check, confirm warnings, raise `accepting` and close.

    Returns False if a finding, a handler or the user stopped it.
    """
    before, turn.cause = turn.cause, turn.note_form("step", form, "submit")
    try:
        focus.settle_all(turn, form)
        return may_submit(turn, form) and close(turn, form, ACCEPTED)
    finally:
        turn.cause = before


def may_submit(turn: Turn, form: Form) -> bool:
    """Check, confirm warnings and raise `accepting`; return False if it was stopped."""
    confirmed: set[tuple[str, str]] = set()
    if not in_order(turn, form, confirmed):
        return False
    reason = turn.happen("accepting", form, None)
    if reason is not None:
        return held(turn, form, "accepting", reason)
    # An `accepting` handler may have set values, so they are checked again. Confirmed warnings stay confirmed.
    return in_order(turn, form, confirmed)


def submit_and_go_on(turn: Turn, form: Form, then: str) -> bool:
    """Submit without closing: check, save a bound record and raise `submitted`.

    Returns False if it was stopped.
    """
    before, turn.cause = turn.cause, turn.note_form("step", form, "submit")
    try:
        focus.settle_all(turn, form)
        if not may_submit(turn, form):
            return False
        if form._state.records is not None:
            form._state.records.stage(turn)
        turn.set(form._state, "outcome", outcome_of(form, ACCEPTED))
        note_last(turn, form)
        turn.happen("submitted", form, None)
        return True
    finally:
        turn.cause = before


def in_order(turn: Turn, form: Form, confirmed: set[tuple[str, str]]) -> bool:
    """Return True if no finding refuses and the user confirmed every warning."""
    if not form.is_open:
        return False
    refusing, warning = validated(turn, form)
    if refusing:
        control, finding = refusing[0]
        focus.enter(turn, form, control)
        return held(turn, form, "check", user_text("notice.finding", caption=told(control), finding=finding.text))
    asked = []
    for control, finding in warning:
        if (control.name, finding.text) in confirmed:
            continue
        taken = latched(turn, form, control, finding)
        if taken is None:
            asked.append((control, finding))
        else:
            confirmed.add((control.name, finding.text))
            override(turn, form, [Override(control.name, finding.text, taken.user or turn.engine.session.user, taken.when)])
    if not asked:
        return True
    prompt = form.warnings_prompt
    lines = "\n".join(user_text("notice.finding", caption=told(control), finding=finding.text) for control, finding in asked)
    answer = turn.engine.ask_itself(turn, form, prompt, {"warnings": lines})
    if answer == prompt.cancel:
        focus.enter(turn, form, asked[0][0])
        return held(turn, form, "warnings", TEXTS["notice.warnings"])
    confirmed.update((control.name, finding.text) for control, finding in asked)
    engine = turn.engine
    when = engine.read_clock().isoformat() if engine.clock is not None else ""
    override(turn, form, [Override(control.name, finding.text, engine.session.user, when) for control, finding in asked])
    for control, finding in asked:
        check = check_of(control, finding)
        if check is not None and check.latch is not None:
            latching.set_latch(turn, form, check.latch, latch_name(form, check), answer)
    # A program may have changed what was checked while the prompt was open.
    return in_order(turn, form, confirmed)


def override(turn: Turn, form: Form, overrides: list[Override]) -> None:
    """Note the warnings that the user confirmed."""
    turn.set(form._state, "overrides", form._state.overrides + tuple(overrides))


def check_of(control: LiveInput[Any, Any], finding: Finding) -> CheckPlan | None:
    """Return the written check behind a finding, or None."""
    return next((check for check in control._plan.checks if check.name == finding.rule), None)


def latch_name(form: Form, check: CheckPlan) -> str:
    """Return the name of a check's latch in a log."""
    return f"{form._state.plan.name}.{check.name}"


def latched(turn: Turn, form: Form, control: LiveInput[Any, Any], finding: Finding) -> LatchRecord | None:
    """Return the record of a finding's latch, if it is set."""
    check = check_of(control, finding)
    if check is None or check.latch is None:
        return None
    return latching.found(turn.engine, form, check.latch, latch_name(form, check))


def validated(turn: Turn, form: Form) -> tuple[Found, Found]:
    """Validate and mark all controls; return refusing findings and warnings."""
    updates = turn.engine.updates
    refusing: list[tuple[LiveInput[Any, Any], Finding]] = []
    warning: list[tuple[LiveInput[Any, Any], Finding]] = []
    for control in form._state.order:
        if not isinstance(control, LiveInput):
            continue
        focus.mark(turn, control)
        updates.validate(turn, control)
        for finding in control._findings or ():
            (refusing if finding.level == "refuse" else warning).append((control, finding))
    updates.to_validate.clear()
    return tuple(refusing), tuple(warning)


def held(turn: Turn, form: Form, what: str, reason: str) -> bool:
    """Note that the form was blocked, and put the reason on the view."""
    turn.note_form("block", form, what, None, reason)
    turn.engine.notice = reason
    return False


def close(turn: Turn, form: Form, verdict: str) -> bool:
    """Raise `closing`, collect the outcome, raise `submitted` and `closed`.

    Returns False if it was blocked.
    """
    engine, state = turn.engine, form._state
    if state.phase != "open":
        return False
    # A handler of this form waits for that dialog's outcome. It needs its form open to continue.
    if not close_waiting(turn, form):
        turn.note_form("block", form, "closing", None, "a dialog it opened won't close")
        return False
    turn.set(state, "phase", state.after("closing"))
    before, turn.cause = turn.cause, turn.note_form("step", form, "close", None, verdict)
    try:
        reason = turn.happen("closing", form, None, None, verdict)
        if reason is None and verdict != ACCEPTED:
            reason = discard_reason(turn, form)
        if reason is not None:
            turn.set(state, "phase", state.after("open"))
            return held(turn, form, "closing", reason)
        turn.set(state, "outcome", outcome_of(form, verdict))
        # Staged before `submitted`, so that the record is written before rows that its handlers stage.
        if verdict == ACCEPTED:
            if state.records is not None and (state.records.is_changed or state.records.key is None):
                state.records.stage(turn)
            note_last(turn, form)
            turn.happen("submitted", form, None)
        turn.set(state, "phase", state.after("closed"))
        engine.take_away(turn, form)
        turn.note_form("close", form, verdict)
        if engine.observer is not None:
            engine.observer.closed(form, verdict)
        # A form that closes ends its latches before `closed`, so that handlers there see them as reset.
        latching.forget(turn, form)
        turn.happen("closed", form, None, None, verdict)
    finally:
        turn.cause = before
    engine.hand_over(turn, form)
    return True


def discard_reason(turn: Turn, form: Form) -> str | None:
    """Ask before changes are discarded; return why the form stays open, or None."""
    text = form._state.plan.discard
    if not text or not is_changed(form):
        return None
    discard = TEXTS["discard"]
    prompt = Prompt(text, buttons=(discard, TEXTS["keep_editing"]), tone="warning")
    answer = turn.engine.ask_itself(turn, form, prompt, {})
    return None if answer == discard else TEXTS["notice.discard"]


def is_changed(form: Form) -> bool:
    """Return True if the user changed something since the form opened."""
    if form._state.records is not None:
        changed: bool = form._state.records.is_changed
        return changed
    entries = (control for control in form._state.order if isinstance(control, LiveInput) and not control._rule)
    return lines_changed(form) or any(differs(control) for control in entries)


def differs(control: Any) -> bool:
    """Return True if an entry has a draft, or another value than at first."""
    return control._draft is not None or (control._initial is not UNSEEN and control._initial != control._value)


def mark_clean(turn: Turn, control: Any) -> None:
    """Treat a control's value as its record's value."""
    turn.set(control, "_initial", UNSEEN)


def note_last(turn: Turn, form: Form) -> None:
    """Save the values of controls with `default=last_entered()`."""
    engine = turn.engine
    for path in form._state.plan.defaulted:
        control: Any = form._state.controls[path]
        if isinstance(control._decl.constants.get("default"), LastEntered):
            turn.set_item(engine, "last_entered", (type(form), path), control._current("value"))


def lines_changed(form: Form) -> bool:
    """Return True if lines were added, removed, moved or changed since they were saved."""
    for lines in form._state.lines:
        if lines._gone or list(lines._written) != list(lines._rows):
            return True
        entries = (control for line in lines._rows for control in lines._members[line][1])
        if any(isinstance(control, LiveInput) and differs(control) for control in entries):
            return True
    return False


def close_waiting(turn: Turn, form: Form) -> bool:
    """Close the dialogs that this form's handlers wait for; return False if one is blocked."""
    for wait in reversed(turn.engine.waits):
        if wait.over or wait.form is not form or wait.turn is turn:
            continue
        if isinstance(wait, DialogWait):
            if not close(turn, wait.child, CANCELLED):
                return False
        elif isinstance(wait, PromptWait):
            turn.note_form("answer", form, wait.title, None, wait.prompt.cancel)
            turn.engine.end_wait(turn, wait, wait.prompt.cancel)
    return True


def leave(turn: Turn, form: Form, verdict: str) -> bool:
    """Close without settling or checking. If a handler fails, close anyway."""
    turn.way_out = (form, verdict)
    if close(turn, form, verdict):
        return True
    turn.way_out = None
    return False


def leave_without_handlers(turn: Turn, form: Form, verdict: str) -> None:
    """Close a form whose handler failed while it was closing."""
    state = form._state
    if state.phase == "closed":
        return
    if state.phase != "closing":
        turn.set(state, "phase", state.after("closing"))
    state.outcome = outcome_of(form, verdict)
    turn.set(state, "phase", state.after("closed"))
    turn.engine.take_away(turn, form)
    turn.note_form("close", form, verdict)
    turn.engine.hand_over(turn, form)
    turn.undo.clear()


def is_usable(control: LiveValue[Any]) -> Any:
    """Return a control's value, or blank if it is hidden or disabled."""
    return control._current("value") if control._is_usable else control._plan.blank


def line_values(lines: LiveLines[Any], line: Any) -> dict[str, Any]:
    """Return a line's values by path."""
    return {path: is_usable(control) for path, control in values_of(lines, line).items() if isinstance(control, LiveValue)}


def outcome_of(form: Form, verdict: str) -> Outcome:
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
            values[path] = is_usable(control)
    return Outcome(verdict, values, form._state.overrides)
