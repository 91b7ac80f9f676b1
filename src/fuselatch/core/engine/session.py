"""The session: a state machine that takes gestures and gives views.

It does no I/O. It never draws, sleeps, or reads a clock, a file or the environment: clock, user, formats and
records are passed in. A session can only be used from the thread that created it.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from dataclasses import replace
from datetime import date, datetime
from types import TracebackType
from typing import Any, Literal, Self, TypeAlias, TypeVar, Unpack
from weakref import ref

from fuselatch.core.engine import runner
from fuselatch.core.engine.acting.opening import must_fit, open_form
from fuselatch.core.engine.acting.steps import come_to_front
from fuselatch.core.engine.acting.verbs import RUNS_NO_AUTHOR_CODE, STEPS
from fuselatch.core.engine.engine import Engine
from fuselatch.core.engine.looking import refusals, why
from fuselatch.core.engine.looking.form_views import message_of
from fuselatch.core.engine.looking.naming import control_named, open_form_named, place_of_control
from fuselatch.core.engine.looking.viewing import help_line, picture_shown, prompt_view, view_of
from fuselatch.core.engine.records import handler_rows
from fuselatch.core.engine.rules import latching, rows
from fuselatch.core.engine.rules.default_values import AtStart
from fuselatch.core.engine.rules.latching import LatchView
from fuselatch.core.engine.rules.rows import look
from fuselatch.core.engine.rules.scheduler import follow
from fuselatch.core.engine.state.observer import Muting, OnFailure, Pausing
from fuselatch.core.engine.state.offers import Offers
from fuselatch.core.engine.state.session_options import Options, SessionOptions
from fuselatch.core.engine.state.session_state import is_closed_for_good
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.engine.turn.waits import is_stale
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.form import Form, forms_loaded, must_be_a_form
from fuselatch.core.forms.live_state import ControlState, is_masked, seen
from fuselatch.core.forms.manner import Manner
from fuselatch.core.forms.port import RecordsView
from fuselatch.core.forms.shared import Shared
from fuselatch.core.forms.sources import EventSource, heard_by
from fuselatch.core.model.choices import AHEAD as SHORT
from fuselatch.core.model.choices import Choices, Fold, fold_of, position_of_id
from fuselatch.core.model.errors import FuseLatchError, NotAllowedHere, Refused, UnknownName
from fuselatch.core.model.gestures import VERBS, Gesture
from fuselatch.core.model.keys import normal
from fuselatch.core.model.latch_records import elapsed
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.pictures import Picture
from fuselatch.core.model.record_changes import NewKey
from fuselatch.core.model.service_map import Services
from fuselatch.core.model.trace import Trace
from fuselatch.core.model.values import MASK, short
from fuselatch.core.model.view import ItemView, PromptView, View

F = TypeVar("F", bound=Form)
T = TypeVar("T")


Keeper: TypeAlias = Callable[[Gesture, str, FuseLatchError | None], object]
"""Keeps what is fed: a gesture, the name of the form in front then, and the error that it raised."""


NO_OFFERS = Offers(())
"""The offers of a session without forms to offer."""


def with_text(gesture: Gesture, control: ControlState) -> Gesture:
    """Return a gesture at an item, with the item's text, as the trace writes it."""
    listed = seen(control, "choices")
    at = position_of_id(listed, gesture.item)
    return gesture if at is None else replace(gesture, text=listed.texts[at])


def follow_time(turn: Turn) -> None:
    """Bring up to date what depends on the clock, and on what other sessions have written."""
    follow(turn.session, set())
    look(turn)


class SessionRecords:
    """The records of a session, as a handler uses them."""

    __slots__ = ("_engine",)

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def rows(self, source: str) -> tuple[Mapping[str, Any], ...]:
        """Return all rows of a source, with what this gesture has staged. Rules can read them."""
        found: tuple[Mapping[str, Any], ...] = self._engine.state.rows.read(source)
        return found

    def read(self, source: str, key: Any) -> Mapping[str, Any] | None:
        """Return the row with a key, with what this gesture has staged, or None. Rules can read it."""
        return rows.row_at(self._engine.state, source, key)

    def find(self, source: str, row: Mapping[str, Any]) -> Mapping[str, Any] | None:
        """Return the first row with these values, with what this gesture has staged, or None. Rules can read it."""
        return rows.row_like(self._engine.state, source, self._row("find", source, row))

    def add(self, source: str, row: Mapping[str, Any]) -> NewKey:
        """Stage a new row, which is written when the gesture is finished; return its key.

        The key may stand in other staged rows. Its `value` is known at once if the row names it, or else after the write.
        """
        return handler_rows.stage_new(self._engine.writing(), source, self._row("add", source, row))

    def change(self, source: str, key: Any, row: Mapping[str, Any]) -> None:
        """Stage these columns of the row with a key. If someone else changes that row first, the user is asked.

        Raises `UnknownName` if there is no such row.
        """
        handler_rows.stage_change(self._engine.writing(), source, key, self._row("change", source, row))

    def remove(self, source: str, key: Any) -> None:
        """Stage the removal of the row with a key. Raises `UnknownName` if there is no such row."""
        handler_rows.stage_change(self._engine.writing(), source, key, None)

    def _row(self, verb: str, source: str, row: object) -> Mapping[str, Any]:
        if not isinstance(row, Mapping):
            raise TypeError(f"{verb}('{source}', …): expected a row, a mapping of columns to values, not {short(row)}")
        return row


class Session:
    """The open forms of one user, from the first opened to the last closed.

    `Session(BookingForm, user="office-2", clock=lambda: now, params={"tariff": tariff})` opens the form. Feed it one
    `Gesture` at a time; `view` is what the user sees. It is a context manager: on exit, it raises `Abandoned` in waiting
    handlers.

    The options are those of `Options`: `user`, `clock`, `formats`, `records`, `services`, `latches`, `policy`, `forms`,
    `params`, `at`, `only`, `observers`, `on_failure`, `recording`, `max_runs`.

    Raises `Refused`, `UnknownName`, `HandlerFailed`, and `PolicyError` if the policy doesn't fit a form.
    """

    def __init__(self, form: type[Form] | None = None, **given: Unpack[SessionOptions]) -> None:
        self._keeper: Keeper | None = None
        options = Options.of(given)
        offers = Offers(options.forms) if options.forms else NO_OFFERS
        params: Mapping[str, Any] = options.params
        if form is None and offers.start is not None:
            form, params = offers.start
        if form is None and not offers.by_name:
            raise TypeError("a session needs a form, Session(BookingForm), or forms to offer, Session(forms=[BookingForm])")
        if form is not None:
            must_be_a_form("Session", form)
        if form is not None and (options.at is not None or options.only) and not form._plan.records:
            raise TypeError(f"Session({form.__name__}, …): at= and only= need a form with records=")
        if offers.by_name:
            must_fit(offers)
            if form is not None:
                offers.look_at(form)
        policy = options.policy
        if policy is not None:
            policy.known([form.__name__ for form in forms_loaded()])
            for each in dict.fromkeys(
                [*([form] if form is not None else []), *(offer.form for offer in offers.by_name.values())]
            ):
                policy.applied(each)
        self._engine = Engine(session_again, options, offers)
        self._engine.session_ref = ref(self)
        state = self._state = self._engine.state
        for observer in options.observers:
            state.watch(observer)
        if options.on_failure is not None:
            state.watch(OnFailure(options.on_failure))
        if form is None:
            return
        first = form

        def open_first(turn: Turn) -> None:
            open_form(turn, first, params, None, Manner(at=options.at, only=options.only))

        try:
            runner.start(state, f"open {first.__name__}", open_first, "program")
        except BaseException:
            self.close()
            raise

    def __del__(self) -> None:
        """End the handlers that wait, when the session is dropped: no one can answer them any more."""
        state = getattr(self, "_state", None)
        if state is not None and state.waits and not state.closed and not sys.is_finalizing():
            runner.drop(state)

    # ---- for front ends

    @property
    def user(self) -> str:
        """The user's name."""
        return self._state.options.user

    @property
    def view(self) -> View:
        """The view: everything that the user sees now. Parts that haven't changed are those of the view before.

        Reading it runs none of the developer's code, and never fails.
        """
        self._state.workers.must_be_at_home()
        state = self._state
        if state.last_view is not None and state.is_broken:
            # Half of a gesture may be done, so that there is nothing newer to show.
            return state.last_view  # type: ignore[no-any-return]
        return view_of(state)

    def choices(self, control: Any, start: int = 0, stop: int = 50) -> tuple[ItemView, ...]:
        """Return items of a choice by position, as the view has them; `View` has only those in reach."""
        return self._items(control, start, stop)[0]

    def rows(self, table: Any, start: int = 0, stop: int = 50) -> tuple[tuple[str, ...], ...]:
        """Return the cells of a table's rows by position, as the view has them. Of any other choice they are empty."""
        return self._items(table, start, stop)[1]

    def _items(self, control: Any, start: int, stop: int) -> tuple[tuple[ItemView, ...], tuple[tuple[str, ...], ...]]:
        self._state.workers.must_be_at_home()
        found: tuple[tuple[ItemView, ...], tuple[tuple[str, ...], ...]] = control._decl.items_between(control, start, stop)
        return found

    def picture(self, id: str) -> Picture | None:
        """Return a picture that the user sees now, by the id that the view gives; None if it isn't there any more."""
        self._state.workers.must_be_at_home()
        return picture_shown(self._state, id)

    def idle(self, items: int = 20_000) -> bool:
        """Do some of the work that gestures may need later, on about so many items; return True if more is left.

        Call it while the user does nothing. It only changes when the work is done, never what comes of a gesture.
        """
        state = self._state
        state.workers.must_be_at_home()
        fold = fold_of(state.formats)
        listed = next(self._lists_to_index(fold), None)
        return listed is not None and (listed.index_some(items, fold) or any(self._lists_to_index(fold)))

    def _lists_to_index(self, fold: Fold) -> Iterator[Choices[Any]]:
        """Yield the long lists of the open forms that have no index for typing ahead yet."""
        for form in self._state.stack.forms:
            for control in form._state.order:
                if control._plan.offers:
                    listed: Choices[Any] = seen(control, "choices")
                    if len(listed) > SHORT and not listed.is_indexed(fold):
                        yield listed

    @property
    def prompt(self) -> PromptView | None:
        """The open prompt, as the view has it."""
        return prompt_view(self._state)

    @property
    def notice(self) -> str:
        """Why the last gesture was blocked or cut short, as the view has it."""
        return self._state.notice

    @property
    def help(self) -> str:
        """The help line, as the view has it."""
        return help_line(self._state)

    def message(self, form: Form) -> str:
        """Return the message line of a form, as the view has it."""
        return message_of(self._state, form)[0]

    @property
    def trace(self) -> Trace:
        """Everything that happened so far."""
        self._state.workers.must_be_at_home()
        return self._state.trace

    @property
    def first(self) -> Form:
        """The form that the session was opened with."""
        first: Any = self._state.stack.first
        if first is None:
            raise NotAllowedHere("no form is open yet; open one of the offered forms")
        return first  # type: ignore[no-any-return]

    @property
    def front(self) -> Form:
        """The front form. Raises `NotAllowedHere` if no form is open, or all are hidden."""
        front: Any = self._state.stack.front
        if front is None:
            raise NotAllowedHere("all open forms are hidden" if self._state.stack.forms else "all forms are closed")
        return front  # type: ignore[no-any-return]

    @property
    def outcome(self) -> Outcome | None:
        """The first form's outcome, or None until the gesture that closed it is finished."""
        first = self._state.stack.first
        return None if first is None or not is_closed_for_good(self._state, first) else first._state.outcome

    @property
    def is_done(self) -> bool:
        """True once no form is open and nothing waits for the user: a prompt may come after the last form has closed."""
        return not self._state.stack.forms and not self._state.waits

    @property
    def waits_for(self) -> tuple[str, ...]:
        """The waits of handlers, in words; the innermost last."""
        return tuple(str(wait) for wait in self._state.waits)

    @property
    def paused_before(self) -> str:
        """The event that the session is paused before ("berth.changed"), or ""."""
        event = self._state.paused
        return event.path if event is not None else ""

    def feed(self, gesture: Gesture) -> None:
        """Carry out a user's gesture until it is finished or waits for the user.

        Raises `UnknownName` for an unknown control, and `Refused` if the user can't make the gesture, or made it before a
        prompt or dialog could be seen (`Gesture.view_serial`). Both change nothing.
        Raises `HandlerFailed` if the developer's code fails: what the gesture changed is undone.
        """
        keeper = self._keeper
        if keeper is None:
            self._feed(gesture)
            return
        front = self._state.stack.front
        name = front._state.name if front is not None else ""
        shown = self._to_keep(gesture, front)
        try:
            self._feed(gesture)
        except FuseLatchError as error:
            keeper(shown, name, error)
            raise
        keeper(shown, name, None)

    def keep_fed(self, keeper: Keeper) -> None:
        """Call `keeper` after each gesture that is fed: with the gesture, the name of the form in front, and the error."""
        self._keeper = keeper

    def _feed(self, gesture: Gesture) -> None:
        state = self._state
        if state.is_running:
            raise NotAllowedHere(f"a handler can't send gestures to its own session ({gesture})")
        verb = gesture.verb
        if verb == "time":
            if not (state.closed or state.is_broken):
                runner.start(state, gesture, follow_time, "program")
            return
        carry = STEPS.get(verb)
        if carry is None:
            raise UnknownName(refusals.unknown_verb(verb))
        if gesture.view_serial is not None and is_stale(state, gesture.view_serial):
            state.workers.must_be_at_home()
            self._refuse(gesture, ("it was made before what is in front could be seen", None), is_stale=True)
        if verb == "key":
            gesture = self._key(gesture)
        elif verb == "open":
            self._must_be_offered(gesture.text)
        form = state.stack.front if not gesture.form else open_form_named(self._state, gesture.form)
        control = self._target(gesture, form)
        found = refusals.obstacle(state, gesture, control)
        if gesture.item and control is not None and control._plan.offers:
            gesture = with_text(gesture, control)
        plain = not gesture.text or (control is not None and not is_masked(control))
        shown = gesture if plain else self._shown(gesture, form, control)
        if found is not None:
            self._refuse(shown, found)
        if form is None or form is state.stack.front:
            quiet = verb in RUNS_NO_AUTHOR_CODE and RUNS_NO_AUTHOR_CODE[verb](state, control)
            runner.start(state, shown, lambda turn: carry(turn, gesture, control), "user", quiet)
            return

        def turn_to(turn: Turn) -> None:
            come_to_front(turn, form)
            carry(turn, gesture, control)

        runner.start(state, shown, turn_to, "user")

    def _to_keep(self, gesture: Gesture, front: OpenForm | None) -> Gesture:
        """Return a gesture for the keeper: with the text of an item, and a password masked."""
        if not gesture.item and (not gesture.text or not self._state.port.has_masks):
            return gesture
        form = front
        if gesture.form:
            form = next((each for each in self._state.stack.forms if each._state.name == gesture.form), None)
        control = form._state.controls.get(gesture.control) if form is not None else None
        if gesture.item and control is not None and control._plan.offers:
            gesture = with_text(gesture, control)
        return self._shown(gesture, form, control)

    def _shown(self, gesture: Gesture, form: OpenForm | None, control: ControlState | None) -> Gesture:
        """Return a gesture with a password masked."""
        target = control
        if gesture.verb == "key" and form is not None and len(gesture.text) == 1:
            target = form._state.focus
        if target is None or not is_masked(target):
            return gesture
        return replace(gesture, text=MASK * len(gesture.text))

    def _refuse(self, gesture: Gesture, found: tuple[str, int | None], is_stale: bool = False) -> None:
        state = self._state
        if state.recording:
            name = state.stack.front._state.name if state.stack.front is not None else ""
            if state.clock is not None:
                # What follows the time hasn't been looked at, so that it isn't noted as read. A clock may fail.
                with suppress(Exception):
                    state.trace.stamp(state.clock())
            state.trace.add(0, "refused", name, gesture.control, str(gesture), None, found[0])
        raise Refused(str(gesture), *found, is_stale)

    def _key(self, gesture: Gesture) -> Gesture:
        try:
            keys = normal(gesture.text)
        except ValueError as error:
            raise UnknownName(str(error)) from None
        return gesture if keys == gesture.text else replace(gesture, text=keys)

    def _must_be_offered(self, name: str) -> None:
        names = self._state.offers.by_name
        if name not in names:
            hint = suggest(name, names) if names else "this session offers no forms; open it with forms=…"
            raise UnknownName(f"unknown form '{name}'; {hint}")

    def _target(self, gesture: Gesture, form: OpenForm | None) -> ControlState | None:
        path = gesture.control
        if not path:
            if VERBS[gesture.verb].needs_control:
                raise UnknownName(f"'{gesture.verb}' needs a control")
            return None
        # Fast path: a control, or a part of one, at its own path.
        if form is not None and not self._state.waits and "#" not in path:
            plainly = form._state.controls.get(path)
            if plainly is not None:
                return plainly
        if form is None or (self._state.waits and self._state.prompt_wait is not None):
            return None
        found = control_named(form, path)
        if found._plan.is_group and gesture.verb not in found._decl.accepts:
            hint = suggest(path, [control.name for control in form._state.order])
            raise UnknownName(f"{form._state.name} has no control '{path}'; {hint}")
        return found

    def drop_rest(self, reason: str) -> None:
        """Note in the trace and the view that the rest of the typing is skipped."""
        state = self._state
        if state.recording:
            state.trace.add(len(state.trace), "skip", self.front._state.name, "", "rest of the typing", None, reason)
        state.notice = reason

    def close(self) -> None:
        """Close the session: raise `Abandoned` in waiting handlers, innermost first.

        Raises `NotAllowedHere` on another thread than the one that created the session. Nothing is changed then.
        """
        if self._state.closed:
            return
        self._state.workers.must_be_at_home()
        if self._state.is_running:
            raise NotAllowedHere("a handler can't close its own session; close the form instead")
        runner.close(self._state)

    @property
    def is_closed(self) -> bool:
        """True once the session is closed. It takes no gestures any more."""
        return self._state.closed

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self.close()

    # ---- for whoever wants to know

    def why(self, what: str) -> str:
        """Explain why something is as it is: `why("berth.enabled")`, one line per cause.

        `what`: a property ("berth.enabled"), an event ("berth.changed"), a marker ("berth.marker"), a handler
        ("look_up_vessel") or a prompt ("too_long") of an open or closed form. Raises `UnknownName` for anything else.
        """
        self._state.workers.must_be_at_home()
        return why.answer(self._state, what)

    def resolve(self, control: Any) -> tuple[Form | None, str]:
        """Return the form and the path that a control's name or declaration means.

        `Side.word` is the control `word` of the form with the name "Side" in the trace, or else of the front form of that
        class. Without a form's name it is the front form's. The form is None if no form is open. A path isn't looked up.
        Raises `UnknownName` for a declaration that no open form has.
        """
        found: Any = place_of_control(self._state, control)
        return found  # type: ignore[no-any-return]

    def control(self, name: str) -> Any:
        """Return the live control that a name means: "price", "Side.word", "extras[2].price". Raises `UnknownName`."""
        form, path = place_of_control(self._state, name)
        if form is None:
            raise UnknownName(f"no form is open, so there is no control '{name}'")
        return control_named(form, path)

    def named(self, id: str) -> tuple[str, str]:
        """Return the names that a lasting id of the view means now: the form's, and the control's ("" for a form).

        Raises `UnknownName` if it is no longer there.
        """
        serial, _, path = id.partition(".")
        for form in self._state.stack.forms:
            state = form._state
            if f"{state.serial}" == serial:
                found = state.controls.get(path) or state.nodes.get(path)
                if not path or found is not None:
                    return state.name, "" if found is None else found.name
        raise UnknownName(f"'{id}' is no longer there")

    def mute(self, handler: Callable[..., object], reason: str) -> None:
        """Don't run a handler from now on. The trace and `why` show the reason.

        Raises `UnknownName` if it isn't a handler.
        """
        function = getattr(handler, "__func__", handler)
        if not heard_by(function):
            raise UnknownName(f"{getattr(function, '__qualname__', function)} isn't a handler (no event is attached to it)")
        state = self._state
        if state.muting is None:
            state.muting = Muting()
            state.watch(state.muting)
        state.muting.reasons[function] = reason

    def pause_at(self, event: EventSource, form: type[Form] | None = None) -> None:
        """Pause before an event from now on; `go_on` continues. A control's event needs `form`."""
        owner = event.owner
        kind = owner if isinstance(owner, type) else form or type(self.first)
        state = self._state
        if state.pausing is None:
            state.pausing = Pausing()
            state.watch(state.pausing)
        state.pausing.places.add((kind, "" if isinstance(owner, type) else owner.name, event.name))

    def go_on(self) -> None:
        """Continue after a pause. Raises the errors of the resumed handlers."""
        runner.go_on(self._state)

    # ---- for handlers

    @property
    def formats(self) -> Formats:
        """How values are written and read."""
        return self._engine.formats

    @property
    def forms(self) -> tuple[Form, ...]:
        """The open forms, front first."""
        forms: Any = self._state.stack.forms[::-1]
        return forms  # type: ignore[no-any-return]

    @property
    def services(self) -> Services:
        """The session's services, by class."""
        return self._state.services

    @property
    def latches(self) -> tuple[LatchView, ...]:
        """The latches that are set for this session's user, with what resets each."""
        return latching.latch_views(self._state)

    @property
    def records(self) -> RecordsView:
        """The session's records."""
        return SessionRecords(self._engine)

    def now(self, to: Literal["hour", "minute", "second"] | None = None) -> datetime:
        """Return the session's time, read once per gesture.

        `to`: to the hour, minute or second; rules can read that, and run again when it differs. Handlers and defaults can
        also read the time as it is.
        """
        if to is not None:
            if to not in ("hour", "minute", "second"):
                raise ValueError(f"now(to={to!r}): use 'hour', 'minute' or 'second'")
            found: datetime = self._state.time.read(to)
            return found
        tracker = self._engine.tracker
        if tracker is not None and not isinstance(tracker, AtStart):
            raise NotAllowedHere(
                'a rule can\'t read now(), which differs at each moment; read now(to="minute") or today(), or use a handler'
            )
        return self._state.read_clock()

    def today(self) -> date:
        """Return the session's date. Rules can read it."""
        found: date = self._state.time.read("day")
        return found

    @property
    def read_at(self) -> datetime | None:
        """The time of the last gesture, or None if the clock was never read."""
        return self._state.read_at

    @property
    def wakes_at(self) -> datetime | None:
        """The next moment at which something may differ because of the clock, or None.

        That is the end of the day, hour or minute that a rule has read, or of a latch. Front ends then feed
        `Gesture(verb="time")`.
        """
        state = self._state
        if state.read_at is None or state.closed:
            return None
        time: Any = state.time
        latches: Any = state.latches
        latches.drop_closed()
        ends = [time.wakes_at(state.read_at), *latches.ends.values()]
        now = state.read_at
        return min((end for end in ends if end is not None), key=lambda end: elapsed(now, end), default=None)

    def find(self, form: Callable[..., F]) -> F | None:
        """Return the front form of a class, or None. Rules can read it."""
        if not isinstance(form, type):
            raise TypeError(f"find(…): expected a form class, not {short(form)}")
        found: F | None = self._state.open_forms.read(form)
        return found

    def __getitem__(self, shared: Shared[T]) -> T:
        """Return the session's value of a `Shared`. Rules can read it."""
        found: T = self._engine.read_shared(shared)
        return found

    def __setitem__(self, shared: Shared[T], value: T) -> None:
        """Set the session's value of a `Shared`."""
        self._engine.put_shared(shared, value)


def session_again(engine: Engine) -> Session:
    """Return the session of a form that is held alone."""
    again = Session.__new__(Session)
    again._keeper = None
    again._engine = engine
    again._state = engine.state
    return again
