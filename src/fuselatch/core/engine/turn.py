"""A turn: one gesture being carried out, with its queue, its undo log and the worker it runs on.

The order is that of the design: after each step the queue is emptied; one handler runs at a time;
when the queue is empty what is derived is brought up to date, and the queue runs on. If code of
the author fails, everything this turn has changed is put back, newest first.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Final

from greenlet import greenlet

from fuselatch.core.engine.failure import blown, failed
from fuselatch.core.forms.controls import Live, LiveValue
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.plans import Handler, call
from fuselatch.core.model.errors import Abandoned, HandlerFailed, describe
from fuselatch.core.model.events import By, Event
from fuselatch.core.model.trace import Trace, safe_text

if TYPE_CHECKING:
    from fuselatch.core.engine.session import Session

Undo = tuple[Any, str, Any]
ABSENT: Any = type("Absent", (), {"__repr__": lambda self: "absent"})()
"""In an undo entry: the attribute was not there."""
OPENED: Final = "(opened)"
"""In an undo entry: the form was opened, and counts as closed once that is put back."""

MOST_IN_CHAIN: Final = 100
"""How often one handler may run for one control in one chain of causes."""


class Turn:
    """One gesture being carried out."""

    __slots__ = (
        "by", "cause", "counts", "error", "event", "failure", "handler", "label", "queue", "runs",
        "session", "stale", "step", "trace", "undo", "way_out", "worker",
    )  # fmt: skip

    def __init__(self, session: Session, label: object, step: Callable[[Turn], None], by: By) -> None:
        self.session = session
        self.label = label
        self.step = step
        self.by: By = by
        self.queue: deque[Event] = deque()
        self.undo: list[Undo] = []
        self.trace: Trace | None = session.trace if session.recording else None
        self.cause = 0
        self.event: Event | None = None
        self.handler: Handler | None = None
        self.runs = 0
        self.counts: dict[tuple[Handler, Any], int] | None = None
        self.failure: HandlerFailed | None = None
        self.error: BaseException | None = None
        self.stale: set[Any] = set()
        self.way_out: tuple[Form, str] | None = None
        self.worker: greenlet | None = None

    # ---- carrying out

    def carry_out(self) -> None:
        """Take the gesture's steps; whatever goes wrong is kept in `error`, with everything put back."""
        try:
            self.step(self)
            self.drain()
            if self.failure is not None:
                raise self.failure
        except Abandoned:
            self.put_back()
        except BaseException as error:
            self.error = error
            self._note_error(error)
            self.put_back()
            if self.way_out is not None:
                self.session.leave_without_handlers(self, *self.way_out)

    def _note_error(self, error: BaseException) -> None:
        if self.trace is None:
            return
        if isinstance(error, HandlerFailed):
            file, line = error.where
            short = file.replace("\\", "/").rpartition("/")[2]
            kind = "fuse" if hasattr(error, "loop") else "error"
            self.trace.add(self.cause, kind, "", "", f"{short}:{line}", None, safe_text(describe(error.error)))
        else:
            self.trace.add(self.cause, "error", "", "", type(error).__name__, None, safe_text(describe(error)))

    def put_back(self) -> None:
        """Undo everything that this turn has changed, newest first."""
        session = self.session
        for event in self.queue:
            if event.control is not None and event.control._pending is event:
                event.control._pending = None
        self.queue.clear()
        for target, name, old in reversed(self.undo):
            if name is OPENED:
                session.forget(target)
            elif isinstance(target, Form):
                if old is ABSENT:
                    target.__dict__.pop(name, None)
                else:
                    target.__dict__[name] = old
            else:
                setattr(target, name, old)
                if isinstance(target, Live):
                    session.touch(target, name)
        self.undo.clear()
        session.updates.settle_quietly()

    def keep(self, settled: set[tuple[int, str]]) -> None:
        """Another turn has settled these cells while this one waited: it no longer puts them back."""
        self.undo = [entry for entry in self.undo if (id(entry[0]), entry[1]) not in settled]

    # ---- notes in the trace

    def note(self, kind: str, control: Any, name: str, old: object = None, new: object = None) -> int:
        """Add an entry about a control, caused by what is running; gives its number."""
        if self.trace is None:
            return 0
        return self.trace.add(self.cause, kind, control.form._state.name, control.name, name, old, new)

    def note_form(self, kind: str, form: Form | None, name: str, old: object = None, new: object = None) -> int:
        """Add an entry about a form, caused by what is running; gives its number."""
        if self.trace is None:
            return 0
        return self.trace.add(self.cause, kind, form._state.name if form is not None else "", "", name, old, new)

    # ---- changing things

    def put_value(self, control: LiveValue[Any], value: object, cause: int) -> None:
        """Set what a control holds, and queue `changed`, unless it holds that already."""
        old = control._value
        if old is value or (old == value and type(old) is type(value)):
            return
        self.undo.append((control, "_value", old))
        control._value = value
        trace = self.trace
        if trace is not None:
            cause = trace.add(cause, "change", control.form._state.name, control.name, "value", old, value)
        updates = self.session.updates
        if control._watchers is not None:
            updates.mark(control, "value", cause)
        plan = control._plan
        if plan.judged:
            updates.unjudged[control] = None  # type: ignore[index]
        pending = control._pending
        if pending is not None:
            pending.new = value
            if pending.old == value:
                pending._dead = True
                control._pending = None
        elif trace is not None or "changed" in plan.heard:
            by: By = "program" if self.handler is not None else self.by
            event = Event("changed", control.form, control, old, value, by, cause, self.event, self.handler)
            control._pending = event
            self.queue.append(event)

    def note_property(self, control: Live, prop: str, old: object, new: object, cause: int) -> None:
        """Note that a property differs, and have what depends on it looked at again."""
        if self.trace is not None:
            self.trace.add(cause, "change", control.form._state.name, control.name, prop, old, new)
        if control._plan.judged:
            self.session.updates.unjudged[control] = None  # type: ignore[index]
        if prop == "choices":
            self._still_offered(control, cause)

    def _still_offered(self, control: Any, cause: int) -> None:
        held = control._value
        offered = control._current("choices")
        if held is not None and held not in offered and "value" not in control._decl.rules:
            default = control._decl.constants.get("default")
            self.put_value(control, default if default in offered else None, cause)

    # ---- events

    def happen(self, name: str, form: Form, control: Any, old: object = None, new: object = None) -> Event | None:
        """Raise an event and run what it sets off; gives it, or None where nobody could hear it."""
        heard = control._plan.heard if control is not None else None
        if heard is not None and name not in heard and self.trace is None:
            return None
        by: By = "program" if self.handler is not None else self.by
        event = Event(name, form, control, old, new, by, self.cause, self.event, self.handler)
        self.queue.append(event)
        self.drain()
        return event

    def drain(self) -> None:
        """Run the queue to its end, then bring up to date, until nothing is left to do."""
        queue = self.queue
        updates = self.session.updates
        while True:
            while queue:
                event = queue.popleft()
                if not event._dead:
                    self._dispatch(event)
            if updates.touched:
                updates.announce(self)
            elif updates.unjudged:
                updates.judge_all(self)
            else:
                return

    def _dispatch(self, event: Event) -> None:
        control = event.control
        if control is not None:
            if event.name == "changed":
                control._pending = None
            if self.trace is not None:
                event._number = self.trace.add(
                    event._cause, "event", event.form._state.name, control.name, event.name, event.old, event.new
                )
            for handler in control._plan.heard.get(event.name, ()):
                self.run(handler, control._owner, event)
            return
        state = event.form._state
        if self.trace is not None:
            event._number = self.trace.add(event._cause, "event", state.name, "", event.name, event.old, event.new)
        for handler in state.plan.heard.get(event.name, ()):
            self.run(handler, event.form, event)
        opener = state.opener
        if opener is not None and opener.is_open:
            for (form, name), handlers in opener._state.plan.heard_of.items():
                if name == event.name and isinstance(event.form, form):
                    for handler in handlers:
                        self.run(handler, opener, event)

    def run(self, handler: Handler, owner: Any, event: Event) -> None:
        """Run one handler for one event."""
        self.runs += 1
        if self.runs > self.session.max_runs or event._depth >= 3:
            self._fuse(handler, event)
        before = self.event, self.handler, self.cause
        self.event, self.handler = event, handler
        if self.trace is not None:
            name = handler.name.rpartition(".")[2]
            where = owner._state.name, event.control.name if event.control is not None else ""
            self.cause = self.trace.add(event._number, "handler", *where, name)
        try:
            call(handler, owner, event)
            if self.session.closing:
                # A handler that swallowed `Abandoned` gets no further.
                raise Abandoned
        except HandlerFailed as failure:
            # Kept, so that the gesture fails even if a handler further out swallows the error.
            self.failure = self.failure or failure
            raise
        except Exception as error:
            self.failure = self.failure or failed(error, handler.function, event, handler.name, str(self.label))
            raise self.failure from error
        finally:
            self.event, self.handler, self.cause = before

    def _fuse(self, handler: Handler, event: Event) -> None:
        """Blow where handlers keep setting each other off."""
        most = self.session.max_runs
        if self.runs > most:
            self.failure = blown(handler, event, str(self.label), f"more than {most} handler runs in one gesture")
            raise self.failure
        counts = self.counts = self.counts if self.counts is not None else {}
        key = (handler, event.control)
        counts[key] = counts.get(key, 0) + 1
        if counts[key] <= MOST_IN_CHAIN - 3:
            return
        runs, step = 1, event
        while step._parent is not None:
            runs += step._handler is handler and step._parent.control is event.control
            step = step._parent
        if runs > MOST_IN_CHAIN:
            why = f"more than {MOST_IN_CHAIN} runs for one control in one chain"
            self.failure = blown(handler, event, str(self.label), why)
            raise self.failure
