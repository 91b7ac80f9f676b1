"""Check a form before it is submitted or its record is saved, and ask about warnings."""

from __future__ import annotations

from fuselatch.core.engine.rules import latching
from fuselatch.core.engine.rules.validation import validate
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn import focus
from fuselatch.core.engine.turn.loop import happen
from fuselatch.core.engine.turn.prompting import ask_itself
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.controls import LiveChecked
from fuselatch.core.forms.placing import caption_of
from fuselatch.core.forms.plans import CheckPlan
from fuselatch.core.model.findings import Finding, Override
from fuselatch.core.model.latch_records import LatchRecord

Found = tuple[tuple[LiveChecked, Finding], ...]


def may_submit(turn: Turn, form: OpenForm) -> bool:
    """Check, confirm warnings and raise `accepting`; return False if it was stopped."""
    records = form._state.records
    if records is not None and records.trouble and records.is_saved and records.is_changed:
        return veto(turn, form, "record", records.trouble)
    # An answer stays: what the user has confirmed for this record isn't asked again.
    confirmed = {(override.control, override.text) for override in form._state.overrides}
    if not passes(turn, form, confirmed):
        return False
    reason = happen(turn, "accepting", form, None)
    if reason is not None:
        return veto(turn, form, "accepting", reason)
    # An `accepting` handler may have set values, so they are checked again. Confirmed warnings stay confirmed.
    return passes(turn, form, confirmed)


def passes(turn: Turn, form: OpenForm, confirmed: set[tuple[str, str]]) -> bool:
    """Return True if no finding refuses and the user confirmed every warning."""
    if form._state.phase == "closed":
        return False
    refusing, warning = validate_form(turn, form)
    if refusing:
        control, finding = refusing[0]
        focus.enter_at(turn, form, control)
        return veto(
            turn,
            form,
            "check",
            turn.session.text("notice.finding", caption=caption_of(control), finding=finding.text),
        )
    forget_gone(turn, form, warning)
    asked = []
    for control, finding in warning:
        if (control.name, finding.text) in confirmed:
            continue
        record = latched(turn, form, control, finding)
        if record is None:
            asked.append((control, finding))
        else:
            confirmed.add((control.name, finding.text))
            user = record.user or turn.session.options.user
            override(turn, form, [Override(control.name, finding.text, user, record.when)])
    if not asked:
        return True
    prompt = form.warnings_prompt
    lines = "\n".join(
        turn.session.text("notice.finding", caption=caption_of(control), finding=finding.text) for control, finding in asked
    )
    answer = ask_itself(turn, form, prompt, {"warnings": lines})
    if answer == prompt.cancel:
        focus.enter_at(turn, form, asked[0][0])
        return veto(turn, form, "warnings", turn.session.text("notice.warnings"))
    confirmed.update((control.name, finding.text) for control, finding in asked)
    session = turn.session
    when = session.read_clock().isoformat() if session.clock is not None else ""
    user = session.options.user
    override(turn, form, [Override(control.name, finding.text, user, when) for control, finding in asked])
    for control, finding in asked:
        check = check_of(control, finding)
        if check is not None and check.latch is not None:
            latching.set_latch(turn, form, check.latch, latch_name(form, check), answer, by_answer=True)
    # A program may have changed what was checked while the prompt was open.
    return passes(turn, form, confirmed)


def override(turn: Turn, form: OpenForm, overrides: list[Override]) -> None:
    """Note the warnings that the user confirmed. They stay if the store refuses what follows."""
    turn.set(form._state, "overrides", form._state.overrides + tuple(overrides))
    turn.confirmed = [*turn.confirmed, *((form._state, each) for each in overrides)]


def forget_gone(turn: Turn, form: OpenForm, warning: Found) -> None:
    """Forget what was confirmed and is no warning any more."""
    there = {(control.name, finding.text) for control, finding in warning}
    kept = tuple(each for each in form._state.overrides if (each.control, each.text) in there)
    if len(kept) != len(form._state.overrides):
        turn.set(form._state, "overrides", kept)


def check_of(control: LiveChecked, finding: Finding) -> CheckPlan | None:
    """Return the written check behind a finding, or None."""
    return next((check for check in control._plan.checks if check.name == finding.rule), None)


def latch_name(form: OpenForm, check: CheckPlan) -> str:
    """Return the name of a check's latch in a log."""
    return f"{form._state.plan.name}.{check.name}"


def latched(turn: Turn, form: OpenForm, control: LiveChecked, finding: Finding) -> LatchRecord | None:
    """Return the record of a finding's latch, if it is set."""
    check = check_of(control, finding)
    if check is None or check.latch is None:
        return None
    return latching.found(turn.session, form, check.latch, latch_name(form, check))


def validate_form(turn: Turn, form: OpenForm) -> tuple[Found, Found]:
    """Validate and mark all controls; return refusing findings and warnings."""
    refusing: list[tuple[LiveChecked, Finding]] = []
    warning: list[tuple[LiveChecked, Finding]] = []
    for control in form._state.order:
        if not control._plan.is_checked:
            continue
        focus.show_findings(turn, control)
        validate(turn, control)
        for finding in control._findings or ():
            (refusing if finding.level == "refuse" else warning).append((control, finding))
    turn.session.dirty.to_validate.clear()
    return tuple(refusing), tuple(warning)


def veto(turn: Turn, form: OpenForm, what: str, reason: str) -> bool:
    """Note that the form was blocked, and put the reason on the view."""
    turn.note_form("block", form, what, None, reason)
    turn.session.notice = reason
    return False
