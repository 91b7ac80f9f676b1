"""Find problems: the findings of declared rules and written checks, and the preview of a draft."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from typing import Any, Final

from fuselatch.core.engine.rules.drafts import parsed
from fuselatch.core.engine.rules.scheduler import announce, fresh
from fuselatch.core.engine.state.failure import guarded, tell
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn, touch
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import ControlState, FormState, current, is_usable
from fuselatch.core.forms.plans import CheckPlan
from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.values import Unparsable

LEVELS: Final = {"refuse": 0, "warn": 1}


def findings(session: SessionState, control: ControlState) -> tuple[Finding, ...]:
    """Return a control's findings, refusing ones first."""
    # The user can't correct a disabled or hidden field, so it isn't checked.
    if not is_usable(control):
        return ()
    if control._trouble is not None:
        return (control._trouble,)
    plan = control._plan
    if not plan.checks and not plan.checked_by and plan.levels is None and not control._decl.constants["while_typing"]:
        # Declared rules only. They come in order already: a blank field has no other finding.
        broken = control._decl.validate(control, current(control, "value"), session.formats)
        return tuple(broken) if broken else ()
    return findings_for(session, control, current(control, "value"), None)


def findings_for(
    session: SessionState, control: ControlState, value: object, instead: dict[str, object] | None
) -> tuple[Finding, ...]:
    """Return the findings for a value. `instead` replaces values that checks read, by path."""
    if not is_usable(control):
        return ()
    broken: list[Finding] = control._decl.validate(control, value, session.formats)
    levels = control._plan.levels
    if levels is not None:
        broken = [one._replace(level=levels.get(one.rule, one.level)) for one in broken]
    if control._plan.checked_by:
        broken.extend(_shown_elsewhere(session, control))
    if not control._checks and not broken:
        return ()
    for cell, check in zip(control._checks, control._plan.checks, strict=True):
        if instead is not None and not instead.keys().isdisjoint(check.controls):
            finding = guarded(session, check_runner(control._state, check, instead), check.function, cell.name)
        else:
            finding = cell.value if cell.fresh else fresh(session, cell)
        if finding is not None:
            broken.append(finding)
    if len(broken) > 1:
        broken.sort(key=lambda finding: LEVELS[finding.level])
    if broken and control._decl.constants["while_typing"]:
        broken = [Finding(one.text, one.level, one.rule, True) for one in broken]
    return tuple(broken)


def _shown_elsewhere(session: SessionState, control: ControlState) -> Iterator[Finding]:
    """Yield findings of hidden controls that this control shows in their place."""
    controls: dict[str, Any] = control._state.controls
    for check in control._plan.checked_by:
        at = controls[check.at]
        first = next((path for path in check.controls if is_usable(controls[path])), "")
        if at is control or at.visible or first != control._plan.path:
            continue
        finding = fresh(session, at._checks[at._plan.checks.index(check)])
        if finding is not None:
            text = session.text("elsewhere", finding=finding.text, caption=at.caption)
            yield Finding(text, finding.level, finding.rule, finding.while_typing)


# ---- is it valid as it is typed now?


def is_valid(session: SessionState, control: ControlState) -> bool:
    """Return True if no finding would refuse a control if all that is typed settled now."""
    if not is_usable(control):
        return True
    instead: dict[str, object] = {}
    near = {path for check in (*control._plan.checks, *control._plan.checked_by) for path in check.controls}
    for path in {control._plan.path, *near}:
        other = control._state.controls[path]
        if other._draft is None:
            continue
        try:
            instead[path] = parsed(session, other, other._draft)
        except Unparsable:
            if other is control:
                return False
            instead[path] = other._plan.blank
    port = session.port
    outer, port.tracker = port.tracker, None
    try:
        value = instead.get(control._plan.path, current(control, "value"))
        broken = findings_for(session, control, value, instead or None)
    finally:
        port.tracker = outer
    return not any(finding.level == "refuse" for finding in broken)


def is_form_valid(session: SessionState, form: OpenForm) -> bool:
    """Return True if all entries of a form are valid. From then on that is kept up to date, control by control."""
    state = form._state
    state.judged = True
    if state.invalid is None:
        state.invalid = {control for control in state.order if control._plan.is_checked and not is_valid(session, control)}
    if session.dirty.to_judge:
        judge(session, 0)
    return not state.invalid


def judge(session: SessionState, cause: int) -> None:
    """Find out again which controls are valid, and mark the rules that read it."""
    dirty = session.dirty
    controls, dirty.to_judge = dirty.to_judge, {}
    for control in controls:
        if not control._plan.is_checked:
            continue
        dirty.invalidate(control, "marker", cause)
        state = control._state
        for each in judged_with(control):
            dirty.invalidate(each, "is_valid", cause)
            if state.invalid is None:
                continue
            before = bool(state.invalid)
            if each in state.order and not is_valid(session, each):
                state.invalid.add(each)
            else:
                state.invalid.discard(each)
            if before is not bool(state.invalid):
                dirty.invalidate(state, "is_valid", cause)


def judged_with(control: ControlState) -> Iterable[ControlState]:
    """Return a control, and the others that can be valid or not because of its value: those of the checks that read it."""
    controls: dict[str, ControlState] = control._state.controls
    near = [controls[path] for check in control._plan.checked_by for path in (check.at, *check.controls)]
    return dict.fromkeys((control, *near))


def follow_before_wait(turn: Turn) -> None:
    """Let follow what the user sees behind a prompt or dialog: derived values, and rules that read what is valid."""
    dirty = turn.session.dirty
    while dirty.cells or dirty.to_judge:
        if dirty.to_judge:
            judge(turn.session, turn.cause)
        if dirty.cells:
            announce(turn)


def preview(turn: Turn, control: ControlState) -> None:
    """Validate a draft, if its marker is shown."""
    session = turn.session
    checked_by = control._plan.checked_by
    constants = control._decl.constants
    while_typing = constants["while_typing"] or (checked_by and any(check.while_typing for check in checked_by))
    if not (control._marked or while_typing):
        return
    touch(control)
    try:
        value = parsed(session, control, control._draft or "")
    except Unparsable as error:
        unreadable = Finding(str(error), rule="parse", while_typing=bool(constants["while_typing"]))
        control._preview = (unreadable,)  # not undone: it belongs to the typed key
        # For checks with other entries it is blank, as it will be once it is left.
        instead = {control._plan.path: control._plan.blank}
    else:
        instead = {control._plan.path: value}
        control._preview = findings_for(session, control, value, instead)  # not undone: it belongs to the typed key
    for check in control._plan.checked_by:
        shown = control._state.controls[check.at]
        if shown is not control:
            touch(shown)
            others = findings_for(session, shown, current(shown, "value"), instead)
            shown._preview = others  # not undone: it belongs to the typed key


def validate_all(turn: Turn) -> None:
    """Validate the queued controls, and judge those of which rules ask if they are valid."""
    dirty = turn.session.dirty
    dirty.pending = False
    if dirty.to_judge:
        judge(turn.session, turn.cause)
    controls, dirty.to_validate = dirty.to_validate, {}
    for control in controls:
        validate(turn, control)


def validate(turn: Turn, control: ControlState) -> None:
    """Validate one control, and note new and cleared findings."""
    session = turn.session
    before = control._findings
    after = findings(session, control)
    if session.observers:
        tell(session, "validated", control, passed_checks(control, {finding.rule for finding in after}), after)
    if before != after:
        turn.put_findings(control, after)
    if turn.rows is not None:
        note_findings(turn, control, after)


def note_findings(turn: Turn, control: ControlState, found: tuple[Finding, ...]) -> None:
    """Note which findings appeared and were cleared since the trace last told: those that the user may see as a marker."""
    before = control._traced
    after = found if control._marked else tuple([finding for finding in found if finding.while_typing])
    if before == after:
        return
    turn.set(control, "_traced", after)
    for finding in before:
        if finding not in after:
            turn.note("finding", control, finding.rule, finding.text, None)
    for finding in after:
        if finding not in before:
            turn.note("finding", control, finding.rule, None, finding.text)


def passed_checks(control: ControlState, failed: set[str]) -> tuple[str, ...]:
    """Return the rules and checks of a control that ran and found nothing, by name."""
    if not is_usable(control) or control._trouble is not None:
        return ()
    blank = is_blank(control)
    rules = [
        rule
        for rule in control._decl.rule_names()
        if rule not in failed and not (blank and (rule != "required" or "required" in failed))
    ]
    for check in control._plan.checks:
        given = [control._state.controls[path] for path in check.controls]
        ran = all(is_usable(one) and one._trouble is None and (check.blanks or not is_blank(one)) for one in given)
        if ran and check.name not in failed:
            rules.append(check.name)
    return tuple(rules)


def is_blank(control: ControlState) -> bool:
    """Return True if a control has no value, or is an unticked box."""
    value = current(control, "value")
    return value is False or (value == control._plan.blank and value is not True)


def validate_quietly(session: SessionState) -> None:
    """Validate the queued controls after an undo, and mark what reads their findings."""
    dirty = session.dirty
    controls, dirty.to_validate = dirty.to_validate, {}
    dirty.pending = False
    for control in controls:
        # The answer that ended a wait may have noted findings of values that are undone now.
        if control._findings is not None:
            control._state.touched[control] = None
            with suppress(FuseLatchError):
                broken = findings(session, control)
                if broken != control._findings:
                    control._findings = broken  # not undone: this is the undo
                    dirty.invalidate(control, "findings", 0)
    if dirty.to_judge:
        with suppress(FuseLatchError):
            judge(session, 0)


def check_runner(
    state: FormState, check: CheckPlan, instead: dict[str, object] | None = None
) -> Callable[[], Finding | None]:
    """Return a function that runs a written check.

    It finds nothing while a value is blank or its control isn't usable. `instead` replaces values, by path.
    """
    controls = [state.controls[path] for path in check.controls]
    owner = state.containers[check.within]

    def run() -> Finding | None:
        values = []
        for control in controls:
            path = control._plan.path
            settled = instead is None or path not in instead
            value = control._read("value") if settled or instead is None else instead[path]
            blank = control._plan.blank
            missing = value == blank and blank is not False
            # A wrong draft leaves a blank. It is read like a property, so that the check runs again when the draft is gone.
            if missing and (not check.blanks or (settled and control._read("trouble"))):
                return None
            if not is_usable(control):
                return None
            values.append(value)
        return as_finding(check.function(owner, *values), check)

    return run


def as_finding(result: object, check: CheckPlan) -> Finding | None:
    """Return a check's result as a finding."""
    if result is None:
        return None
    if isinstance(result, str):
        return Finding(result, check.level or "refuse", check.name, check.while_typing)
    if isinstance(result, Finding):
        return Finding(result.text, check.level or result.level, check.name, check.while_typing)
    raise TypeError(f"a check must return None, a message or warn(message), not {type(result).__name__}")
