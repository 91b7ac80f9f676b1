"""The loop of a turn: run handlers, bring everything up to date, and again, until nothing is left.

Theory of operation
-------------------
A *turn* is one gesture, of the user or by program, from `feed` until control returns to the caller. It carries out a few
*steps* (settle this field, leave it, enter that one). Each step sets values and queues *events*; `drain` follows each step
and runs the queue until nothing is left, in this order:

1. the queue: one event at a time, all handlers of it before the next; what they set queues more events behind it;
2. derived values: *dirty* cells run again, in order of dependence, and announce what differs, which queues events;
3. validation: controls whose value or rules changed get their findings;
4. `line_changed`, once for each line;
5. what handlers asked for (`after`): close, move the focus. Each is a step of its own, with its own loop.

So handlers always see values that are consistent except for the drafts, checks see values that have followed, and a form
closes only when it is consistent. An event that is queued while a handler runs waits until that handler has returned; only
`happen` (an event that can be blocked, such as `closing`) runs its handlers at once, before it returns.

An example: a handler of `length.changed` sets `berth` and calls `close()`; `price` is derived from `berth`.

    step settle        length 9 → 12      queue: length.changed
    loop 1             the handler runs: berth A1 → B2, `after`: close       queue: berth.changed; dirty: price
    loop 1             berth.changed has no handler
    loop 2             price runs: 20 → 35       queue: price.changed
    loop 1             price.changed
    loop 3             length, berth and price are validated
    loop 5             close: `closing`, `closed`
    back in `feed`     nothing is left

Control returns to `feed` when all steps are done, or when a handler waits for the user (`waits`). A handler that fails ends
the loop; everything is undone (`undoing`). The fuse ends a loop that doesn't end by itself.
"""

from __future__ import annotations

from typing import Any, Final, NoReturn

from fuselatch.core.engine.rules.scheduler import announce
from fuselatch.core.engine.rules.validation import validate_all
from fuselatch.core.engine.state.failure import blown, failed, tell
from fuselatch.core.engine.state.turns import Turn, told
from fuselatch.core.engine.turn.waits import pause
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import ControlState, FormState, is_masked
from fuselatch.core.forms.plans import Handler
from fuselatch.core.model.errors import Abandoned, HandlerFailed, NotAllowedHere
from fuselatch.core.model.events import By, Event, heard_as
from fuselatch.core.model.trace_rows import add_row

MOST_NESTED: Final = 30
"""How deep handlers may run inside one another, since what they do raises an event that can be blocked, or opens a form."""
DEEP: Final = 10
"""An overflow of the stack deeper than this is a loop of handlers."""
TOO_DEEP: Final = f"handlers ran inside one another more than {MOST_NESTED} deep"
MOST_IN_CHAIN: Final = 100
"""How often one handler may run for one control in one chain of causes."""
SHALLOW: Final = 3
"""Events nearer to the gesture than this aren't counted: they can't be a loop yet."""


def drain(turn: Turn) -> None:
    """Run the queue and bring derived values up to date, until nothing is left."""
    queue = turn.queue
    dirty = turn.session.dirty
    while True:
        while queue:
            dispatch(turn, queue.popleft())
        # The order matters: see above.
        if dirty.cells:
            announce(turn)
        elif dirty.pending:
            validate_all(turn)
        elif turn.lines:
            lines, line = first = next(iter(turn.lines))
            cause = turn.lines.pop(first)
            turn.raise_later("line_changed", lines.form, lines, line, cause)
        elif turn.after:
            take_step(turn)
        else:
            return


def take_step(turn: Turn) -> None:
    """Take the next step that a handler asked for."""
    assert turn.after, "there is a step to take"
    (step, event, handler), *turn.after = turn.after
    before = turn.event
    turn.nested += 1
    # What the step raises has that handler's event behind it, so that a loop of steps is found and named.
    turn.event = event
    try:
        if turn.nested > MOST_NESTED and event is not None and handler is not None:
            blow(turn, handler, event, TOO_DEEP)
        step(turn)
    except NotAllowedHere as error:
        # Such as a question, when the pointer moves: that handler asked for it.
        if handler is None:
            raise
        raise turn.note_failed(failed(error, handler.function, event, handler.name, turn.description)) from error
    finally:
        turn.event = before
        turn.nested -= 1


def happen(turn: Turn, name: str, form: OpenForm, control: object, old: object = None, new: object = None) -> str | None:
    """Raise an event and run its handlers; return the reason if one blocked it."""
    if turn.rows is None and not turn.is_heard(name, form, control):
        if turn.queue or turn.after or turn.session.dirty.pending:
            drain(turn)
        return None
    by: By = "program" if turn.handler is not None else turn.by
    event = Event(name, form, control, old, new, by, turn.cause, turn.event, turn.handler)
    turn.queue.append(event)
    drain(turn)
    return event._reason


def dispatch(turn: Turn, event: Event) -> None:
    """Note an event and run its handlers."""
    session = turn.session
    rows = turn.rows
    if event.control is None:
        dispatch_of_form(turn, event)
        return
    control: ControlState = event.control
    state = control._state
    if state.phase == "closed":
        return
    if event.name == "changed":
        if control._pending is not event:
            return
        control._pending = None
        is_noted, event.new = event.new is control._value, control._value
    else:
        is_noted = False
    plan = control._plan
    if session.sees_events and pauses_at(turn, event):
        pause(turn, event)
    if rows is not None:
        if is_noted:
            # The entry about the change, which is the event's cause, has both values as people may see them.
            noted = rows[event._cause - 1]
            rows.append((event._cause, "event", state.name, control.name, "changed", noted[5], noted[6]))
            event._number = len(rows)
        else:
            old, new = event.old, event.new
            if event.name == "changed" or is_masked(control):
                old, new = told(control, old, new)
            event._number = add_row(rows, event._cause, "event", state.name, control.name, event.name, old, new)
    handlers = plan.heard.get(event.name)
    if handlers is not None:
        run(turn, handlers, control._owner, state, event)


def dispatch_of_form(turn: Turn, event: Event) -> None:
    """Note a form's event and run its handlers."""
    state = event.form._state
    if turn.session.sees_events and pauses_at(turn, event):
        pause(turn, event)
    if turn.rows is not None:
        event._number = add_row(turn.rows, event._cause, "event", state.name, "", event.name, event.old, event.new)
    heard = heard_as(event.name, event._custom)
    # The form's own handlers, then attached ones, then the opener's: from the inside out.
    for handler in state.plan.heard.get(heard, ()):
        run(turn, (handler,), state.containers[handler.within], state, event)
    for name, owner, handler in state.listeners.values() if event._custom else ():
        if name == event.name:
            run(turn, (handler,), owner, owner._state, event)
    opener = state.opener
    if opener is not None:
        for (form, name), handlers in opener._state.plan.heard_of.items():
            if name == heard and isinstance(event.form, form):
                run(turn, handlers, opener, opener._state, event)


def pauses_at(turn: Turn, event: Event) -> bool:
    """Return True if the session should pause before an event."""
    return any(tell(turn.session, "before_event", event, turn.queued))


def run(turn: Turn, handlers: tuple[Handler, ...], owner: object, state: FormState, event: Event) -> None:
    """Run the handlers of one event. `owner`: the form or group that they are methods of, or a part of it."""
    session, rows = turn.session, turn.rows
    before_event, before_handler, before_cause = turn.event, turn.handler, turn.cause
    turn.nested += 1
    is_suspect = event._depth >= SHALLOW or turn.nested > MOST_NESTED
    turn.event = event
    try:
        for handler in handlers:
            # A closed form hears only that it is closed. It may have been closed while a handler before waited.
            if state.phase == "closed" and (event.name != "closed" or state is not event.form._state):
                break
            if session.observers and is_held_back(turn, handler, event):
                continue
            turn.runs += 1
            if is_suspect or turn.runs > session.max_runs:
                look_for_loop(turn, handler, event)
            turn.handler = handler
            target = owner if not handler.up else further_out(owner, handler.up)
            if rows is not None:
                where = "" if event.control is None else event.control.name
                rows.append((event._number, "handler", state.name, where, handler.name, None, None))
                turn.cause = len(rows)
            reason, function = event._reason, handler.function
            try:
                if handler.takes_event:
                    function(target, event)
                else:
                    function(target)
                if event._reason is not reason and session.observers:
                    tell(session, "vetoed", handler, event, event._reason)
            except HandlerFailed as failure:
                # The gesture fails, even if a handler further out catches it.
                turn.note_failed(failure)
                raise
            except Exception as error:
                raise failed_in(turn, handler, event, error) from error
            if session.closing:
                # A handler that caught `Abandoned` must not continue.
                raise Abandoned
    finally:
        turn.event, turn.handler, turn.cause = before_event, before_handler, before_cause
        turn.nested -= 1


def is_held_back(turn: Turn, handler: Handler, event: Event) -> bool:
    """Return True if an observer doesn't let a handler run; otherwise tell them that it runs."""
    session = turn.session
    reason = next((answer for answer in tell(session, "before_handler", handler, event) if answer is not None), None)
    if reason is None:
        tell(session, "ran", handler, event)
        return False
    tell(session, "blocked", handler, event, reason)
    turn.cause = event._number
    turn.note_form("block", event.form, f"muted {handler.name}", None, reason)
    return True


def further_out(owner: object, up: int) -> Any:
    """Return the form, or the group, that declares a handler: so many further out."""
    for _ in range(up):
        owner = owner.__dict__["_outer"]
    return owner


def failed_in(turn: Turn, handler: Handler, event: Event, error: Exception) -> HandlerFailed:
    """Note that a handler has failed, so that the gesture fails even if a handler further out catches it; return that."""
    # The caller's own stack may have been so deep that the fuse came too late.
    if isinstance(error, RecursionError) and turn.nested > DEEP:
        blow(turn, handler, event, TOO_DEEP)
    return turn.note_failed(failed(error, handler.function, event, handler.name, turn.description))


def look_for_loop(turn: Turn, handler: Handler, event: Event) -> None:
    """Raise `FuseBlown` if handlers keep triggering each other."""
    most = turn.session.max_runs
    if turn.runs > most:
        blow(turn, handler, event, f"handlers ran more than {most} times in one gesture")
    if turn.nested > MOST_NESTED:
        blow(turn, handler, event, TOO_DEEP)
    counts = turn.counts
    if counts is None:
        counts = turn.counts = {}
    count = counts[handler] = counts.get(handler, 0) + 1
    # Walking back through the causes costs as much as the chain is long, so only suspects are walked.
    if count <= MOST_IN_CHAIN - SHALLOW or event._depth < MOST_IN_CHAIN:
        return
    runs, step = 1, event
    while step._parent is not None:
        runs += step._handler is handler and step._parent.control is event.control
        step = step._parent
    if runs > MOST_IN_CHAIN:
        blow(turn, handler, event, f"one handler ran more than {MOST_IN_CHAIN} times for one control")


def blow(turn: Turn, handler: Handler, event: Event, why: str) -> NoReturn:
    """Raise `FuseBlown`."""
    turn.failure = None
    raise turn.note_failed(blown(handler, event, turn.description, why))
