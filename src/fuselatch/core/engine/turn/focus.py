"""Move the focus: settle and leave one control, and enter another."""

from __future__ import annotations

from typing import Any

from fuselatch.core.engine.looking.refusals import at_control
from fuselatch.core.engine.rules.drafts import end_preview, parsed
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn.changing import add_choice
from fuselatch.core.engine.turn.loop import drain, happen
from fuselatch.core.engine.turn.prompting import ask_itself
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import ControlState, is_masked, is_read_only, is_usable
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.values import Unparsable


def settle(turn: Turn, control: ControlState | None) -> None:
    """Parse an entry's draft into its value. A draft that can't be parsed stays."""
    draft = None if control is None else control._draft
    if control is None:
        return
    if control._listing:
        turn.set(control, "_listing", False)
    if draft is None:
        return
    # It was parsed before, and nothing was typed since.
    if control._trouble is not None:
        return
    before, turn.cause = turn.cause, turn.note("step", control, "settle", None, "•" if is_masked(control) else draft)
    end_preview(turn, control)
    try:
        value = parsed(turn.session, control, draft)
    except Unparsable as error:
        turn.set(control, "_trouble", Finding(str(error), rule="parse"))
        turn.session.dirty.invalidate(control, "trouble", turn.cause)
        turn.put_value(control, control._plan.blank, turn.cause)
        turn.session.dirty.revalidate(control)
    else:
        turn.set(control, "_draft", None)
        turn.put_value(control, value, turn.cause)
        if control._plan.offers and control._decl.asks_to_add(control, value):
            # Handlers first: one of them may add the item to the list.
            drain(turn)
            offer_other(turn, control, value)
    drain(turn)
    turn.cause = before


def settle_all(turn: Turn, form: OpenForm) -> None:
    """Settle every draft of a form: the focused control's, and one that a failed gesture left elsewhere."""
    settle(turn, form._state.focus)
    for control in tuple(form._state.order):
        if control._draft is not None:
            settle(turn, control)


def offer_other(turn: Turn, control: ControlState, entry: str) -> None:
    """Ask if a text that isn't in the list should be added to it."""
    form = control.form
    answer = ask_itself(turn, form, form.other_prompt, {"entry": entry, "caption": control._read("caption")})
    if answer == form.other_prompt.buttons[0]:
        add_choice(turn, control, entry)


def step(turn: Turn, name: str, control: ControlState, event: str) -> None:
    """Note a step at a control, and raise its event if its kind has one."""
    before, turn.cause = turn.cause, turn.note("step", control, name)
    if event in control._plan.raises:
        happen(turn, event, control.form, control)
    turn.cause = before


def show_findings(turn: Turn, control: ControlState) -> None:
    """Let a control show its findings from now on."""
    if not control._marked:
        turn.set(control, "_marked", True)
        turn.session.dirty.revalidate(control)


def leave_control(turn: Turn, here: ControlState, target: ControlState) -> bool:
    """Leave a control for another: raise `leaving`, which can be blocked, and `left`."""
    before, turn.cause = turn.cause, turn.note("step", here, "leave")
    try:
        if "leaving" in here._plan.raises:
            reason = happen(turn, "leaving", here.form, here)
            if reason is not None:
                turn.note("block", here, "leaving", None, reason)
                turn.session.notice = reason
                return drop(
                    turn,
                    target,
                    turn.session.text("notice.cant_leave", caption=here._current("caption"), reason=reason),
                )
            if not still_there(turn, target):
                return False
        # Nothing has the focus while `left` runs, so that a handler can move it elsewhere.
        put_focus(turn, here.form, None)
        if here._plan.is_input:
            show_findings(turn, here)
            lines = here._plan.line
            if lines is not None and (target._plan.line is None or target._plan.line[0] is not lines[0]):
                show_findings(turn, lines[0])
        happen(turn, "left", here.form, here)
        return still_there(turn, target)
    finally:
        turn.cause = before


def arrive(turn: Turn, target: ControlState) -> bool:
    """Move the focus to a control by keyboard, which selects the text there; return False if it can't get there."""
    return move_focus(turn, target, is_selected_whole(target))


def is_selected_whole(control: ControlState) -> bool:
    """Return True if a control's text is selected when the user comes to it by keyboard."""
    return takes_keys(control) and bool(control._decl.is_selected_whole())


def takes_keys(control: ControlState) -> bool:
    """Return True if a control can be typed into."""
    return control._plan.typable and not control._rule and not is_read_only(control)


def move_focus(turn: Turn, target: ControlState, select: bool = False) -> bool:
    """Move the focus to a control; return False if it can't get there. `select`: with its text selected."""
    here = target.form._state.focus
    if here is target:
        return True
    if here is not None:
        settle(turn, here)
        if not (still_there(turn, target) and leave_control(turn, here, target)):
            return False
    put_focus(turn, target.form, target, select)
    step(turn, "enter", target, "entered")
    return still_there(turn, target)


def put_focus(turn: Turn, form: OpenForm, control: ControlState | None, select: bool = False) -> None:
    """Set a form's focus without events."""
    state = form._state
    if state.focus is not control:
        turn.set(state, "focus", control)
    if state.select is not select:
        turn.set(state, "select", select)


def still_there(turn: Turn, target: ControlState) -> bool:
    """Return True if a target is still usable; otherwise skip the rest of the gesture."""
    session = turn.session
    if is_usable(target) and target.form is session.stack.front and not session.waits:
        return True
    obstacle = at_control(session, target)
    return True if obstacle is None else drop(turn, target, obstacle[0])


def drop(turn: Turn, target: ControlState, why: str) -> bool:
    """Note that the rest of a gesture is skipped, and put the reason on the view."""
    turn.note("skip", target, "rest", None, why)
    if turn.session.notice == "":
        # The user reads captions; names and rules are for the trace.
        caption = target._current("caption")
        off = "notice.at" if target._has("enabled") else "notice.disabled"
        turn.session.notice = turn.session.text(
            off if target._has("visible") else "notice.hidden", caption=caption, reason=why
        )
    return False


def asked_for(turn: Turn, control: ControlState, select: bool) -> None:
    """Move the focus where a handler asked, if that control can have it."""
    if control.form.is_open and takes_focus(control) and move_focus(turn, control):
        put_focus(turn, control.form, control, select)


def enter(turn: Turn, form: OpenForm, control: ControlState | None) -> None:
    """Set the focus for the user without leaving the previous control."""
    if control is not None and form._state.focus is not control and takes_focus(control):
        put_focus(turn, form, control, is_selected_whole(control))
        step(turn, "enter", control, "entered")


def enter_at(turn: Turn, form: OpenForm, control: ControlState) -> None:
    """Set the focus where the user can correct what was found: at the first entry inside the control, or at itself."""
    enter(turn, form, next(filter(takes_focus, control._decl.inner(control)), control))


def keep(turn: Turn) -> None:
    """Move the focus on from a control that can't have it any more."""
    for form in turn.session.stack.forms:
        control = form._state.focus
        if control is None or takes_focus(control):
            if control is None and form is turn.session.stack.front and form._state.was_shown:
                enter(turn, form, next_focusable(form, None, 1))
            continue
        # No `leaving`: blocking it would leave the focus on a control that can't have it.
        settle(turn, control)
        before, turn.cause = turn.cause, turn.note("step", control, "lose focus")
        put_focus(turn, form, None)
        happen(turn, "left", form, control)
        turn.cause = before
        if form.is_open and form._state.focus is None:
            enter(turn, form, next_focusable(form, control, 1))


def next_focusable(form: OpenForm, here: ControlState | None, way: int) -> ControlState | None:
    """Return the next control (`way` 1) or previous control (-1) that can have the focus."""
    order = form._state.order
    count = len(order)
    start = place_of(form, here) if here is not None else (-1 if way > 0 else 0)
    for offset in range(1, count + 1):
        control: ControlState = order[(start + way * offset) % count]
        if takes_focus(control):
            return control
    return None


def place_of(form: OpenForm, here: Any) -> int:
    """Return a control's place in the tab order; a removed line counts as its list."""
    state = form._state
    if not state.lines:
        index: int = here._plan.index
        return index
    return state.order.index(here if here in state.order else here._plan.line[0])


def takes_focus(control: ControlState) -> bool:
    """Return True if a control can have the focus now."""
    return control._plan.stops and is_usable(control)
