"""The state of one session.

Everything above this folder is functions over these objects. What a gesture changes it changes by `Turn.set`, `set_item`,
`set_plain` or one of the three typed ones, so that a gesture that fails can be undone (`undoing`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any, Final, TypeAlias

from greenlet import getcurrent

from fuselatch.core.engine.state.dirty import Dirty
from fuselatch.core.engine.state.observer import Muting, Observer, Pausing
from fuselatch.core.engine.state.offers import Offers
from fuselatch.core.engine.state.session_node import SessionNode
from fuselatch.core.engine.state.session_options import Options
from fuselatch.core.engine.state.stack import FormStack
from fuselatch.core.engine.state.waiting import CallWait, PauseWait, PromptWait, Wait
from fuselatch.core.engine.state.workers import Workers, workers_here
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.forms.port import EnginePort
from fuselatch.core.forms.prompts import Tone
from fuselatch.core.forms.shared import Shared
from fuselatch.core.model.cells import Cell, Undoable
from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.events import Event
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.latch_records import LatchRecord, later_by
from fuselatch.core.model.service_map import Services
from fuselatch.core.model.texts import said, user_text
from fuselatch.core.model.trace import Trace
from fuselatch.core.model.trace_rows import LONGEST_TRACED, clipped
from fuselatch.core.model.view import FailureView

if TYPE_CHECKING:
    from fuselatch.core.engine.state.turns import LastChange, Turn

LatchPlace = tuple[str, int, int, str]
"""A latch's place in the session: its name, the form's number, the record's number (0: any) and the key."""
Message: TypeAlias = tuple[str, Tone, bool]
"""A form's message line: its text and tone, and if it stays when another record is shown."""
NO_MESSAGE: Final[Message] = ("", "plain", False)


class SessionState(Undoable):
    """The state of one session."""

    __slots__ = (
        "asked", "broken", "called", "calls", "catalogs", "clock", "closed", "closed_anyway", "closing", "dirty", "failed",
        "failure", "formats", "grouped", "hovered", "indexes", "known_latches", "last_change", "last_entered", "last_view",
        "latch_store", "latches", "leaving", "max_runs", "messages", "muting", "notice", "now", "observers", "offers",
        "open_forms", "options", "pausing", "plans", "port", "quiet_since", "read_at", "recording", "retired", "row_cache",
        "rows", "sees_events", "serial", "services", "session_latches", "shared", "stack", "store", "time", "told_idle",
        "trace", "turn", "unfinished", "waited", "waits", "workers",
    )  # fmt: skip

    port: EnginePort
    time: SessionNode
    open_forms: SessionNode
    rows: SessionNode
    catalogs: SessionNode
    latches: SessionNode

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
        # Slow calls that handlers wait for, the oldest first; they end in any order. `called` counts them.
        self.calls: list[CallWait] = []
        self.called = 0
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

        # The user's last change, while it can be taken back.
        self.last_change: LastChange | None = None

        # What the user sees besides the forms: why the last gesture was blocked, each form's message line, and
        # the control under the pointer.
        self.notice = ""
        self.messages: dict[OpenForm, Message] = {}
        self.hovered: ControlState | None = None

        # The user's last gesture, from when a form with the option `idle` opens; True once a form was told since.
        self.quiet_since: datetime | None = None
        self.told_idle = False
        # The clock, read once per gesture; the time that was read last.
        self.now: datetime | None = None
        self.read_at: datetime | None = None
        self._begin_empty()

    def _begin_empty(self) -> None:
        """Begin with nothing gathered yet, by handlers or in caches, and without observers."""
        # Forms that a gesture has closed: let go of once it is finished.
        self.leaving: list[tuple[OpenForm, Turn]] = []
        # The gesture in which something failed and a form closed all the same: what depends on it has yet to follow.
        self.closed_anyway: Turn | None = None
        # Whoever looks on: told in this order. `sees_events`: one of them wants all events, also those without a handler.
        self.observers: tuple[Observer, ...] = ()
        self.sees_events = False
        self.muting: Muting | None = None
        self.pausing: Pausing | None = None

        # Shared values, latches that end with the session, and what was entered last.
        self.shared: dict[Shared[object], Any] = {}
        self.session_latches: dict[LatchPlace, LatchRecord] = {}
        self.known_latches: dict[str, tuple[Latch, str]] = {}
        self.last_entered: dict[tuple[type[OpenForm], str], object] = {}
        # `row_cache`: the rows of each source, by version. `indexes`: catalogs. `grouped`: rows by a column.
        # `plans`: with the policy. `retired`: lists with removed lines, which are dropped when no gesture can restore them.
        self.row_cache: dict[str, tuple[object, tuple[Any, ...]]] = {}
        self.indexes: dict[object, Any] = {}
        self.grouped: dict[tuple[str, str], tuple[object, Mapping[object, Any]]] = {}
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
    def parked(self) -> list[Wait]:
        """Everything that handlers wait for."""
        return [*self.waits, *self.calls] if self.calls else self.waits

    def call_named(self, name: str) -> CallWait | None:
        """Return the slow call with an id or a name that still waits, the newest for ""."""
        waiting = [wait for wait in self.calls if not wait.over and name in ("", wait.call.id, wait.call.name)]
        return waiting[-1] if waiting else None

    @property
    def prompt_wait(self) -> PromptWait | None:
        """The open prompt, or None."""
        top = self.waits[-1] if self.waits else None
        return top if isinstance(top, PromptWait) else None

    @property
    def takes_back(self) -> bool:
        """True if the user can take back the last change: its form is in front, and no text there waits to be entered."""
        change, front = self.last_change, self.stack.front
        if change is None or front is None or change.form is not front or self.prompt_wait is not None:
            return False
        focus = front._state.focus
        return focus is None or focus._draft is None or focus._draft == focus._decl.text_of(focus, self.formats)

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
        if label.__class__ is Gesture and len(label.text) > LONGEST_TRACED:
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

    def idle_at(self) -> datetime | None:
        """Return when the front form is told that the user is idle, or None."""
        front = self.stack.front
        since = self.quiet_since
        if front is None or since is None or self.told_idle or self.waits:
            return None
        seconds = front._state.plan.idle
        return None if seconds is None else later_by(since, timedelta(seconds=seconds))

    def stamp(self) -> None:
        """Stamp the trace with the clock's time."""
        if self.clock is not None:
            self.trace.stamp(self.read_clock())


def is_closed_for_good(session: SessionState, form: OpenForm) -> bool:
    """Return True if a form is closed, and the gesture that closed it is finished."""
    return form._state.phase == "closed" and not any(left is form for left, _ in session.leaving)


def gesture_control(label: object) -> str:
    """Return the control that a user's gesture names, or ""."""
    return label.control if label.__class__ is Gesture else ""
