"""Move the focus: settle and leave one control, and enter another."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from fuselatch.core.forms.controls import LiveInput
from fuselatch.core.forms.held import ControlState, is_usable
from fuselatch.core.forms.live_lists import LiveChoice
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import Unparsable

if TYPE_CHECKING:
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form


def settle(turn: Turn, control: Any) -> None:
    """Parse an entry's draft into its value. A draft that can't be parsed stays."""
    draft = control._draft if isinstance(control, LiveInput) else None
    if draft is None:
        return
    if control._listing:
        turn.set(control, "_listing", False)
    # It was parsed before, and nothing was typed since.
    if control._trouble is not None:
        return
    before, turn.cause = turn.cause, turn.note("step", control, "settle", None, "•" if control._plan.masked else draft)
    text = draft.strip()
    end_preview(turn, control)
    try:
        value = control._decl.parse(text, control, turn.engine.formats) if text else control._plan.blank
    except Unparsable as error:
        turn.set(control, "_trouble", Finding(str(error), rule="parse"))
        turn.put_value(control, control._plan.blank, turn.cause)
        turn.engine.updates.revalidate(control)
    else:
        turn.set(control, "_draft", None)
        turn.put_value(control, value, turn.cause)
        if isinstance(control, LiveChoice) and value is not None and value not in control._current("choices"):
            # Handlers first: one of them may add the item to the list.
            turn.drain()
            offer_other(turn, control, value)
    turn.drain()
    turn.cause = before


def settle_all(turn: Turn, form: Form) -> None:
    """Settle every draft of a form: the focused control's, and one that a failed gesture left elsewhere."""
    settle(turn, form._state.focus)
    for control in tuple(form._state.order):
        if control._draft is not None:
            settle(turn, control)


def offer_other(turn: Turn, control: LiveChoice[Any, Any, Any], entry: str) -> None:
    """Ask if a text that isn't in the list should be added to it."""
    form = control.form
    answer = turn.engine.ask_itself(turn, form, form.other_prompt, {"entry": entry, "caption": control.caption})
    if answer == form.other_prompt.buttons[0]:
        turn.engine.add_choice(turn, control, entry)


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
            turn.engine.updates.revalidate(control)


def step(turn: Turn, name: str, control: ControlState, event: str) -> None:
    """Note a step at a control, and raise its event if its kind has one."""
    before, turn.cause = turn.cause, turn.note("step", control, name)
    if event in control._plan.raises:
        turn.happen(event, control.form, control)
    turn.cause = before


def mark(turn: Turn, control: ControlState) -> None:
    """Let a control show its findings from now on."""
    if not control._marked:
        turn.set(control, "_marked", True)
        turn.engine.updates.revalidate(control)


def leave(turn: Turn, here: Any, target: ControlState) -> bool:
    """Leave a control for another: raise `leaving`, which can be blocked, and `left`."""
    before, turn.cause = turn.cause, turn.note("step", here, "leave")
    try:
        if "leaving" in here._plan.raises:
            reason = turn.happen("leaving", here.form, here)
            if reason is not None:
                turn.note("block", here, "leaving", None, reason)
                turn.engine.notice = reason
                return drop(turn, target, user_text("notice.cant_leave", caption=here.caption, reason=reason))
            if not still_there(turn, target):
                return False
        # Nothing has the focus while `left` runs, so that a handler can move it elsewhere.
        put_focus(turn, here.form, None)
        if isinstance(here, LiveInput):
            mark(turn, here)
        turn.happen("left", here.form, here)
        return still_there(turn, target)
    finally:
        turn.cause = before


def move(turn: Turn, target: ControlState) -> bool:
    """Move the focus to a control; return False if it can't get there."""
    here = target.form._state.focus
    if here is target:
        return True
    if here is not None:
        settle(turn, here)
        if not (still_there(turn, target) and leave(turn, here, target)):
            return False
    put_focus(turn, target.form, target)
    step(turn, "enter", target, "entered")
    return still_there(turn, target)


def put_focus(turn: Turn, form: Form, control: ControlState | None, select: bool = False) -> None:
    """Set a form's focus without events."""
    state = form._state
    if state.focus is not control:
        turn.set(state, "focus", control)
    if state.select is not select:
        turn.set(state, "select", select)


def still_there(turn: Turn, target: ControlState) -> bool:
    """Return True if a target is still usable; otherwise skip the rest of the gesture."""
    engine = turn.engine
    if is_usable(target) and target.form is engine.front and not engine.waits:
        return True
    why = engine.obstacle_at(target)
    return True if why is None else drop(turn, target, why)


def drop(turn: Turn, target: ControlState, why: str) -> bool:
    """Note that the rest of a gesture is skipped, and put the reason on the view."""
    turn.note("skip", target, "rest", None, why)
    if turn.engine.notice == "":
        # The user reads captions; names and rules are for the trace.
        caption = target._current("caption")
        off = "notice.at" if target._has("enabled") else "notice.disabled"
        turn.engine.notice = user_text(off if target._has("visible") else "notice.hidden", caption=caption, reason=why)
    return False


def asked_for(turn: Turn, control: ControlState, select: bool) -> None:
    """Move the focus where a handler asked, if that control can have it."""
    if control.form.is_open and takes_focus(control) and move(turn, control):
        put_focus(turn, control.form, control, select)


def enter(turn: Turn, form: Form, control: ControlState | None) -> None:
    """Set the focus for the user without leaving the previous control."""
    if control is not None and form._state.focus is not control and takes_focus(control):
        put_focus(turn, form, control)
        step(turn, "enter", control, "entered")


def keep(turn: Turn) -> None:
    """Move the focus on from a control that can't have it any more."""
    for form in turn.engine.forms:
        control = form._state.focus
        if control is None or takes_focus(control):
            if control is None and form is turn.engine.front and form._state.was_shown:
                enter(turn, form, following(form, None, 1))
            continue
        # No `leaving`: blocking it would leave the focus on a control that can't have it.
        settle(turn, control)
        before, turn.cause = turn.cause, turn.note("step", control, "lose focus")
        put_focus(turn, form, None)
        turn.happen("left", form, control)
        turn.cause = before
        if form.is_open and form._state.focus is None:
            enter(turn, form, following(form, control, 1))


def following(form: Form, here: ControlState | None, way: int) -> ControlState | None:
    """Return the next control (`way` 1) or previous control (-1) that can have the focus."""
    order = form._state.order
    count = len(order)
    start = place_of(form, here) if here is not None else (-1 if way > 0 else 0)
    for offset in range(1, count + 1):
        control: ControlState = order[(start + way * offset) % count]
        if takes_focus(control):
            return control
    return None


def place_of(form: Form, here: Any) -> int:
    """Return a control's place in the tab order; a removed line counts as its list."""
    state = form._state
    if not state.lines:
        index: int = here._plan.index
        return index
    return state.order.index(here if here in state.order else here._plan.line[0])


def takes_focus(control: ControlState) -> bool:
    """Return True if a control can have the focus now."""
    decl = control._decl
    return decl.takes_focus and "value" not in decl.rules and is_usable(control)
