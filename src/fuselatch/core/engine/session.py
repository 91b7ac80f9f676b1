"""The session: a state machine that takes gestures and gives views.

It does no I/O. It never draws, sleeps, or reads a clock, a file or the environment: clock, user, formats and
records are passed in. A session can only be used from the thread that created it.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Mapping
from datetime import datetime
from types import TracebackType
from typing import Any, Self, TypeAlias, Unpack
from weakref import ref

from fuselatch.core.engine import runner
from fuselatch.core.engine.acting.opening import must_fit, open_form
from fuselatch.core.engine.engine import Engine
from fuselatch.core.engine.feeding import feed, gesture_to_keep
from fuselatch.core.engine.for_handlers import ForHandlers
from fuselatch.core.engine.for_questions import ForQuestions
from fuselatch.core.engine.looking.form_views import message_of
from fuselatch.core.engine.looking.viewing import help_line, picture_shown, prompt_view, view_of
from fuselatch.core.engine.state.observer import OnFailure
from fuselatch.core.engine.state.offers import Offers
from fuselatch.core.engine.state.session_options import Options, SessionOptions
from fuselatch.core.engine.state.session_state import is_closed_for_good
from fuselatch.core.engine.state.turns import Turn
from fuselatch.core.forms.form import Form, forms_loaded, must_be_a_form
from fuselatch.core.forms.live_state import AnyControl, seen
from fuselatch.core.forms.manner import Manner
from fuselatch.core.model.choices import AHEAD as SHORT
from fuselatch.core.model.choices import Choices, fold_of
from fuselatch.core.model.errors import FuseLatchError, NotAllowedHere
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.latch_records import elapsed
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.pictures import Picture
from fuselatch.core.model.slow_calls import SlowCall
from fuselatch.core.model.trace import Trace
from fuselatch.core.model.typing_ahead import Fold
from fuselatch.core.model.view import ItemView, PromptView, View

Keeper: TypeAlias = Callable[[Gesture, str, FuseLatchError | None], object]
"""Keeps what is fed: a gesture, the name of the form in front then, and the error that it raised."""


NO_OFFERS = Offers(())
"""The offers of a session without forms to offer."""


class Session(ForHandlers, ForQuestions):
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
        params: Mapping[str, object] = options.params
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
        if state is not None and state.parked and not state.closed and not sys.is_finalizing():
            runner.drop(state)

    # ---- for front ends

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

    def choices(self, control: object, start: int = 0, stop: int = 50) -> tuple[ItemView, ...]:
        """Return items of a choice by position, as the view has them; `View` has only those in reach."""
        return self._items(control, start, stop)[0]

    def rows(self, table: object, start: int = 0, stop: int = 50) -> tuple[tuple[str, ...], ...]:
        """Return the cells of a table's rows by position, as the view has them. Of any other choice they are empty."""
        return self._items(table, start, stop)[1]

    def _items(self, control: AnyControl, start: int, stop: int) -> tuple[tuple[ItemView, ...], tuple[tuple[str, ...], ...]]:
        self._state.workers.must_be_at_home()
        items: tuple[tuple[ItemView, ...], tuple[tuple[str, ...], ...]] = control._decl.items_between(control, start, stop)
        return items

    def picture(self, id: str) -> Picture | None:
        """Return a picture that the user sees now, by the id that the view gives; None if it isn't there any more."""
        self._state.workers.must_be_at_home()
        return picture_shown(self._state, id)

    def idle(self, items: int = 2_000) -> bool:
        """Do some of the work that gestures may need later, on about so many items; return True if more is left.

        Call it while the user does nothing. It only changes when the work is done, never what comes of a gesture.
        """
        state = self._state
        state.workers.must_be_at_home()
        fold = fold_of(state.formats)
        listed = next(self._lists_to_index(fold), None)
        return listed is not None and (listed.index_some(items, fold) or any(self._lists_to_index(fold)))

    def _lists_to_index(self, fold: Fold) -> Iterator[Choices[object]]:
        """Yield the long lists of the open forms that have no index for typing ahead yet."""
        for form in self._state.stack.forms:
            for control in form._state.order:
                if control._plan.offers:
                    listed: Choices[object] = seen(control, "choices")
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
        return not self._state.stack.forms and not self._state.parked

    @property
    def waits_for(self) -> tuple[str, ...]:
        """The waits of handlers, in words; the innermost last."""
        return tuple(str(wait) for wait in self._state.waits)

    @property
    def slow_calls(self) -> tuple[SlowCall, ...]:
        """The calls that handlers wait for, the oldest first. Run each, and feed the gesture `slow_call` with its end."""
        return tuple([wait.call for wait in self._state.calls if not wait.over])

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
            feed(self._state, gesture)
            return
        front = self._state.stack.front
        name = front._state.name if front is not None else ""
        shown = gesture_to_keep(self._state, gesture, front)
        try:
            feed(self._state, gesture)
        except FuseLatchError as error:
            keeper(shown, name, error)
            raise
        keeper(shown, name, None)

    def keep_fed(self, keeper: Keeper) -> None:
        """Call `keeper` after each gesture that is fed: with the gesture, the name of the form in front, and the error."""
        self._keeper = keeper

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

    @property
    def read_at(self) -> datetime | None:
        """The time of the last gesture, or None if the clock was never read."""
        return self._state.read_at

    @property
    def wakes_at(self) -> datetime | None:
        """The next moment at which something may differ because of the clock, or None.

        That is the end of the day, hour or minute that a rule has read, or of a latch, or the time at which the front form
        is `idle`. Front ends then feed
        `Gesture(verb="time")`.
        """
        state = self._state
        if state.read_at is None or state.closed:
            return None
        time: Any = state.time
        latches: Any = state.latches
        latches.drop_closed()
        ends = [time.wakes_at(state.read_at), *latches.ends.values(), state.idle_at()]
        now = state.read_at
        return min((end for end in ends if end is not None), key=lambda end: elapsed(now, end), default=None)


def session_again(engine: Engine) -> Session:
    """Return the session of a form that is held alone."""
    again = Session.__new__(Session)
    again._keeper = None
    again._engine = engine
    again._state = engine.state
    return again
