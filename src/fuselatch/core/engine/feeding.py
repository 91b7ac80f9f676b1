"""Feed a gesture to a session: find what it is about, refuse what the user can't do, and run the rest."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace

from fuselatch.core.engine import runner
from fuselatch.core.engine.acting.pasting import has_secrets
from fuselatch.core.engine.acting.steps import come_to_front
from fuselatch.core.engine.acting.verbs import RUNS_NO_AUTHOR_CODE, STEPS
from fuselatch.core.engine.looking import refusals
from fuselatch.core.engine.looking.naming import control_named, open_form_named
from fuselatch.core.engine.rules.rows import look
from fuselatch.core.engine.rules.scheduler import follow
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn.calling import end, end_of, late_or_report
from fuselatch.core.engine.turn.loop import happen
from fuselatch.core.engine.turn.waits import is_stale
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import ControlState, is_masked, seen
from fuselatch.core.model.choices import position_of_id
from fuselatch.core.model.errors import NotAllowedHere, Refused, UnknownName
from fuselatch.core.model.gestures import VERBS, Gesture
from fuselatch.core.model.keys import normal
from fuselatch.core.model.latch_records import is_before
from fuselatch.core.model.names import suggest
from fuselatch.core.model.values import MASK


def with_text(gesture: Gesture, control: ControlState) -> Gesture:
    """Return a gesture at an item, with the item's text, as the trace writes it."""
    listed = seen(control, "choices")
    at = position_of_id(listed, gesture.item)
    return gesture if at is None else replace(gesture, text=listed.texts[at])


def follow_time(turn: Turn) -> None:
    """Bring up to date what depends on the clock, and on what other sessions have written; raise `idle`."""
    session = turn.session
    follow(session, set())
    look(turn)
    due = session.idle_at()
    front = session.stack.front
    if due is not None and front is not None and not is_before(session.read_clock(), due):
        # Once until the next gesture, also if a handler fails: time isn't undone.
        session.told_idle = True
        happen(turn, "idle", front, None)


def feed(state: SessionState, gesture: Gesture) -> None:
    """Carry out a gesture until it is finished or waits for the user. Raises what `Session.feed` raises."""
    if state.is_running:
        raise NotAllowedHere(f"a handler can't send gestures to its own session ({gesture})")
    verb = gesture.verb
    if verb == "time":
        if not (state.closed or state.is_broken):
            runner.start(state, gesture, follow_time, "program")
        return
    if verb == "slow_call":
        if not (state.closed or state.is_broken):
            feed_end(state, gesture)
        return
    carry = STEPS.get(verb)
    if carry is None:
        raise UnknownName(refusals.unknown_verb(verb))
    if gesture.view_serial is not None and is_stale(state, gesture.view_serial):
        state.workers.must_be_at_home()
        refuse(state, gesture, ("it was made before what is in front could be seen", None), is_stale=True)
    if verb == "key":
        gesture = normal_key(gesture)
    elif verb == "open":
        must_be_offered(state, gesture.text)
    form = state.stack.front if not gesture.form else open_form_named(state, gesture.form)
    control = target_of(state, gesture, form)
    reason = refusals.obstacle(state, gesture, control)
    if gesture.item and control is not None and control._plan.offers:
        gesture = with_text(gesture, control)
    plain = not gesture.text or (control is not None and not is_secret(gesture, control))
    shown = gesture if plain else masked_gesture(gesture, form, control)
    if reason is not None:
        lock = refusals.lock_at(state, verb, control, gesture.text) if state.calls else None
        if lock is not None:
            state.notice = state.text("notice.locked", what=lock.call.text or lock.call.name)
        refuse(state, shown, reason)
    if form is None or form is state.stack.front:
        quiet = verb in RUNS_NO_AUTHOR_CODE and RUNS_NO_AUTHOR_CODE[verb](state, control)
        runner.start(state, shown, lambda turn: carry(turn, gesture, control), "user", quiet)
        return

    def turn_to(turn: Turn) -> None:
        come_to_front(turn, form)
        carry(turn, gesture, control)

    runner.start(state, shown, turn_to, "user")


def feed_end(state: SessionState, gesture: Gesture) -> None:
    """Carry out the gesture `slow_call`: end the wait, and resume its handler."""
    wait = late_or_report(state, gesture)
    if wait is not None:
        ended = end_of(gesture)
        runner.start(state, gesture, lambda turn: end(turn, wait, ended), "program")


def gesture_to_keep(state: SessionState, gesture: Gesture, front: OpenForm | None) -> Gesture:
    """Return a gesture for the keeper: with the text of an item, and a password masked."""
    if not gesture.item and (not gesture.text or not state.port.has_masks):
        return gesture
    form = front
    if gesture.form:
        form = next((each for each in state.stack.forms if each._state.name == gesture.form), None)
    control = form._state.controls.get(gesture.control) if form is not None else None
    if gesture.item and control is not None and control._plan.offers:
        gesture = with_text(gesture, control)
    return masked_gesture(gesture, form, control)


def is_secret(gesture: Gesture, control: ControlState) -> bool:
    """Return True if a gesture's text may be a password."""
    return is_masked(control) or (gesture.verb == "paste_rows" and has_secrets(control))


def masked_gesture(gesture: Gesture, form: OpenForm | None, control: ControlState | None) -> Gesture:
    """Return a gesture with a password masked."""
    target = control
    if gesture.verb == "key" and form is not None and len(gesture.text) == 1:
        target = form._state.focus
    if target is None or not is_secret(gesture, target):
        return gesture
    return replace(gesture, text=MASK * len(gesture.text))


def refuse(state: SessionState, gesture: Gesture, found: tuple[str, int | None], is_stale: bool = False) -> None:
    """Raise `Refused`, and note it in the trace."""
    if state.recording:
        name = state.stack.front._state.name if state.stack.front is not None else ""
        if state.clock is not None:
            # What follows the time hasn't been looked at, so that it isn't noted as read. A clock may fail.
            with suppress(Exception):
                state.trace.stamp(state.clock())
        state.trace.add(0, "refused", name, gesture.control, str(gesture), None, found[0])
    raise Refused(str(gesture), *found, is_stale)


def normal_key(gesture: Gesture) -> Gesture:
    try:
        keys = normal(gesture.text)
    except ValueError as error:
        raise UnknownName(str(error)) from None
    return gesture if keys == gesture.text else replace(gesture, text=keys)


def must_be_offered(state: SessionState, name: str) -> None:
    names = state.offers.by_name
    if name not in names:
        hint = suggest(name, names) if names else "this session offers no forms; open it with forms=…"
        raise UnknownName(f"unknown form '{name}'; {hint}")


def target_of(state: SessionState, gesture: Gesture, form: OpenForm | None) -> ControlState | None:
    path = gesture.control
    if not path:
        if VERBS[gesture.verb].needs_control:
            raise UnknownName(f"'{gesture.verb}' needs a control")
        return None
    # Fast path: a control, or a part of one, at its own path.
    if form is not None and not state.waits and "#" not in path:
        plainly = form._state.controls.get(path)
        if plainly is not None:
            return plainly
    if form is None or (state.waits and state.prompt_wait is not None):
        return None
    meant = control_named(form, path)
    if meant._plan.is_group and gesture.verb not in meant._decl.accepts:
        hint = suggest(path, [control.name for control in form._state.order])
        raise UnknownName(f"{form._state.name} has no control '{path}'; {hint}")
    return meant
