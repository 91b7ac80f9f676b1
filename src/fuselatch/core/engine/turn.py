"""A turn: one gesture being carried out, with its queue, undo log and worker.

After each step the queue is emptied. One handler runs at a time. When the queue is empty, derived values are brought
up to date and the queue runs again. If the developer's code fails, the turn's changes are undone, newest first.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Final

from greenlet import greenlet

from fuselatch.core.engine.failure import blown, failed
from fuselatch.core.engine.store import StoreRefused
from fuselatch.core.engine.waiting import is_void, pause, waiting_changes
from fuselatch.core.forms.container import Container
from fuselatch.core.forms.controls import MASK
from fuselatch.core.forms.held import ControlState
from fuselatch.core.forms.plans import Handler
from fuselatch.core.model.cells import UNSEEN, Cell, Undoable
from fuselatch.core.model.errors import Abandoned, HandlerFailed, describe
from fuselatch.core.model.events import By, Event
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.records import Change
from fuselatch.core.model.rows import Row, add_row
from fuselatch.core.model.trace import safe_text

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine
    from fuselatch.core.forms.form import Form

Undo = tuple[Any, Any, Any]
"""An object, the name of an attribute (or the name and a key of it), and the old value."""
ABSENT: Any = type("Absent", (), {"__repr__": lambda self: "absent"})()
"""In an undo entry: the attribute didn't exist."""


class KeepEditing(Exception):
    """The store refused and the user keeps editing: undo the gesture and raise nothing.

    `then`: what to do afterwards.
    """

    def __init__(self, then: Callable[[Turn], object] | None = None) -> None:
        self.then = then


MOST_IN_CHAIN: Final = 100
"""How often one handler may run for one control in one chain of causes."""
SHALLOW: Final = 3
"""Events nearer to the gesture than this aren't counted: they can't be a loop yet."""


class Turn(Undoable):
    """One gesture being carried out."""

    __slots__ = (
        "after", "by", "cause", "committed", "counts", "engine", "error", "event", "failure", "handler", "label",
        "lines", "outward", "pointing", "queue", "rows", "runs", "stale", "step", "typed", "undo", "way_out", "worker",
        "writes",
    )  # fmt: skip

    def __init__(self, engine: Engine, label: object, step: Callable[[Turn], object], by: By) -> None:
        self.engine = engine
        self.label = label
        self.step = step
        self.by: By = by
        self.queue: deque[Event] = deque()
        self.undo: list[Undo] = []
        self.rows: list[Row] | None = engine.trace.rows if engine.recording else None
        self.cause = 0
        self.event: Event | None = None
        self.handler: Handler | None = None
        self.runs = 0
        self.pointing = False
        self.counts: dict[Handler, int] | None = None
        self.stale: set[Any] | None = None
        self.after: list[Callable[[Turn], object]] | None = None
        self.lines: dict[tuple[Any, Any], int] | None = None
        self.committed = False
        self.typed: ControlState | None = None
        self.writes: list[tuple[Change, Any]] | None = None
        self.outward: list[tuple[Callable[..., object], tuple[object, ...]]] | None = None
        self.failure: HandlerFailed | None = None
        self.error: BaseException | None = None
        self.way_out: tuple[Form, str] | None = None
        self.worker: greenlet | None = None

    # ---- carrying out

    def carry_out(self) -> None:
        """Run the gesture's steps. An error is stored in `error`, and everything is undone."""
        engine = self.engine
        try:
            self.step(self)
            if self.queue or engine.updates.pending or self.after is not None:
                self.drain()
            while engine.unsettled:
                # A handler of these steps may unsettle them again; the fuse bounds how often.
                engine.last_steps(self)
            # A handler further out may have caught the error. The gesture fails all the same.
            if self.failure is not None:
                raise self.failure
            while self.writes is not None:
                engine.commit(self)
                # Lists of written sources have grown; rules that follow them may write again.
                self.drain()
            if self.outward is not None:
                engine.let_out(self)
        except Abandoned:
            self.put_back()
        except KeepEditing as refused:
            self.put_back()
            if refused.then is not None:
                self.step = refused.then
                self.carry_out()
        except BaseException as error:
            self._note_error(error)
            self.put_back()
            met = error.error if isinstance(error, HandlerFailed) else error
            # Written data can't be undone, so a gesture that has written is never repeated.
            asks = self.by == "user" and not (self.pointing or self.way_out or self.committed)
            if isinstance(met, StoreRefused) and asks:
                self._ask_again(met)
                return
            self.error = engine.failed(error, engine.store_rows, "the store") if isinstance(error, StoreRefused) else error
            if self.way_out is not None:
                # A user must always be able to cancel, even if a handler fails at that moment.
                engine.leave_without_handlers(self, *self.way_out)

    def _ask_again(self, refused: StoreRefused) -> None:
        """Ask the user to try again after a store refused during the gesture."""
        self.failure, step = None, self.step
        try:
            if self.engine.is_tried_again(self, refused):
                self.step = step
                self.carry_out()
        except Abandoned:
            self.put_back()

    def _note_error(self, error: BaseException) -> None:
        if self.rows is None:
            return
        if isinstance(error, HandlerFailed):
            file, line = error.where
            short = file.replace("\\", "/").rpartition("/")[2]
            kind = "fuse" if hasattr(error, "loop") else "error"
            add_row(self.rows, self.cause, kind, "", "", f"{short}:{line}", None, safe_text(describe(error.error)))
        else:
            add_row(self.rows, self.cause, "error", "", "", type(error).__name__, None, safe_text(describe(error)))

    def put_back(self) -> None:
        """Undo what this turn changed, newest first."""
        engine = self.engine
        # First the queue: its events are about values that are about to be restored.
        self.drop_queue()
        for target, name, old in reversed(self.undo):
            if isinstance(name, tuple):
                name, key = name
                items = {**getattr(target, name), key: old}
                if old is ABSENT:
                    del items[key]
                setattr(target, name, items)
                target._restored(name)
            elif isinstance(target, Undoable):
                setattr(target, name, old)
                target._restored(name)
            elif old is ABSENT:
                target.__dict__.pop(name, None)
            else:
                target.__dict__[name] = old
        self.undo.clear()
        if self.typed is not None and self.typed._draft is not None:
            self.typed._state.focus = self.typed
        self.after = self.writes = self.outward = self.lines = None
        # Derived values follow without events: for handlers, the gesture never happened.
        engine.updates.settle_quietly()

    def _restored(self, name: str) -> None:
        if name == "writes":
            self.engine.rows.differs()

    def drop_queue(self) -> None:
        """Drop the queued events."""
        for event in waiting_changes(self.queue):
            event.control._pending = None
        self.queue.clear()

    def keep(self, settled: set[tuple[int, Any]]) -> None:
        """Don't undo these cells: another turn settled them while this one waited."""
        self.undo = [entry for entry in self.undo if (id(entry[0]), entry[1]) not in settled]

    # ---- notes in the trace

    def note(self, kind: str, control: ControlState, name: str, old: object = None, new: object = None) -> int:
        """Add an entry about a control; return its number."""
        if self.rows is None:
            return 0
        return add_row(self.rows, self.cause, kind, control._state.name, control.name, name, old, new)

    def note_form(self, kind: str, form: Form | None, name: str, old: object = None, new: object = None) -> int:
        """Add an entry about a form; return its number."""
        if self.rows is None:
            return 0
        return add_row(self.rows, self.cause, kind, form._state.name if form is not None else "", "", name, old, new)

    # ---- changing things

    def set(self, target: Undoable, name: str, value: object) -> None:
        """Set an attribute. If the gesture fails, it gets its old value again."""
        self.undo.append((target, name, getattr(target, name)))
        setattr(target, name, value)

    def set_item(self, target: Undoable, name: str, key: object, value: object) -> None:
        """Set one item of a mapping, as `set` does. What others set in the same mapping stays."""
        items = getattr(target, name) or {}
        self.undo.append((target, (name, key), items.get(key, ABSENT)))
        setattr(target, name, {**items, key: value})

    def set_plain(self, container: Container, name: str, value: object) -> None:
        """Set a plain attribute of a form or group, as `set` does."""
        self.undo.append((container, name, container.__dict__.get(name, ABSENT)))
        container.__dict__[name] = value

    # The next three are the ones of every gesture. Compiled code sets a named attribute several times faster than `set`.

    def put_findings(self, control: ControlState, findings: tuple[Finding, ...]) -> None:
        """Set a control's findings."""
        self.undo.append((control, "_findings", control._findings))
        control._findings = findings

    def put_announced(self, cell: Cell, value: object) -> None:
        """Set the value of a cell that was last announced."""
        self.undo.append((cell, "announced", cell.announced))
        cell.announced = value

    def put_value(self, control: ControlState, value: object, cause: int) -> None:
        """Set a value and queue `changed`, unless it is the same."""
        old = control._value
        # In Python 1 == 1.0 == True, but setting one for the other is a change.
        if old is value or (type(old) is type(value) and old == value):
            return
        self.undo.append((control, "_value", old))
        control._value = value
        rows = self.rows
        plan = control._plan
        if rows is not None:
            was, becomes = (hidden(old), hidden(value)) if plan.masked else (old, value)
            cause = add_row(rows, cause, "change", control._state.name, control.name, "value", was, becomes)
        updates = self.engine.updates
        # Readers of a derived value were marked together with its cell.
        if control._watchers is not None and not control._rule:
            updates.mark(control, "value", cause)
        if plan.entry:
            if plan.validated or control._set is not None:
                updates.to_validate[control] = None
                updates.pending = True
            if control._initial is UNSEEN:
                self.undo.append((control, "_initial", UNSEEN))
                control._initial = old
        pending = control._pending
        if pending is not None:
            # Back at the old value: the queued event is void. Removing it from the queue would cost a search.
            if pending.old == value:
                control._pending = None
            return
        if rows is not None or "changed" in plan.heard or self.engine.pauses:
            handler = self.handler
            by: By = self.by if handler is None else "program"
            # The new value is read when the event's turn comes: it may change again until then.
            pending = Event("changed", control.form, control, old, None, by, cause, self.event, handler)
            control._pending = pending
            self.queue.append(pending)
        if plan.line is not None:
            self.lines = {**(self.lines or {}), plan.line: cause}

    # ---- events

    def raise_later(self, name: str, form: Form, control: Any, new: object, cause: int) -> None:
        """Queue an event, if it has a handler or is traced."""
        if self.rows is not None or self.is_heard(name, form, control):
            by: By = "program" if self.handler is not None else self.by
            self.queue.append(Event(name, form, control, None, new, by, cause, self.event, self.handler))

    def happen(self, name: str, form: Form, control: Any, old: object = None, new: object = None) -> str | None:
        """Raise an event and run its handlers; return the reason if one blocked it."""
        if self.rows is None and not self.is_heard(name, form, control):
            if self.queue or self.after or self.engine.updates.pending:
                self.drain()
            return None
        by: By = "program" if self.handler is not None else self.by
        event = Event(name, form, control, old, new, by, self.cause, self.event, self.handler)
        self.queue.append(event)
        self.drain()
        return event._reason

    def is_heard(self, name: str, form: Form, control: Any) -> bool:
        """Return True if an event has a handler or may be paused at."""
        if self.engine.pauses:
            return True
        if control is not None:
            return name in control._plan.heard
        state = form._state
        return (
            name in state.plan.heard
            or bool(state.listeners)
            or (state.opener is not None and bool(state.opener._state.plan.heard_of))
        )

    def come_back(self, queue: deque[Event], after: list[Callable[[Turn], object]] | None) -> None:
        """Continue with the queue that waited during a nested call."""
        # The drain further out iterates over this very queue, so it must be the same object.
        queue.extend(self.queue)
        self.queue = queue
        self.after = after

    @property
    def queued(self) -> tuple[str, ...]:
        """The queued events, by path."""
        return tuple([event.path for event in self.queue if not is_void(event)])

    def drain(self) -> None:
        """Run the queue and bring derived values up to date, until nothing is left."""
        queue = self.queue
        updates = self.engine.updates
        while True:
            while queue:
                self._dispatch(queue.popleft())
            # The order matters: checks see values that have followed, and what handlers asked for (close, focus)
            # comes when the form is consistent.
            if updates.touched:
                updates.announce(self)
            elif updates.pending:
                updates.validate_all(self)
            elif self.lines:
                # After derived values have followed, so that each line is announced once.
                lines, line = first = next(iter(self.lines))
                cause = self.lines.pop(first)
                self.raise_later("line_changed", lines.form, lines, line, cause)
            elif self.after:
                self.after.pop(0)(self)
            else:
                return

    def _dispatch(self, event: Event) -> None:
        control = event.control
        engine = self.engine
        rows = self.rows
        if control is None:
            self._dispatch_of_form(event)
            return
        if event.name == "changed":
            if is_void(event):
                return
            control._pending = None
            event.new = control._value
        plan = control._plan
        if engine.pauses and engine.pauses_at(event, self):
            pause(engine, self, event)
        if rows is not None:
            old, new = (hidden(event.old), hidden(event.new)) if plan.masked else (event.old, event.new)
            event._number = add_row(rows, event._cause, "event", event.form._state.name, control.name, event.name, old, new)
        handlers = plan.heard.get(event.name)
        if handlers is not None:
            self.run(handlers, control._owner, event)

    def _dispatch_of_form(self, event: Event) -> None:
        state = event.form._state
        engine = self.engine
        if engine.pauses and engine.pauses_at(event, self):
            pause(engine, self, event)
        if self.rows is not None:
            event._number = add_row(self.rows, event._cause, "event", state.name, "", event.name, event.old, event.new)
        # The form's own handlers, then attached ones, then the opener's: from the inside out.
        for handler in state.plan.heard.get(event.name, ()):
            self.run((handler,), state.containers[handler.within], event)
        for name, owner, handler in state.listeners.values():
            if name == event.name and owner._state.phase != "closed":
                self.run((handler,), owner, event)
        opener = state.opener
        if opener is not None and opener.is_open:
            for (form, name), handlers in opener._state.plan.heard_of.items():
                if name == event.name and isinstance(event.form, form):
                    self.run(handlers, opener, event)

    def run(self, handlers: tuple[Handler, ...], owner: Any, event: Event) -> None:
        """Run the handlers of one event."""
        engine, rows = self.engine, self.rows
        where = "" if event.control is None else event.control.name
        before_event, before_handler, before_cause = self.event, self.handler, self.cause
        try:
            for handler in handlers:
                if engine.muted and handler.function in engine.muted:
                    self.cause = event._number
                    self.note_form("block", event.form, f"muted {handler.name}", None, engine.muted[handler.function])
                    continue
                self.runs += 1
                if event._depth >= SHALLOW or self.runs > engine.max_runs:
                    self._fuse(handler, event)
                self.event, self.handler = event, handler
                target = owner
                if handler.up:
                    for _ in range(handler.up):
                        target = target.__dict__["_outer"]
                if rows is not None:
                    rows.append((event._number, "handler", target._state.name, where, handler.name, None, None))
                    self.cause = len(rows)
                try:
                    if handler.takes_event:
                        handler.function(target, event)
                    else:
                        handler.function(target)
                except HandlerFailed as failure:
                    # Noted, so that the gesture fails even if a handler further out catches the error.
                    self.failure = self.failure or failure
                    raise
                except Exception as error:
                    self.failure = self.failure or failed(error, handler.function, event, handler.name, self.told)
                    raise self.failure from error
                if engine.closing:
                    # A handler that caught `Abandoned` must not continue.
                    raise Abandoned
        finally:
            self.event, self.handler, self.cause = before_event, before_handler, before_cause

    @property
    def told(self) -> str:
        """The gesture, as messages name it."""
        return self.engine.label_text(self.label)

    def _fuse(self, handler: Handler, event: Event) -> None:
        """Raise `FuseBlown` if handlers keep triggering each other."""
        most = self.engine.max_runs
        if self.runs > most:
            self.failure = blown(handler, event, self.told, f"handlers ran more than {most} times in one gesture")
            raise self.failure
        counts = self.counts
        if counts is None:
            counts = self.counts = {}
        count = counts[handler] = counts.get(handler, 0) + 1
        # Walking back through the causes costs as much as the chain is long, so only suspects are walked.
        if count <= MOST_IN_CHAIN - SHALLOW or event._depth < MOST_IN_CHAIN:
            return
        runs, step = 1, event
        while step._parent is not None:
            runs += step._handler is handler and step._parent.control is event.control
            step = step._parent
        if runs > MOST_IN_CHAIN:
            why = f"one handler ran more than {MOST_IN_CHAIN} times for one control"
            self.failure = blown(handler, event, self.told, why)
            raise self.failure


def hidden(text: Any) -> str:
    """Return a masked password."""
    return MASK if text else ""
