"""One gesture being carried out: its queue of events, its undo log, and its notes in the trace."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any, Final, NamedTuple, TypeAlias

from greenlet import greenlet

from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.live_state import AnyControl, ControlState, FormState, is_masked, seen
from fuselatch.core.forms.plans import Handler
from fuselatch.core.model.cells import UNSEEN, Cell, Undoable
from fuselatch.core.model.errors import HandlerFailed
from fuselatch.core.model.events import By, Event
from fuselatch.core.model.findings import Finding, Override
from fuselatch.core.model.record_changes import Change
from fuselatch.core.model.trace_rows import TraceRow, add_row
from fuselatch.core.model.values import MASK, Value, same

if TYPE_CHECKING:
    from fuselatch.core.engine.state.session_state import SessionState

Undo = tuple[Any, Any, Any]
"""An object, the name of an attribute (or the name and a key of it), and the old value."""
Step: TypeAlias = "tuple[Callable[[Turn], object], Event | None, Handler | None]"
"""A step that a handler asked for: what to do, and the event and the handler that asked."""


class Effect(NamedTuple):
    """An outward effect: a call, what the user reads if it fails, and the place in the trace where it was asked for."""

    function: Callable[..., object]
    args: tuple[object, ...]
    caption: str
    place: tuple[int, str, str]


class LastChange:
    """The user's last finished gesture that changed a value, a line or a pick, which can be taken back.

    `form`: the form that was changed. `undo`: what was changed, oldest first. `label`: the gesture, as a turn has it.
    """

    __slots__ = ("form", "label", "undo")

    def __init__(self, form: OpenForm, undo: list[Undo], label: object) -> None:
        self.form = form
        self.undo = undo
        self.label = label


ABSENT: Any = type("Absent", (), {"__repr__": lambda self: "absent"})()
"""In an undo entry: the attribute or item didn't exist."""
ENGINE_HANDLER: Final = Handler("the form itself", lambda: None, False)
"""The handler that a prompt of the engine itself is asked by."""


class Turn(Undoable):
    """One gesture being carried out: its queue of events, its undo log, and its notes in the trace."""

    __slots__ = (
        "_description",
        "after", "by", "cause", "confirmed", "counts", "effect", "error", "event", "failed_at", "failure", "handler",
        "label", "late", "lines", "nested", "outward", "owed", "pointing", "queue", "rows", "runs", "said", "saved",
        "session", "stale", "step", "typed", "undo", "way_out", "worker", "writer", "writes",
    )  # fmt: skip

    def __init__(self, session: SessionState, label: object, step: Callable[[Turn], object], by: By) -> None:
        self.session = session
        # What is done: the words of the gesture, the function that carries it out, and who does it.
        self.label = label
        self._description = ""
        self.step = step
        self.by: By = by
        # Events that wait for their handlers; `after`: what handlers asked for, done when the queue is empty.
        self.queue: deque[Event] = deque()
        self.after: list[Step] | None = None
        # Lines of which a value changed, with the trace entry.
        self.lines: dict[tuple[Any, Any], int] | None = None
        # What was changed, oldest first. Emptied when the gesture is finished.
        self.undo: list[Undo] = []
        # The trace (None: not recorded), and the number of the entry that causes what happens now.
        self.rows: list[TraceRow] | None = session.trace.rows if session.recording else None
        self.cause = 0
        # The event and the handler that run now: what they change is by program.
        self.event: Event | None = None
        self.handler: Handler | None = None
        # The fuse: handler runs, in all and of each handler, and how deep they run inside one another.
        self.runs = 0
        self.nested = 0
        self.counts: dict[Handler, int] | None = None
        # True while the pointer moves: nothing can wait then.
        self.pointing = False
        # Controls whose value was read while they had a draft: noted once.
        self.stale: set[Any] | None = None
        # Writes and outward effects that are staged; `saved`: how many rows of each source are written, and can't be undone.
        self.writes: list[tuple[Change, Any]] | None = None
        self.outward: list[Effect] | None = None
        # The effects that belong to what is written: they are offered, should the rest fail.
        self.owed: tuple[Effect, ...] = ()
        # What an effect reads is noted here while it is carried out, and nowhere: so a rule that it reads can be told.
        self.effect: object = None
        self.saved: dict[str, int] | None = None
        # The forms whose message it has set.
        self.said: tuple[OpenForm, ...] = ()
        # The warnings that the user has confirmed.
        self.confirmed: list[tuple[FormState, Override]] = []
        # The event and the handler that staged last, to name in a loop.
        self.writer: tuple[Event, Handler] | None = None
        # The control that this gesture typed a key into, which stays when the gesture fails.
        self.typed: ControlState | None = None
        # A form that closes with a verdict, even if a handler fails.
        self.way_out: tuple[OpenForm, str] | None = None
        # The first failure of the developer's code, with its place in the trace; what the gesture ended with.
        self.failure: HandlerFailed | None = None
        self.failed_at: tuple[int, str, str] | None = None
        self.error: BaseException | None = None
        # The failure of a rule after another session's write: raised when all is done, and nothing is undone.
        self.late: HandlerFailed | None = None
        # The greenlet it runs on, while it runs or waits.
        self.worker: greenlet | None = None

    @property
    def description(self) -> str:
        """The gesture, as messages name it."""
        if not self._description:
            self._description = self.session.label_text(self.label)
        return self._description

    @property
    def saved_text(self) -> str:
        """The written rows, as the user reads them; "" for none. Written data can't be undone."""
        counted = ", ".join([f"{source}: {count}" for source, count in (self.saved or {}).items()])
        return self.session.text("effect.saved", saved=counted) if counted else ""

    @property
    def interrupted(self) -> str:
        """Say that the gesture was interrupted in the library's own work."""
        return f"'{self.description}' was interrupted halfway (Ctrl-C); the session can't be used any more, open it again"

    # ---- notes in the trace

    def note(self, kind: str, control: ControlState, name: str, old: object = None, new: object = None) -> int:
        """Add an entry about a control; return its number."""
        if self.rows is None:
            return 0
        return add_row(self.rows, self.cause, kind, control._state.name, control.name, name, old, new)

    def note_form(self, kind: str, form: OpenForm | None, name: str, old: object = None, new: object = None) -> int:
        """Add an entry about a form; return its number."""
        if self.rows is None:
            return 0
        return add_row(self.rows, self.cause, kind, form._state.name if form is not None else "", "", name, old, new)

    def note_undone(self, why: str) -> None:
        """Note that all that the gesture has changed is undone from here on."""
        if self.rows is None:
            return
        number = self.cause or len(self.rows)
        while self.rows[number - 1][0]:
            number = self.rows[number - 1][0]
        add_row(self.rows, number, "undo", "", "", self.description, None, why)

    def note_failed(self, failure: HandlerFailed) -> HandlerFailed:
        """Fail the gesture; return its first failure. The running handler's entry is the cause in the trace."""
        if self.failure is None:
            self.failure = failure
            self.failed_at = self.place
        return self.failure

    @property
    def place(self) -> tuple[int, str, str]:
        """The trace entry of what runs now, with the form and the control of its event."""
        event = self.event
        control = "" if event is None or event.control is None else event.control.name
        return self.cause, "" if event is None else event.form._state.name, control

    # ---- changing things

    def set(self, target: Undoable, name: str, value: object) -> None:
        """Set an attribute. If the gesture fails, it gets its old value again."""
        self.undo.append((target, name, getattr(target, name)))
        setattr(target, name, value)
        if isinstance(target, ControlState):
            touch(target)

    def set_item(self, target: Undoable, name: str, key: object, value: object) -> None:
        """Set one item of a mapping, as `set` does. What others set in the same mapping stays."""
        items = getattr(target, name) or {}
        self.undo.append((target, (name, key), items.get(key, ABSENT)))
        setattr(target, name, {**items, key: value})
        if isinstance(target, ControlState):
            touch(target)

    def set_plain(self, container: Container, name: str, value: object) -> None:
        """Set a plain attribute of a form or group, as `set` does."""
        self.undo.append((container, name, container.__dict__.get(name, ABSENT)))
        container.__dict__[name] = value

    # The next three are the ones of every gesture. Compiled code sets a named attribute several times faster than `set`.

    def put_findings(self, control: ControlState, findings: tuple[Finding, ...]) -> None:
        """Set a control's findings."""
        self.undo.append((control, "_findings", control._findings))
        control._findings = findings
        state = control._state
        state.touched[control] = None
        if control._watchers is not None or state.judged:
            judge_later(control)
            self.session.dirty.invalidate(control, "findings", self.cause)

    def put_announced(self, cell: Cell, value: object) -> None:
        """Set the value of a cell that was last announced."""
        self.undo.append((cell, "announced", cell.announced))
        cell.announced = value
        touch(cell.node)

    def put_value(self, control: ControlState, value: object, cause: int) -> None:
        """Set a value and queue `changed`, unless it is the same."""
        old = control._value
        # In Python 1 == 1.0 == True, but setting one for the other is a change.
        if old is value or (type(old) is type(value) and old == value and (type(old) is not tuple or same(old, value))):
            return
        self.undo.append((control, "_value", old))
        control._value = value
        session, rows = self.session, self.rows
        plan, state, watchers = control._plan, control._state, control._watchers
        state.touched[control] = None
        if rows is not None:
            was, becomes = told(control, old, value)
            cause = add_row(rows, cause, "change", state.name, control.name, "value", was, becomes)
        if watchers is not None or state.judged:
            judge_later(control)
            # Readers of a derived value were marked together with its cell.
            if watchers is not None and not control._rule:
                session.dirty.invalidate(control, "value", cause)
        if plan.is_input:
            if plan.validated or control._set is not None:
                session.dirty.to_validate[control] = None
                session.dirty.pending = True
            if control._initial is UNSEEN:
                self.undo.append((control, "_initial", UNSEEN))
                control._initial = old
        if not plan.answers and rows is None and not session.sees_events:
            return
        pending = control._pending
        if pending is not None:
            # Back at the old value: the queued event is void. Removing it from the queue would cost a search.
            if same(pending.old, value):
                control._pending = None
            return
        if rows is not None or "changed" in plan.heard or session.sees_events:
            handler = self.handler
            by: By = self.by if handler is None else "program"
            # The new value is read again when the event's turn comes: it may change until then.
            pending = Event("changed", control.form, control, old, value, by, cause, self.event, handler)
            control._pending = pending
            self.queue.append(pending)
        if plan.line is not None:
            self.lines = {**(self.lines or {}), plan.line: cause}

    # ---- events

    def raise_later(self, name: str, form: OpenForm, control: object, new: object, cause: int) -> None:
        """Queue an event, if it has a handler or is traced."""
        if self.rows is not None or self.is_heard(name, form, control):
            by: By = "program" if self.handler is not None else self.by
            self.queue.append(Event(name, form, control, None, new, by, cause, self.event, self.handler))

    def is_heard(self, name: str, form: OpenForm, control: AnyControl) -> bool:
        """Return True if an event has a handler or may be paused at."""
        if self.session.sees_events:
            return True
        if control is not None:
            return name in control._plan.heard
        state = form._state
        return (
            name in state.plan.heard
            or bool(state.listeners)
            or (state.opener is not None and bool(state.opener._state.plan.heard_of))
        )

    def drop_queue(self) -> None:
        """Drop the queued events."""
        for event in waiting_changes(self.queue):
            event.control._pending = None
        self.queue.clear()

    def keep(self, settled: Iterable[tuple[int, Any]]) -> None:
        """Don't undo these cells: another turn settled them while this one waited."""
        self.undo = [entry for entry in self.undo if (id(entry[0]), entry[1]) not in settled]

    @property
    def queued(self) -> tuple[str, ...]:
        """The queued events, by path."""
        return tuple([event.path for event in self.queue if not is_void(event)])


def touch(node: object) -> None:
    """Let the next view show a control, or group, again."""
    if isinstance(node, ControlState):
        node._state.touched[node] = None
        judge_later(node)


def judge_later(control: ControlState) -> None:
    """Let it be found out again if a control is valid, where a rule reads that, and mark what reads its marker."""
    watchers = control._watchers
    if control._state.judged or (watchers is not None and "marker" in watchers):
        port: Any = control._engine
        port.state.dirty.to_judge[control] = None
        port.state.dirty.pending = True


class OwnQueue:
    """Run something within a running handler with a queue of its own: `with OwnQueue(turn): …`.

    What the handler has queued and asked for waits until it has returned. The loop further out iterates over the waiting
    queue, so it must be the same object afterwards.
    """

    __slots__ = ("after", "lines", "queue", "turn")

    def __init__(self, turn: Turn) -> None:
        self.turn = turn
        self.queue = turn.queue
        self.after = turn.after
        self.lines = turn.lines

    def __enter__(self) -> None:
        self.turn.queue = deque()
        self.turn.after = self.turn.lines = None

    def __exit__(self, kind: object, error: object, trace: object) -> None:
        turn = self.turn
        self.queue.extend(turn.queue)
        turn.queue = self.queue
        turn.after = [*(self.after or ()), *(turn.after or ())] or None
        turn.lines = {**(self.lines or {}), **(turn.lines or {})} or None


def is_void(event: Event) -> bool:
    """Return True if a queued `changed` no longer applies."""
    return event.name == "changed" and event.control is not None and event.control._pending is not event


def waiting_changes(queue: Iterable[Event]) -> list[Event]:
    """Return the `changed` events of a queue that still apply."""
    return [event for event in queue if event.name == "changed" and event.control is not None and not is_void(event)]


def told(control: ControlState, old: object, new: object) -> tuple[Any, Any]:
    """Return two values of a control as the trace has them: of a password dots, of a choice the items' texts."""
    plan = control._plan
    if plan.lists:
        choices = seen(control, "choices")
        return item_text(choices, old), item_text(choices, new)
    return (hidden(old), hidden(new)) if (plan.masked or control._rule) and is_masked(control) else (old, new)


def item_text(choices: Any, value: Value) -> Value:
    """Return the text of an item, or of several, in a list as it was last announced."""
    if value is None or value == ():
        return value
    return tuple([choices.text(item) for item in value]) if isinstance(value, tuple) else choices.text(value)


def hidden(text: object) -> str:
    """Return a masked password."""
    return MASK if text else ""
