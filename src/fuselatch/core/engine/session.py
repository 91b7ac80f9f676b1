"""The session: a state machine that is fed gestures and gives views.

It does no I/O: it never draws, sleeps, or reads a clock, a file or the environment; clock, user
and formats are given to it. A session belongs to the thread that made it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, datetime
from types import TracebackType
from typing import Any, ParamSpec, Self

from fuselatch.core.engine import refusals, waiting
from fuselatch.core.engine.closing import leave_without_handlers
from fuselatch.core.engine.failure import failed
from fuselatch.core.engine.opening import open_form
from fuselatch.core.engine.steps import STEPS, drop_draft, end_wait, put_focus, step
from fuselatch.core.engine.turn import ABSENT, Turn
from fuselatch.core.engine.updates import Updates, same
from fuselatch.core.engine.view import View, view_of
from fuselatch.core.engine.waiting import DialogWait, PromptWait, Wait
from fuselatch.core.engine.workers import Workers
from fuselatch.core.forms.controls import Live, LiveChoice, LiveEntry, LiveValue
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.cells import Cell, Inputs
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.errors import Abandoned, FormClosed, HandlerFailed, NotAllowedHere, Refused, RuleError, UnknownName
from fuselatch.core.model.formats import Formats, PlainFormats
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.trace import Trace
from fuselatch.core.model.values import short

P = ParamSpec("P")
MAX_RUNS = 10_000
"""Handler runs in one gesture, above which the fuse blows."""


class Session:
    """One person's open forms, from the first that is opened to the last that closes.

    `Session(BookingForm, user="desk-2", clock=lambda: now, params={"tariff": tariff})` opens the form. Feed
    it a `Gesture` at a time; `view` is what the person would now see. It is a context manager:
    leaving it closes it, which throws `Abandoned` into handlers that still wait, innermost first.

    Raises, from `feed` and when opening: `Refused`, `UnknownName`, `HandlerFailed`.
    """

    def __init__(
        self,
        form: type[Form],
        *,
        user: str = "",
        clock: Callable[[], datetime] | None = None,
        formats: Formats | None = None,
        max_runs: int = MAX_RUNS,
        recording: bool = True,
        params: Mapping[str, Any] | None = None,
    ) -> None:
        self.user = user
        self.clock = clock
        self.formats: Formats = formats if formats is not None else PlainFormats()
        self.max_runs = max_runs
        self.recording = recording
        self.trace = Trace()
        self.notice = ""
        self.forms: tuple[Form, ...] = ()
        self.waits: list[Wait] = []
        self.tracker: Inputs | None = None
        self.turn: Turn | None = None
        self.updates = Updates(self)
        self.closing = False
        self.closed = False
        self._workers = Workers()
        self._serials: dict[type[Form], int] = {}
        self._now: datetime | None = None
        opened: list[Form] = []

        def open_first(turn: Turn) -> None:
            opened.append(open_form(turn, form, params or {}, None))

        try:
            self._start(f"open {form.__name__}", open_first, "program")
        except BaseException:
            self.close()
            raise
        self.first = opened[0]

    # ---- for faces

    @property
    def view(self) -> View:
        """What a person would now see; building it runs no code of the author."""
        return view_of(self)

    @property
    def front(self) -> Form:
        """The form in front; `NotAllowedHere` where none is open."""
        if not self.forms:
            raise NotAllowedHere("no form is open any more")
        return self.forms[-1]

    @property
    def outcome(self) -> Outcome | None:
        """The outcome of the first form, once it has closed."""
        return None if self.first.is_open else self.first._state.outcome

    @property
    def prompt_wait(self) -> PromptWait | None:
        """The prompt on top, where one is up."""
        top = self.waits[-1] if self.waits else None
        return top if isinstance(top, PromptWait) else None

    def feed(self, gesture: Gesture) -> None:
        """Carry out what a person did, until all is settled or a person is awaited.

        Raises `UnknownName` for a control that the front form does not have, `Refused` for what
        the person could not even start (both change nothing), and `HandlerFailed` where code of
        the author raised: what its gesture changed has been put back.
        """
        if self.turn is not None:
            raise NotAllowedHere(f"a handler can't feed its own session ({gesture}); a gesture is made by a person")
        carry = STEPS.get(gesture.verb)
        if carry is None:
            raise UnknownName(refusals.unknown_verb(gesture.verb))
        control = self._target(gesture)
        found = refusals.obstacle(self, gesture, control)
        if found is not None:
            if self.recording:
                name = self.forms[-1]._state.name if self.forms else ""
                self._stamp()
                self.trace.add(0, "refused", name, gesture.control, str(gesture), None, found[0])
            raise Refused(str(gesture), *found)
        self._start(gesture, lambda turn: carry(turn, gesture, control), "person")

    def drop_rest(self, why: str) -> None:
        """Have the trace and the view say that the rest of what a person was doing has come to nothing."""
        if self.recording:
            self.trace.add(len(self.trace), "drop", self.front._state.name, "", "rest of the keys", None, why)
        self.notice = why

    def _target(self, gesture: Gesture) -> Live | None:
        if not gesture.control:
            if gesture.verb not in ("tab", "answer", "close"):
                raise UnknownName(f"'{gesture.verb}' names no control")
            return None
        if not self.forms or self.prompt_wait is not None:
            return None
        form = self.front
        try:
            return form._state.controls[gesture.control]
        except KeyError:
            hint = suggest(gesture.control, form._state.controls)
            raise UnknownName(f"{form._state.name} has no control '{gesture.control}': {hint}") from None

    def close(self) -> None:
        """Close the session: waiting handlers are thrown `Abandoned`, innermost first; errors of theirs are raised."""
        if self.closed:
            return
        if self.turn is not None:
            raise NotAllowedHere("a handler can't close its own session; close the form")
        self.closing = True
        first: BaseException | None = None
        while self.waits:
            turn = self.waits.pop().turn
            self._resume(turn, Abandoned())
            first = first or turn.error
        self._workers.end()
        self.closed = True
        if first is not None:
            raise first

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self.close()

    # ---- for handlers

    def now(self) -> datetime:
        """The session's clock, read once a gesture; `NotAllowedHere` where it was given none."""
        if self._now is None:
            if self.clock is None:
                raise NotAllowedHere("this session was given no clock; open it with clock=…")
            self._now = self.clock()
        return self._now

    def today(self) -> date:
        """The date of `now()`."""
        return self.now().date()

    # ---- turns

    def _start(self, label: object, carry: Callable[[Turn], None], by: Any) -> None:
        """Carry out a new turn on a worker, and whatever it lets go on."""
        turn = Turn(self, label, carry, by)
        self.notice = ""
        self._now = None
        if self.recording:
            self._stamp()
            form = self.forms[-1]._state.name if self.forms else ""
            turn.cause = self.trace.add(0, "gesture", form, getattr(label, "control", ""), str(label), None, by)
        self.turn = turn
        try:
            self._workers.start(turn)
        finally:
            self.turn = None
        first = self._finished(turn)
        # Waits end last in, first out, each once the turn that ended it has settled completely.
        while self.waits and self.waits[-1].over:
            waiting_turn = self.waits.pop().turn
            self._resume(waiting_turn)
            first = first or self._finished(waiting_turn)
        if first is not None:
            raise first

    def _resume(self, turn: Turn, thrown: BaseException | None = None) -> None:
        self.turn = turn
        try:
            self._workers.go_on(turn, thrown)
        finally:
            self.turn = None

    def _finished(self, turn: Turn) -> BaseException | None:
        """After a turn is done or has parked: let go of it, and give what went wrong."""
        if turn.worker is None and turn.undo:
            if self.waits:
                settled = {(id(target), name) for target, name, _ in turn.undo}
                for wait in self.waits:
                    wait.turn.keep(settled)
            turn.undo.clear()
        return turn.error

    def _stamp(self) -> None:
        if self.clock is not None:
            self.trace.stamp(self.now().isoformat())

    def failed(self, error: Exception, function: Callable[..., Any], what: str) -> HandlerFailed:
        """The error for a rule, check or default that raised; the turn that runs fails with it."""
        turn = self.turn
        event = turn.event if turn is not None else None
        failure = failed(error, function, event, what, str(turn.label) if turn is not None else "reading")
        if turn is not None:
            turn.failure = turn.failure or failure
        return failure

    # ---- what live controls and forms ask (EnginePort)

    def fresh(self, cell: Cell) -> Any:
        """A cell's value, computed where an input has changed."""
        return self.updates.fresh(cell)

    def assign(self, control: LiveValue[Any], value: object) -> None:
        """Set a control's value by program; outside of any gesture that is a gesture of its own."""
        name = f"{type(control.form).__name__}.{control.name}"
        self._may_change(control.form, f"{name}.value")
        decl, rules = control._decl, control._decl.rules
        if "value" in rules:
            raise RuleError(f"{name}.value follows its rule and can't be set; set what the rule reads")
        try:
            exact = decl.coerce(value)
        except TypeError as error:
            raise TypeError(f"{name}: {error}") from None
        if isinstance(control, LiveChoice) and exact is not None and exact not in control._current("choices"):
            hint = suggest(str(exact), control._current("choices").shown(), "there are")
            raise ValueError(f"{name}: {short(exact)} is none of its choices; {hint}")
        if exact is None:
            exact = control._plan.blank

        def put(turn: Turn) -> None:
            drop_draft(turn, control)
            turn.put_value(control, exact, turn.cause)

        self._by_program(f"set {name}", put)

    def set_property(self, control: Live, prop: str, value: object, wanted: Callable[[Any], Any]) -> None:
        """Set a property that is not derived."""
        name = f"{type(control.form).__name__}.{control.name}.{prop}"
        self._may_change(control.form, name)
        if prop in control._decl.rules:
            raise RuleError(f"{name} follows its rule and can't be set; set what the rule reads")
        if wanted is Choices:
            value = value if isinstance(value, Choices) else Choices(value)  # type: ignore[arg-type]
            control._cells = {} if control._cells is None else control._cells
        elif not isinstance(value, bool if wanted is bool else str):
            raise TypeError(f"{name}: {wanted.__name__} is wanted here, not {short(value)}")

        def put(turn: Turn) -> None:
            old = control._current(prop)
            if same(old, value):
                return
            turn.undo.append((control, "_set", control._set))
            control._set = {**(control._set or {}), prop: value}
            cause = turn.note("change", control, prop, old, value)
            self.updates.mark(control, prop, cause)
            if prop == "choices":
                self.updates.mark(control, "value", cause)
                turn._still_offered(control, cause)
            if control._plan.judged:
                self.updates.unjudged[control] = None  # type: ignore[index]

        self._by_program(f"set {name}", put)

    def _may_change(self, form: Form, name: str) -> None:
        if self.tracker is not None:
            raise RuleError(f"a rule, check or default changes nothing, but this one set {name}; do that in a handler")
        if self.closing:
            raise NotAllowedHere(f"the session is closing: {name} can't be set any more")
        if not form.is_open:
            raise FormClosed(f"{name} can't be set: the form is closed; its values can still be read")

    def _by_program(self, label: str, put: Callable[[Turn], None]) -> None:
        if self.turn is not None:
            put(self.turn)
        else:
            self._start(label, put, "program")

    def set_attribute(self, form: Form, name: str, value: object) -> None:
        """Set a plain attribute of a form, so that it can be put back."""
        self._may_change(form, f"{type(form).__name__}.{name}")
        if self.turn is not None:
            self.turn.undo.append((form, name, form.__dict__.get(name, ABSENT)))
        form.__dict__[name] = value

    def note_stale(self, control: LiveValue[Any]) -> None:
        """Note that a value was read while its control holds a draft, once a gesture."""
        turn = self.turn
        if turn is None or turn.trace is None or turn.handler is None or control in turn.stale:
            return
        turn.stale.add(control)
        turn.note("stale", control, "value", None, control._draft)

    def ask(self, form: Form, prompt: Prompt, facts: Mapping[str, Any]) -> str:
        """Put a prompt and wait for its answer."""
        return waiting.ask(self, form, prompt, facts)

    def open(self, form: Form, child: type[Form], params: Mapping[str, Any]) -> Outcome:
        """Open a modal dialog and wait until it closes."""
        return waiting.open_dialog(self, form, child, params)

    # ---- what the engine's parts ask

    def next_serial(self, form: type[Form]) -> tuple[int, str]:
        """A number for a form that is being opened, and its name in the trace."""
        count = self._serials[form] = self._serials.get(form, 0) + 1
        return sum(self._serials.values()), form.__name__ if count == 1 else f"{form.__name__}#{count}"

    def bring_to_front(self, turn: Turn, form: Form) -> None:
        """Put a form in front of all others."""
        turn.undo.append((self, "forms", self.forms))
        self.forms = (*(other for other in self.forms if other is not form), form)

    def take_away(self, turn: Turn, form: Form) -> None:
        """Take a closed form off the desk."""
        turn.undo.append((self, "forms", self.forms))
        self.forms = tuple(other for other in self.forms if other is not form)

    def forget(self, form: Form) -> None:
        """A form whose opening was put back counts as closed."""
        self.forms = tuple(other for other in self.forms if other is not form)
        form._state.phase = "closed"

    def hand_over(self, turn: Turn, form: Form) -> None:
        """Hand a closed form's outcome to the handler that waits for it."""
        for wait in self.waits:
            if isinstance(wait, DialogWait) and wait.child is form:
                end_wait(turn, wait, form._state.outcome)

    def leave_without_handlers(self, turn: Turn, form: Form, verdict: str) -> None:
        """Close a form whose handler failed on the way out."""
        leave_without_handlers(turn, form, verdict)

    def touch(self, control: Live, name: str) -> None:
        """After a put-back of a control's state: have what has read it looked at again."""
        props = {"_value": ("value",), "_set": tuple(control._watchers or ())}.get(name, ())
        for prop in props:
            self.updates.mark(control, prop, 0)

    def obstacle_at(self, control: Live) -> str | None:
        """What keeps a person from using a control, or None."""
        found = refusals.at_control(self, control)
        return None if found is None else found[0]

    def put_focus(self, turn: Turn, form: Form, control: LiveEntry[Any, Any]) -> None:
        """Bring the focus to a control that the person is pointed to."""
        if form._state.focus is not control and self.takes_focus(control):
            put_focus(turn, form, control)
            step(turn, "enter", control, "entered")

    def focus_first(self, turn: Turn, form: Form) -> None:
        """Bring the focus to the first control that can take it."""
        target = self.next_focus(form, None)
        if target is not None:
            put_focus(turn, form, target)
            step(turn, "enter", target, "entered")

    def next_focus(self, form: Form, here: Live | None) -> Live | None:
        """The control behind `here` that can take the focus, round and round."""
        order = form._state.order
        start = here._plan.index + 1 if here is not None else 0
        for offset in range(len(order)):
            control: Live = order[(start + offset) % len(order)]
            if self.takes_focus(control):
                return control
        return None

    def takes_focus(self, control: Live) -> bool:
        """Whether a control can take the focus as it stands."""
        read_only = "value" in control._decl.rules
        return control._decl.takes_focus and not read_only and control.enabled and control.visible
