"""The state of one session, of the gesture that runs in it, and of what it waits for.

Everything above this module is functions over these objects. What a gesture changes it changes by `Turn.set`,
`set_item`, `set_plain` or one of the three typed ones, so that a gesture that fails can be undone (`undoing`).
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any, Final, NamedTuple, TypeAlias

from greenlet import getcurrent, greenlet

from fuselatch.core.engine.observer import Muting, Observer, Pausing
from fuselatch.core.engine.offers import Offers
from fuselatch.core.engine.session_options import Options
from fuselatch.core.engine.workers import Workers, workers_here
from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.live_state import ControlState, FormState, is_masked, seen
from fuselatch.core.forms.plans import FormPlan, Handler
from fuselatch.core.forms.port import EnginePort
from fuselatch.core.forms.prompts import Cells, Prompt, Tone
from fuselatch.core.forms.shared import Shared
from fuselatch.core.model.cells import UNSEEN, Cell, Node, Undoable
from fuselatch.core.model.errors import HandlerFailed, NotAllowedHere
from fuselatch.core.model.events import By, Event
from fuselatch.core.model.findings import Finding, Override
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.latch_records import LatchRecord
from fuselatch.core.model.record_changes import Change
from fuselatch.core.model.service_map import Services
from fuselatch.core.model.texts import said, user_text
from fuselatch.core.model.trace import Trace
from fuselatch.core.model.trace_rows import LONGEST, TraceRow, add_row, clipped
from fuselatch.core.model.values import MASK, same
from fuselatch.core.model.view import FailureView

LatchPlace = tuple[str, int, int, str]
"""A latch's place in the session: its name, the form's number, the record's number (0: any) and the key."""
Undo = tuple[Any, Any, Any]
"""An object, the name of an attribute (or the name and a key of it), and the old value."""
Message: TypeAlias = tuple[str, Tone, bool]
"""A form's message line: its text and tone, and if it stays when another record is shown."""
NO_MESSAGE: Final[Message] = ("", "plain", False)
Step: TypeAlias = "tuple[Callable[[Turn], object], Event | None, Handler | None]"
"""A step that a handler asked for: what to do, and the event and the handler that asked."""


class Effect(NamedTuple):
    """An outward effect: a call, what the user reads if it fails, and the place in the trace where it was asked for."""

    function: Callable[..., object]
    args: tuple[object, ...]
    caption: str
    place: tuple[int, str, str]


ABSENT: Any = type("Absent", (), {"__repr__": lambda self: "absent"})()
"""In an undo entry: the attribute or item didn't exist."""
ENGINE_HANDLER: Final = Handler("the form itself", lambda: None, False)
"""The handler that a prompt of the engine itself is asked by."""


class SessionSource(Node):
    """A part of the session that rules can read, by `prop`, such as the date or the rows of a source."""

    __slots__ = ("session",)

    def __init__(self, session: SessionState, name: str) -> None:
        super().__init__(name)
        self.session = session

    def read(self, prop: Any) -> Any:
        """Return the current value, and track it if a rule is running."""
        found = self._current(prop)
        tracker = self.session.port.tracker
        if tracker is not None:
            tracker[(self, prop)] = found
        return found

    def differs(self, cause: int = 0) -> None:
        """Mark everything that depends on this source."""
        if self._watchers:
            for prop in tuple(self._watchers):
                self.session.dirty.invalidate(self, prop, cause)


class Dirty:
    """The cells and controls that the scheduler still has to bring up to date."""

    __slots__ = ("cells", "computing", "pending", "session", "to_judge", "to_validate", "tolerant")

    def __init__(self, session: SessionState) -> None:
        self.session = session
        # True if there is a cell or a control; looked at after every step, so that an idle step costs one test.
        self.pending = False
        # Cells whose inputs may have changed, in the order in which they were marked. None of them is fresh.
        self.cells: dict[Cell, None] = {}
        # Controls whose value or rules may have changed.
        self.to_validate: dict[ControlState, None] = {}
        # Controls of which a rule asks if they are valid, or reads the marker.
        self.to_judge: dict[ControlState, None] = {}
        # True while rules follow what another session has written: one that fails keeps its last value.
        self.tolerant = False
        # The rules that are running, the innermost last: one that is asked for again is a circle.
        self.computing: list[Cell] = []

    def invalidate(self, node: Node, prop: Any, cause: int) -> None:
        """Mark every cell that depends on a property, directly or not."""
        watchers = node._watchers
        cells: Iterable[Cell] | None = None if watchers is None else watchers.get(prop)
        if not cells:
            return
        dirty = self.cells
        self.pending = True
        turn = self.session.turn
        handler = None if turn is None else turn.handler
        readers: Mapping[Any, Iterable[Cell]] | None
        deeper: list[Cell] | None = None
        while cells:
            for cell in cells:
                # Marked before, and so are its readers.
                if not cell.fresh and cell in dirty:
                    continue
                cell.fresh = False
                cell.cause = cause
                if handler is not None:
                    cell.because = turn.event, handler  # type: ignore[union-attr]
                dirty[cell] = None
                readers = cell.node._watchers
                if readers is not None:
                    deeper = [] if deeper is None else deeper
                    deeper.extend(readers.get(cell.prop, ()))
                    # A choice reads as blank when its list no longer offers the value, so its readers depend on the list.
                    if cell.prop == "choices":
                        deeper.extend(readers.get("value", ()))
            cells, deeper = deeper, None

    def invalidate_cell(self, cell: Cell, cause: int) -> None:
        """Mark one cell."""
        cell.fresh = False
        cell.cause = cause
        turn = self.session.turn
        if turn is not None and turn.handler is not None:
            cell.because = turn.event, turn.handler
        self.cells[cell] = None
        self.pending = True

    def revalidate(self, control: ControlState) -> None:
        """Queue a control to be validated."""
        plan = control._plan
        if plan.is_checked and (
            plan.validated or control._set is not None or control._findings or control._trouble is not None
        ):
            self.to_validate[control] = None
            self.pending = True

    def revalidate_check(self, at: Any) -> None:
        """Queue the controls that show a check, or show it in place of a hidden one."""
        self.revalidate(at)
        if not at.visible:
            for check in at._plan.checks:
                for path in check.controls:
                    self.revalidate(at.form._state.controls[path])


class FormStack(Undoable):
    """The open forms: which is in front, and what covers or hides another."""

    __slots__ = ("brought_to_front", "counts", "first", "forms", "front", "opened", "session", "unsettled")

    def __init__(self, session: SessionState) -> None:
        self.session = session
        # From back to front; closed forms leave it.
        self.forms: tuple[OpenForm, ...] = ()
        # The last of `forms` that isn't hidden: `find_front` keeps it so.
        self.front: OpenForm | None = None
        # The form that the session was opened with, whose outcome is the session's.
        self.first: OpenForm | None = None
        # The front form for which `brought_to_front` was last raised.
        self.brought_to_front: OpenForm | None = None
        # True if focus, pointer or front may not fit the forms any more: the turn takes its last steps.
        self.unsettled = False
        # How many forms were opened, in all and of each class; never undone, so that names and numbers stay unique.
        self.opened = 0
        self.counts: dict[str, int] = {}

    def next_serial(self, form: type[OpenForm]) -> tuple[int, str]:
        """Return a form's number and its name in the trace."""
        count = self.counts[form.__name__] = self.counts.get(form.__name__, 0) + 1
        self.opened += 1
        return self.opened, form.__name__ if count == 1 else f"{form.__name__}#{count}"

    def find_front(self) -> None:
        """Find the front form: the last that isn't hidden."""
        self.unsettled = True
        for form in reversed(self.forms):
            if not self.hidden(form):
                self.front = form
                return
        self.front = None

    def lead_out(self, turn: Turn) -> bool:
        """Show forms again that handlers have hidden, if the user has no other in front; return True if there were any.

        One that is offered by name can be reached. One that was hidden from outside is shown again from there.
        """
        waits = self.session.waits
        if waits and (waits[-1].over or not isinstance(waits[-1], DialogWait)):
            # The turn that waits, the innermost, may show one itself.
            return False
        found = False
        for form in reversed(self.forms):
            if self.front is not None and not self.covered(self.front):
                break
            state = form._state
            reached = not waits and self.session.offers.has(type(form))
            if state.hidden and not (state.kept_hidden or reached or self.covered(form)):
                found = True
                turn.note_form("change", form, "hidden", True, False)
                turn.set(state, "hidden", False)
                self.find_front()
        return found

    def hidden(self, form: OpenForm) -> bool:
        """Return True if a form is hidden, by itself or by a form that it opened."""
        if form._state.hidden:
            return True
        for other in self.forms:
            if other._state.manner.hiding and other._state.opener is form:
                return True
        return False

    def covered(self, form: OpenForm) -> bool:
        """Return True if a prompt, pause or modal dialog covers the form."""
        for wait in reversed(self.session.waits):
            if wait.over:
                continue
            if isinstance(wait, DialogWait):
                return form._state.serial < wait.child._state.serial
            return True
        return False

    def bring_to_front(self, turn: Turn, form: OpenForm) -> None:
        """Put a form in front."""
        self._put(turn, (*[other for other in self.forms if other is not form], form))

    def take_away(self, turn: Turn, form: OpenForm) -> None:
        """Remove a closed form."""
        self._put(turn, tuple(other for other in self.forms if other is not form))

    def _put(self, turn: Turn, forms: tuple[OpenForm, ...]) -> None:
        turn.set(self, "forms", forms)
        self.find_front()
        self.session.open_forms.differs(turn.cause)

    def drop(self, form: OpenForm) -> None:
        """Remove a form whose opening is undone. Another gesture may have changed the forms since."""
        self.forms = tuple(other for other in self.forms if other is not form)  # not undone: this is the undo
        self._restored("forms")

    def _restored(self, name: str) -> None:
        if name == "forms":
            self.find_front()
            self.session.open_forms.differs()


class Wait(Undoable):
    """Something that a turn waits for. When `over`, `result` has what the handler gets."""

    __slots__ = ("form", "over", "result", "turn")

    def __init__(self, turn: Turn, form: OpenForm | None) -> None:
        self.turn = turn
        self.form = form
        self.result: Any = None
        self.over = False

    def end(self, turn: Turn, result: object) -> None:
        """End the wait in a gesture, with its result."""
        turn.set(self, "over", True)
        self.result = result


class PromptWait(Wait):
    """A wait for an answer. `prompt` is what is shown, `declared` the developer's prompt."""

    __slots__ = ("by_close_button", "declared", "number", "prompt", "serial", "table", "text", "title")

    def __init__(
        self, turn: Turn, form: OpenForm, prompt: Prompt, declared: Prompt, text: str, table: Cells, number: int
    ) -> None:
        super().__init__(turn, form)
        turn.session.asked += 1
        self.by_close_button = False
        self.serial = turn.session.asked
        self.prompt = prompt
        self.declared = declared
        self.text = text
        self.table = table
        self.title: str = prompt.title or form._state._current("title")
        self.number = number

    def button(self, caption: str) -> str | None:
        """Return the shown button that a caption means: a shown or a declared one."""
        if caption in self.prompt.buttons:
            return caption
        declared = self.declared.buttons
        return self.prompt.buttons[declared.index(caption)] if caption in declared else None

    def __str__(self) -> str:
        return f"the answer to '{self.title}'"


class DialogWait(Wait):
    """A wait for a dialog's outcome."""

    __slots__ = ("child",)

    def __init__(self, turn: Turn, form: OpenForm | None, child: OpenForm) -> None:
        super().__init__(turn, form)
        self.child = child

    def __str__(self) -> str:
        return f"the outcome of {self.child._state.name}"


class PauseWait(Wait):
    """A pause before an event."""

    __slots__ = ("event",)

    def __init__(self, turn: Turn, event: Event) -> None:
        super().__init__(turn, event.form)
        self.event = event

    def __str__(self) -> str:
        return f"go_on() before {self.event.path}"


class SessionState(Undoable):
    """The state of one session."""

    __slots__ = (
        "asked", "broken", "catalogs", "clock", "closed", "closed_anyway", "closing", "dirty", "failed", "failure",
        "formats", "grouped", "hovered", "indexes", "known_latches", "last_entered", "last_view", "latch_store", "latches",
        "leaving", "max_runs", "messages", "muting", "notice", "now", "observers", "offers", "open_forms", "options",
        "pausing", "plans", "port", "read_at", "recording", "retired", "row_cache", "rows", "sees_events", "serial",
        "services", "session_latches", "shared", "stack", "store", "time", "trace", "turn", "unfinished", "waited",
        "waits", "workers",
    )  # fmt: skip

    port: EnginePort
    time: SessionSource
    open_forms: SessionSource
    rows: SessionSource
    catalogs: SessionSource
    latches: SessionSource

    def __init__(self, options: Options, offers: Offers) -> None:
        # What the session was created with; the second half is looked at in each gesture, or made from an option.
        self.options = options
        self.store = options.records
        self.latch_store = options.latches
        self.services = Services(options.services)
        self.offers = offers
        self.clock = options.clock
        self.formats = options.formats
        self.max_runs = options.max_runs
        self.recording = options.recording
        self.trace = Trace()
        self.stack = FormStack(self)
        self.dirty = Dirty(self)

        # The gesture that runs now. None between gestures, also while handlers wait: their turns are in `waits`.
        self.turn: Turn | None = None
        # The innermost last. They end last in, first out.
        self.waits: list[Wait] = []
        # The greenlets of this thread that gestures run on.
        self.workers: Workers = workers_here()
        # `closing`: handlers that wait are being abandoned. `closed`: afterwards.
        self.closing = False
        self.closed = False
        # Why the session can't be used any more: the library failed in a gesture.
        self.broken = ""
        # The turn that hasn't come to its end or to a wait. Between gestures it is set only after Ctrl-C at a bad moment.
        self.unfinished: Turn | None = None

        # Counts gestures, the user's and those by program; `asked` counts prompts. `waited`: what the user had to end first
        # (the id of a prompt or dialog) from a gesture on, by the gesture's number. `last_view`: see `viewing`.
        self.serial = 0
        self.asked = 0
        self.waited: list[tuple[int, str]] = []
        self.last_view: Any = None
        # The last gesture's failure, for the view.
        self.failure: FailureView | None = None
        # The rules that failed after another session's write, with what the user reads of it: their last values stay.
        self.failed: dict[Cell, FailureView] = {}

        # What the user sees besides the forms: why the last gesture was blocked, each form's message line, and
        # the control under the pointer.
        self.notice = ""
        self.messages: dict[OpenForm, Message] = {}
        self.hovered: ControlState | None = None

        # Whoever looks on: told in this order. `sees_events`: one of them wants all events, also those without a handler.
        self.observers: tuple[Observer, ...] = ()
        self.sees_events = False
        self.muting: Muting | None = None
        self.pausing: Pausing | None = None

        # The clock, read once per gesture; the time that was read last.
        self.now: datetime | None = None
        self.read_at: datetime | None = None
        # Forms that a gesture has closed: let go of once it is finished.
        self.leaving: list[tuple[OpenForm, Turn]] = []
        # The gesture in which something failed and a form closed all the same: what depends on it has yet to follow.
        self.closed_anyway: Turn | None = None
        self._begin_empty()

    def _begin_empty(self) -> None:
        """Begin with nothing gathered yet, by handlers or in caches."""
        # Shared values, latches that end with the session, and what was entered last.
        self.shared: dict[Shared[Any], Any] = {}
        self.session_latches: dict[LatchPlace, LatchRecord] = {}
        self.known_latches: dict[str, tuple[Latch, str]] = {}
        self.last_entered: dict[tuple[type[OpenForm], str], Any] = {}
        # `row_cache`: the rows of each source, by version. `indexes`: catalogs. `grouped`: rows by a column.
        # `plans`: with the policy. `retired`: lists with removed lines, which are dropped when no gesture can restore them.
        self.row_cache: dict[str, tuple[Any, tuple[Any, ...]]] = {}
        self.indexes: dict[Any, Any] = {}
        self.grouped: dict[tuple[str, str], tuple[Any, Mapping[Any, Any]]] = {}
        self.plans: dict[type[OpenForm], FormPlan] = {}
        self.retired: dict[Any, None] = {}

    def watch(self, observer: Observer) -> None:
        """Tell an observer from now on."""
        self.observers = (*self.observers, observer)
        self.sees_events = self.sees_events or type(observer).before_event is not Observer.before_event

    @property
    def is_broken(self) -> bool:
        """True if an error of the library, or Ctrl-C at a bad moment, has left it half changed. `broken` says why."""
        if not self.broken and self.unfinished is not None and not self.is_running:
            self.turn, self.broken = None, self.unfinished.interrupted
        return bool(self.broken)

    @property
    def is_running(self) -> bool:
        """True while a handler may run: on a worker, never on the thread's first greenlet."""
        return self.turn is not None and self.turn.worker is not None and getcurrent() is not self.workers.home

    @property
    def prompt_wait(self) -> PromptWait | None:
        """The open prompt, or None."""
        top = self.waits[-1] if self.waits else None
        return top if isinstance(top, PromptWait) else None

    @property
    def paused(self) -> Event | None:
        """The event that the session is paused before, or None."""
        top = self.waits[-1] if self.waits else None
        return top.event if isinstance(top, PauseWait) else None

    def text(self, text_id: str, /, **facts: object) -> str:
        """Return a text for the user in the session's language, with its facts filled in."""
        return user_text(self.formats, text_id, **facts)

    def said(self, text: str) -> str:
        """Return a text of the library in the session's language, and any other as it is."""
        return said(self.formats, text)

    def plan_of(self, form: type[OpenForm]) -> FormPlan:
        """Return a form's plan, with the session's policy applied."""
        policy = self.options.policy
        if policy is None:
            return form._plan
        plan = self.plans.get(form)
        if plan is None:
            plan = self.plans[form] = policy.applied(form)
        return plan

    def label_text(self, label: object) -> str:
        """Return a gesture as text: the user's by its words, a program's by what it sets."""
        if label.__class__ is Gesture and len(label.text) > LONGEST:
            return str(replace(label, text=clipped(label.text)))
        if label.__class__ is not tuple:
            return str(label)
        verb, target, prop = label
        name = f"{target.form.__class__.__name__}.{target.name}" if isinstance(target, ControlState) else str(target)
        return f"{verb} {name}" if prop == "value" else f"{verb} {name}.{prop}"

    def read_clock(self) -> datetime:
        """Return the clock's time, which is read once per gesture."""
        now = self.now
        if now is None:
            clock = self.clock
            if clock is None:
                raise NotAllowedHere("the session has no clock; open it with clock=…")
            now = clock()
            if not isinstance(now, datetime):
                raise TypeError(f"the clock returned {now!r}; expected a datetime")
            self.now = self.read_at = now
        return now

    def stamp(self) -> None:
        """Stamp the trace with the clock's time."""
        if self.clock is not None:
            self.trace.stamp(self.read_clock())


class Turn(Undoable):
    """One gesture being carried out: its queue of events, its undo log, and its notes in the trace."""

    __slots__ = (
        "after", "by", "cause", "confirmed", "counts", "error", "event", "failed_at", "failure", "handler", "label", "late",
        "lines", "nested", "outward", "owed", "pointing", "queue", "rows", "runs", "said", "saved", "session", "stale",
        "step", "typed", "undo", "way_out", "worker", "writer", "writes",
    )  # fmt: skip

    def __init__(self, session: SessionState, label: object, step: Callable[[Turn], object], by: By) -> None:
        self.session = session
        # What is done: the words of the gesture, the function that carries it out, and who does it.
        self.label = label
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
        return self.session.label_text(self.label)

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

    def raise_later(self, name: str, form: OpenForm, control: Any, new: object, cause: int) -> None:
        """Queue an event, if it has a handler or is traced."""
        if self.rows is not None or self.is_heard(name, form, control):
            by: By = "program" if self.handler is not None else self.by
            self.queue.append(Event(name, form, control, None, new, by, cause, self.event, self.handler))

    def is_heard(self, name: str, form: OpenForm, control: Any) -> bool:
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


def is_closed_for_good(session: SessionState, form: OpenForm) -> bool:
    """Return True if a form is closed, and the gesture that closed it is finished."""
    return form._state.phase == "closed" and not any(left is form for left, _ in session.leaving)


def is_void(event: Event) -> bool:
    """Return True if a queued `changed` no longer applies."""
    return event.name == "changed" and event.control is not None and event.control._pending is not event


def waiting_changes(queue: Iterable[Event]) -> list[Event]:
    """Return the `changed` events of a queue that still apply."""
    return [event for event in queue if event.name == "changed" and event.control is not None and not is_void(event)]


def told(control: ControlState, old: Any, new: Any) -> tuple[Any, Any]:
    """Return two values of a control as the trace has them: of a password dots, of a choice the items' texts."""
    plan = control._plan
    if plan.lists:
        choices = seen(control, "choices")
        return item_text(choices, old), item_text(choices, new)
    return (hidden(old), hidden(new)) if (plan.masked or control._rule) and is_masked(control) else (old, new)


def item_text(choices: Any, value: Any) -> Any:
    """Return the text of an item, or of several, in a list as it was last announced."""
    if value is None or value == ():
        return value
    return tuple([choices.text(item) for item in value]) if isinstance(value, tuple) else choices.text(value)


def hidden(text: Any) -> str:
    """Return a masked password."""
    return MASK if text else ""


def gesture_control(label: object) -> str:
    """Return the control that a user's gesture names, or ""."""
    return label.control if label.__class__ is Gesture else ""
