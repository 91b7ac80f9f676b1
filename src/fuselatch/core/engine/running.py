"""The state of one session, and how its turns run."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from typing import TYPE_CHECKING, Any, cast

from fuselatch.core.engine import focus, pointing
from fuselatch.core.engine.catalogs import CatalogNode
from fuselatch.core.engine.failure import failed
from fuselatch.core.engine.latching import LatchNode, Place
from fuselatch.core.engine.nodes import DayNode, FormsNode, RecordsNode, SharedNode
from fuselatch.core.engine.observer import Observer
from fuselatch.core.engine.offers import Offers
from fuselatch.core.engine.store import Store
from fuselatch.core.engine.turn import Turn
from fuselatch.core.engine.updates import Updates
from fuselatch.core.engine.waiting import PauseWait, Wait
from fuselatch.core.engine.workers import workers_here
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.held import ControlState
from fuselatch.core.forms.latches import Latch
from fuselatch.core.forms.lines import forget_gone
from fuselatch.core.forms.live_lists import LiveLines
from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.forms.policy import Rules
from fuselatch.core.forms.port import EnginePort
from fuselatch.core.forms.prompts import Tone
from fuselatch.core.forms.shared import Shared
from fuselatch.core.model.cells import Inputs
from fuselatch.core.model.errors import Abandoned, HandlerFailed, NotAllowedHere
from fuselatch.core.model.events import By, Event
from fuselatch.core.model.formats import Formats
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.latch_records import LatchRecord, LatchStore
from fuselatch.core.model.trace import Trace

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine
    from fuselatch.core.engine.session import Session


class Running(EnginePort):
    """The part of the engine that has the session's state and runs its turns."""

    def __init__(
        self,
        session: Session,
        clock: Callable[[], datetime] | None,
        formats: Formats,
        store: Store | None,
        latches: LatchStore | None,
        policy: Rules | None,
        offers: Offers,
        max_runs: int,
        recording: bool,
    ) -> None:
        self.session = session
        self.clock = clock
        self.formats = formats
        self.store = store
        self.latch_store = latches
        self.policy = policy
        self.offers = offers
        self.max_runs = max_runs
        self.recording = recording
        self.observer: Observer | None = None
        self.trace = Trace()
        self.notice = ""
        self.messages: dict[Form, tuple[str, Tone]] = {}
        self.forms: tuple[Form, ...] = ()
        self.front: Form | None = None
        self.first: Form | None = None
        self.brought_to_front: Form | None = None
        self.hovered: ControlState | None = None
        self.waits: list[Wait] = []
        self.muted: dict[Callable[..., object], str] = {}
        self.pauses: set[tuple[type, str, str]] = set()
        self.before_event: Callable[[Event, Turn], None] | None = None
        self.tracker: Inputs | None = None
        self.turn: Turn | None = None
        self.unsettled = False
        whole = self._whole = cast("Engine", self)
        self.updates = Updates(whole)
        self.day = DayNode(whole, "today")
        self.open_forms = FormsNode(whole, "find")
        self.rows = RecordsNode(whole, "records")
        self.shared: dict[Shared[Any], SharedNode] = {}
        self.closing = False
        self.closed = False
        self._workers = workers_here()
        self.catalogs = CatalogNode(whole, "catalogs")
        self.held: dict[Place, LatchRecord] = {}
        self.known_latches: dict[str, tuple[Latch, str]] = {}
        self.latch_node = LatchNode(whole, "latches")
        self.indexed: dict[tuple[str, str], tuple[Any, dict[Any, Any]]] = {}
        self.retired: dict[LiveLines[Any], None] = {}
        self.last_entered: dict[tuple[type[Form], str], Any] = {}
        self.row_cache: dict[str, tuple[Any, tuple[Any, ...]]] = {}
        self._plans: dict[type[Form], FormPlan] = {}
        self._serials: dict[str, int] = {}
        self._opened = 0
        self._now: datetime | None = None
        self._today: date | None = None

    # ---- turns

    def start(self, label: object, step: Callable[[Turn], None], by: By, quiet: bool = False) -> None:
        """Run a new turn, and the turns that wait for it; raise what went wrong.

        A `quiet` turn runs no code of the developer. Nothing can wait in it, so it needs no worker.
        """
        turn = Turn(self._whole, label, step, by)
        self.notice = ""
        self._now = None
        if self.day._watchers and self.clock is not None:
            self._look_at_the_day()
        if self.recording:
            self._record(turn, label, by)
        self.turn = turn
        try:
            if quiet:
                self._workers.must_be_at_home()
                turn.carry_out()
            else:
                self._workers.start(turn)
        finally:
            self.turn = None
        if self.waits or turn.error is not None:
            self._let_go_on(self._finished(turn))
            return
        if self.retired:
            # No gesture remains that could restore removed lines.
            for lines in self.retired:
                forget_gone(lines)
            self.retired.clear()

    def _let_go_on(self, first: BaseException | None) -> None:
        """Resume the turns that waited for a finished one; raise the first error."""
        # Waits end last in, first out.
        while self.waits and self.waits[-1].over:
            waiting_turn = self.waits.pop().turn
            self._resume(waiting_turn)
            first = first or self._finished(waiting_turn)
        if first is not None:
            raise first

    def _record(self, turn: Turn, label: object, by: By) -> None:
        if self.clock is not None:
            self.trace.stamp(self.read_clock())
        form = self.front._state.name if self.front is not None else ""
        rows = self.trace.rows
        control = label.control if label.__class__ is Gesture else ""
        rows.append((0, "gesture", form, control, self.label_text(label), None, by))
        turn.cause = len(rows)

    def _resume(self, turn: Turn, thrown: BaseException | None = None) -> None:
        self.turn = turn
        try:
            self._workers.go_on(turn, thrown)
        finally:
            self.turn = None

    def _finished(self, turn: Turn) -> BaseException | None:
        """Drop the undo log of a finished turn; return its error."""
        if turn.worker is None and turn.undo:
            if self.waits:
                settled = {(id(target), name) for target, name, _ in turn.undo}
                for wait in self.waits:
                    wait.turn.keep(settled)
            turn.undo.clear()
        return turn.error

    def close(self) -> None:
        """Raise `Abandoned` in waiting handlers, innermost first; raise their first error."""
        self.closing = True
        first: BaseException | None = None
        while self.waits:
            turn = self.waits.pop().turn
            self._resume(turn, Abandoned())
            first = first or turn.error
        self.closed = True
        if first is not None:
            raise first

    def go_on(self) -> None:
        top = self.waits[-1] if self.waits else None
        if not isinstance(top, PauseWait):
            raise NotAllowedHere("the session isn't paused")
        turn = self.waits.pop().turn
        self._resume(turn)
        self._let_go_on(self._finished(turn))

    def at_the_bottom(self, work: Callable[[], Any]) -> Any:
        """Run something from the bottom of the stack."""
        return self._workers.at_the_bottom(work)

    def last_steps(self, turn: Turn) -> None:
        """End a turn: move pointer and focus off what can't have them, update the front form."""
        self.unsettled = False
        pointing.release(turn, None)
        focus.keep(turn)
        front = self.front
        if front is not None and front is not self.brought_to_front:
            turn.set(self, "brought_to_front", front)
            if front._state.was_shown:
                turn.happen("brought_to_front", front, None)
            front._state.was_shown = True
        turn.drain()

    def label_text(self, label: object) -> str:
        """Return a gesture as text: the user's by its words, a program's by what it sets."""
        if label.__class__ is not tuple:
            return str(label)
        verb, target, prop = label
        name = f"{target.form.__class__.__name__}.{target.name}" if isinstance(target, ControlState) else str(target)
        return f"{verb} {name}" if prop == "value" else f"{verb} {name}.{prop}"

    def stamp(self, reread: bool = False) -> None:
        """Stamp the trace with the clock's time. Pass `reread=True` outside a turn."""
        if reread:
            self._now = None
        if self.clock is not None:
            self.trace.stamp(self.read_clock())

    def read_clock(self) -> datetime:
        """Return the clock's time, which is read once per gesture."""
        if self._now is None:
            if self.clock is None:
                raise NotAllowedHere("the session has no clock; open it with clock=…")
            self._now = self.clock()
        return self._now

    def _look_at_the_day(self) -> None:
        today = self.read_clock().date()
        if today != self._today:
            self._today = today
            self.day.differs()

    def failed(self, error: Exception, function: Callable[..., Any], what: str) -> HandlerFailed:
        """Return the error for a rule, check or default that raised; fail the turn."""
        turn = self.turn
        event = turn.event if turn is not None else None
        failure = failed(error, function, event, what, turn.told if turn is not None else "reading")
        if turn is not None:
            turn.failure = turn.failure or failure
        return failure
