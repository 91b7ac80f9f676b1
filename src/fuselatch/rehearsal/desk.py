"""The desk: it acts as the user, step by step, and reads what happened.

It uses only what a front end uses: it feeds gestures to a session.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from copy import copy
from datetime import datetime, timedelta
from types import TracebackType
from typing import Any, Literal, ParamSpec, Self, TypeAlias, TypeVar, Unpack, overload

from fuselatch.core.engine.state.observer import Observer
from fuselatch.core.engine.state.offers import Offered
from fuselatch.core.engine.state.session_options import FailureLog
from fuselatch.core.forms.attaching import OwnedEvent
from fuselatch.core.forms.form import Form, name_of
from fuselatch.core.forms.policy_rules import PolicyRules
from fuselatch.core.model.errors import FuseLatchError, HandlerFailed
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.json_text import json_text
from fuselatch.core.model.latch_records import LatchStore, is_before, later_by
from fuselatch.core.model.names import closest
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.values import short, short_text
from fuselatch.core.model.words import phrase
from fuselatch.journal.boundary import Outside, apart, opened, real
from fuselatch.rehearsal.desk_view import DeskView, Named
from fuselatch.rehearsal.expectations import expect
from fuselatch.rehearsal.grammar import LATEST, MOST_PRESSES
from fuselatch.rehearsal.picking import item_meant
from fuselatch.rehearsal.recorder import Recorder, cued, origin_of
from fuselatch.rehearsal.slow import STAND_IN, call_named, end_call, error_named, result_of, run_call, stand_in_of
from fuselatch.scenes import OPTIONS, Scene, SceneOptions

P = ParamSpec("P")
SlowCallsAre: TypeAlias = Literal["run", "ask"]
"""Slow calls in a rehearsal: run at once, or waiting for a step."""
F = TypeVar("F", bound=Form)

MOST_WAKES = 1_000
"""How often a wait stops on the way, for what depends on the clock."""
DURATION = re.compile(r"([0-9]+)\s*([smhd])")
UNITS = {"s": "seconds", "m": "minutes", "h": "hours", "d": "days"}


def duration_of(words: str) -> timedelta:
    """Return the duration of "90s", "61m", "2h 30m" or "3d". Raises `ValueError`, and `OverflowError` if it is too long."""
    parts = DURATION.findall(words)
    if not parts or "".join(DURATION.sub("", words).split()):
        raise ValueError(f"'{words}' isn't a duration; write 90s, 61m, 2h 30m or 3d")
    try:
        return sum((timedelta(**{UNITS[unit]: int(count)}) for count, unit in parts), timedelta())
    except ValueError as error:
        # Python reads no number of more than some thousand digits.
        raise OverflowError(f"'{short_text(words)}' is too long") from error


TAIL = 10
"""Trace entries in an `Unfinished`."""


watchers: list[Callable[[Desk], None]] = []
"""Functions that are called with each desk that opens."""


class Unfinished(FuseLatchError, AssertionError):
    """A rehearsal ended with an open prompt or dialog. The message names it."""


class Desk(DeskView):
    """The object of `with rehearse(…) as desk`. Its methods are what a user can do.

    They raise `Refused` if the user can't do it, `UnknownName` for an unknown control, and `HandlerFailed` if the form's
    code fails.
    """

    def __init__(self, scene: Scene, origin: str = "") -> None:
        self.scene = scene
        self.origin = origin
        self.observers: tuple[Observer, ...] = ()
        self.recorder = Recorder(self)
        self.slow_calls_are = "run"
        self.is_apart = False
        """True: copies and stand-ins are in place of the scene's own store, latch log and services."""
        self._now = scene.now
        self._outside: Outside

    def __enter__(self) -> Self:
        scene = self.scene
        self._now = scene.now
        for watcher in watchers:
            watcher(self)
        self._outside = apart(scene) if self.is_apart else real(scene)
        self._session = opened(scene, self._outside, lambda: self._now, self.observers)
        self._session.keep_fed(self.recorder.keep)
        self.run_calls()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        left_over = self.unfinished() if kind is None else None
        self.end()
        if left_over is not None:
            raise Unfinished(left_over)

    def end(self) -> None:
        """Close the session."""
        self.session.close()

    # ---- gestures

    @cued
    def type(self, control: Named, text: str) -> None:
        """Type text key by key, in place of the field's text.

        It is a draft until the focus leaves. If a key opens a prompt or dialog, the rest isn't typed, and the view says so.
        """
        if not isinstance(text, str):
            raise TypeError(f"type(…): expected text as the user types it, not {short(text)}")
        form, path = self.place(control)
        session = self.session
        waited = len(session.waits_for)
        for end in range(1, len(text) + 1):
            session.feed(Gesture(verb="type", control=path, text=text[:end], form=form))
            if end < len(text) and len(session.waits_for) > waited:
                session.drop_rest(
                    user_text(session.formats, "notice.not_typed", text=text[end:], what=session.waits_for[-1])
                )
                return
        if not text:
            self.clear(control)

    @cued
    def paste(self, control: Named, text: str) -> None:
        """Replace a field's text at once. It is a draft until the focus leaves."""
        self._feed("type", control, text)

    @cued
    def clear(self, control: Named) -> None:
        """Empty a field. It is a draft until the focus leaves."""
        self._feed("type", control)

    @cued
    def key(self, keys: str, repeat: int | str = 1) -> None:
        """Press a key or shortcut: one more character, "Enter", "Escape", "Ctrl+Enter".

        `repeat`: how often a key that is held down comes. Repeats type again but press nothing.
        """
        if not str(repeat).isdecimal():
            raise ValueError(f"'{repeat}' isn't a number of presses; use, for example, 5")
        if len(str(repeat)) > len(str(MOST_PRESSES)) or int(repeat) > MOST_PRESSES:
            most = f"press a key at most {MOST_PRESSES:,} times in one step"
            raise ValueError(f"'{short_text(str(repeat))}' is too often; {most}")
        for count in range(int(repeat)):
            self.session.feed(Gesture(verb="key", text=keys, repeat=count > 0))

    @cued
    def focus(self, control: Named) -> None:
        """Move the focus to a control, as by a click."""
        self._feed("focus", control)

    @cued
    def tab(self) -> None:
        """Move to the next control."""
        self.session.feed(Gesture(verb="tab"))

    @cued
    def back_tab(self) -> None:
        """Move to the previous control."""
        self.session.feed(Gesture(verb="back_tab"))

    @cued
    def press(self, control: Named | None = None) -> None:
        """Press a button or label; without a control, click the form itself.

        If this opens a prompt or dialog, the next step acts on that.
        """
        self._feed("press", control)

    @cued
    def double(self, control: Named | None = None, item: object = "") -> None:
        """Double-click a control or one of its items; without a control, the form itself."""
        self._feed("double", control, str(item))

    @cued
    def pick(self, control: Named, text: object, *which: object) -> None:
        """Pick an item by its text.

        If several items read the same: `pick("guest", "Abel", "at", 2)`, or `"where", "born", "2031-01-01"`, a column of
        its catalog's source.
        """
        form, path = self.place(control)
        item = (
            item_meant(self, f"{form}.{path}" if form else path, str(text), [str(word) for word in which]) if which else ""
        )
        self.session.feed(Gesture(verb="pick", control=path, text=str(text), form=form, item=item))

    @cued
    def sort(self, table: Named, column: str) -> None:
        """Sort a table by a column; sort by the same column again to reverse."""
        self._feed("sort", table, column)

    @cued
    def tick(self, control: Named) -> None:
        """Tick a box."""
        self._feed("tick", control)

    @cued
    def untick(self, control: Named) -> None:
        """Untick a box."""
        self._feed("untick", control)

    @cued
    def hover(self, control: Named) -> None:
        """Move the pointer to a control."""
        self._feed("hover", control)

    @cued
    def unhover(self) -> None:
        """Move the pointer away."""
        self.session.feed(Gesture(verb="unhover"))

    @cued
    def answer(self, button: str) -> None:
        """Press a button of the open prompt."""
        self.session.feed(Gesture(verb="answer", text=button))

    @cued
    def record(self, where: object) -> None:
        """Go to a record of the front form, or save or remove the current one.

        `where`: next, previous, first, last, new, save or remove, or a record's key.
        """
        self.session.feed(Gesture(verb="record", text=str(where)))

    @cued
    def add_line(self, lines: Named) -> None:
        """Add a line at the end: `desk.add_line("extras")`."""
        self._feed("add_line", lines)

    @cued
    def remove_line(self, line: str) -> None:
        """Remove a line: `desk.remove_line("extras[0]")`."""
        self._feed("remove_line", line)

    @cued
    def move_line(self, line: str, to: object) -> None:
        """Move a line to a zero-based position: `desk.move_line("extras[2]", 0)`."""
        self._feed("move_line", line, str(to))

    @cued
    def paste_rows(self, control: Named, cells: str) -> None:
        """Fill lines from rows of cells, as spreadsheets copy them: tabs between cells, line ends between rows.

        `control`: the entry of a line at which the first cell goes (`"extras[0].count"`), or the list, to add lines at its
        end. Each cell is read as if it were typed. Raises `Refused` if something doesn't fit; then nothing changes.
        """
        self._feed("paste_rows", control, cells)

    @cued
    def take_back(self) -> None:
        """Take back the user's last finished gesture that changed a value, a line or a pick.

        No events are raised; rules follow. Raises `Refused` if there is nothing to take back.
        """
        self.session.feed(Gesture(verb="take_back"))

    @cued
    def open(self, name: str) -> None:
        """Open an offered form by name, or bring it to the front."""
        self.session.feed(Gesture(verb="open", text=name))

    @cued
    def to_front(self, name: str) -> None:
        """Bring an open form to the front, by its name."""
        self.session.feed(Gesture(verb="to_front", text=name))

    @cued
    def close(self) -> None:
        """Press the close button of the prompt, dialog or form in front."""
        self.session.feed(Gesture(verb="close"))

    # ---- what no user does

    @cued
    def wait(self, duration: str) -> None:
        """Let time pass: "90s", "61m", "2h 30m" or "3d". Only this moves the clock.

        What depends on the clock follows at each moment at which it differs on the way (the first 1,000), and at the end.
        """
        try:
            end = later_by(self._now, duration_of(duration))
        except OverflowError:
            end = datetime.max
        if end.replace(tzinfo=None) > LATEST:
            raise ValueError(f"'{short_text(duration)}' is too long; a rehearsal ends before {LATEST:%Y-%m-%d}")
        failure: HandlerFailed | None = None
        for step in range(MOST_WAKES + 1):
            wakes = self.session.wakes_at
            if wakes is None or is_before(end, wakes) or step == MOST_WAKES:
                self._now = end
            elif is_before(self._now, wakes):
                self._now = wakes
            try:
                self.session.feed(Gesture(verb="time"))
            except HandlerFailed as error:
                # A rule that fails doesn't stop the clock.
                failure = failure or error
            if self._now == end:
                break
        if failure is not None:
            raise failure

    def finish(self, result: object = STAND_IN, of: str = "") -> None:
        """End a slow call with a result; without one, with its stand-in's, or a sample of the function's return type.

        `of`: the handler that waits ("get_rate", "get_rate#2"); otherwise the newest. Raises `UnknownName` if there is
        neither a result nor a sample.
        """
        call = call_named(self.session, of)
        if result is STAND_IN:
            stand_in = stand_in_of(self.scene, call)
            self.recorder.do("finish", (call.name,), lambda: run_call(self.session, call, stand_in))
            return
        self.recorder.do("finish", (call.name, json_text(result)), lambda: end_call(self.session, call, "finished", result))

    def fail(self, error: Exception | str = "", of: str = "") -> None:
        """Let a slow call fail with an error; a text becomes a `RuntimeError`. `of`: see `finish`."""
        call = call_named(self.session, of)
        raised = error if isinstance(error, Exception) else RuntimeError(error)
        kind = [type(raised).__name__] if type(raised) is not RuntimeError else []
        words = (call.name, str(raised), *kind)
        self.recorder.do("fail", words, lambda: end_call(self.session, call, "failed", raised))

    def time_out(self, of: str = "") -> None:
        """Let the time of a slow call run out. `of`: see `finish`."""
        call = call_named(self.session, of)
        self.recorder.do("time_out", (call.name,), lambda: end_call(self.session, call, "timed_out"))

    def cancel_call(self, of: str = "") -> None:
        """Cancel a slow call, as the user does. `of`: see `finish`. Raises `Refused` if it can't be cancelled."""
        call = call_named(self.session, of)
        self.recorder.do("cancel_call", (call.name,), lambda: self._cancel(call.name))

    def _cancel(self, name: str) -> None:
        self.session.feed(Gesture(verb="cancel_call", text=name))

    def run_calls(self) -> None:
        """Run the slow calls that wait, or their stand-ins, one after the other on this thread."""
        while self.slow_calls_are == "run" and (waiting := self.session.slow_calls):
            call = waiting[0]
            is_real = not self.is_apart and call.function not in self.scene.slow_calls_by
            run_call(self.session, call, call.function if is_real else stand_in_of(self.scene, call))

    @cued
    def mute(self, handler: Callable[..., object], why: str) -> None:
        """Don't run a handler: `desk.mute(BookingForm.look_up_vessel, why="…")`."""
        self.session.mute(handler, why)

    @cued
    def pause_at(self, event: OwnedEvent) -> None:
        """Pause before an event from now on; `go_on` continues."""
        self.session.pause_at(event)

    @cued
    def go_on(self) -> None:
        """Continue after a pause."""
        self.session.go_on()

    # ---- as a cue sheet

    @cued
    def expect(self, *words: str) -> None:
        """Expect something as a cue sheet does: `desk.expect("berth.choices", "N7")`.

        `desk.expect("not", "prompt")` expects the opposite.
        Raises `Unmet`, an `AssertionError`, and `UnknownName` for an unknown expectation.
        """
        __tracebackhide__ = True
        expect(self, words)

    def step(self, verb: str, *words: str) -> None:
        """Do a step by its verb, as a cue sheet does."""
        if verb == "finish":
            call = call_named(self.session, words[0])
            self.finish(result_of(words[1], call.function) if len(words) > 1 else STAND_IN, of=call.name)
        elif verb == "fail":
            self.fail(error_named(words[1], words[2] if len(words) > 2 else "RuntimeError"), of=words[0])
        else:
            getattr(self, verb)(*words)

    def as_cues(self) -> str:
        """Return the rehearsal so far as a cue sheet.

        It has the steps, and what was expected with `expect`. A refused step becomes `expect refused`, a failed one
        `expect failed`.
        Steps that only Python can do are comments.
        """
        return "".join(f"{line}\n" for line in self.recorder.cue_lines(self.scene, self.origin))

    # ---- the rest

    def unfinished(self) -> str | None:
        """Return what is still open, with the last trace entries, or None."""
        session = self.session
        prompt = self.prompt
        calls = session.slow_calls
        extra = [form for form in session.forms if form is not session.first]
        if prompt:
            what = f"a prompt is still open: '{prompt.text}' ({', '.join(prompt.buttons)})"
        elif calls:
            what = f"a slow call still waits: {calls[-1].name}"
        elif extra:
            what = f"{name_of(extra[-1])} is still open"
        else:
            return None
        tail = "\n".join(f"  {entry.number} {phrase(entry)}" for entry in session.trace[-TAIL:])
        return f"{what}; last trace entries:\n{tail}"

    def _feed(self, verb: str, control: Named | None, text: str = "") -> None:
        form, path = self.place(control) if control is not None else ("", "")
        self.session.feed(Gesture(verb=verb, control=path, text=text, form=form))


class RehearsalOptions(SceneOptions, total=False):
    """The options of `rehearse`, for type checkers."""

    slow_calls: SlowCallsAre


@overload
def rehearse(form: Scene | Callable[[], Scene], **options: Unpack[RehearsalOptions]) -> Desk: ...
@overload
def rehearse(
    form: Callable[P, Form],
    user: str | None = None,
    now: datetime | None = None,
    locale: str | None = None,
    records: object = None,
    services: Mapping[type, object] | None = None,
    latches: LatchStore | None = None,
    policy: PolicyRules | None = None,
    forms: Offered | None = None,
    at: object = None,
    only: Mapping[str, object] | None = None,
    observers: Iterable[Observer] | None = None,
    max_runs: int | None = None,
    on_failure: FailureLog | None = None,
    slow_calls: SlowCallsAre = "run",
    slow_calls_by: Mapping[Callable[..., Any], Callable[..., Any]] | None = None,
    *args: P.args,
    **params: P.kwargs,
) -> Desk: ...
def rehearse(form: Any, *args: object, **options: Any) -> Desk:
    """Rehearse a form without a screen: `with rehearse(BookingForm, berths=berths) as desk:`.

    `form`: a form class, with its parameters by name, a `Scene`, or a scene function. `options`: those of `Scene`; one that
    is given replaces the scene's. `slow_calls`: "run" runs what handlers call elsewhere at once, "ask" waits for
    `desk.finish` and the like. If the block ends with an open prompt or dialog, it raises `Unfinished`.
    """
    if args:
        raise TypeError("rehearse(…): pass options and parameters by name")
    slow_calls = options.pop("slow_calls", "run")
    if slow_calls not in ("run", "ask"):
        raise TypeError(f"rehearse(…, slow_calls={slow_calls!r}): expected 'run' or 'ask'")
    given = {name: options[name] for name in options if name in OPTIONS}
    params = {name: options[name] for name in options if name not in OPTIONS}
    if isinstance(form, type) and issubclass(form, Form):
        scene, origin = Scene(form, **params), origin_of("form", form)
    else:
        scene, origin = (copy(form), "") if isinstance(form, Scene) else (form(), origin_of("scene", form))
        if not isinstance(scene, Scene):
            raise TypeError(f"{getattr(form, '__name__', form)} must return Scene(…), but it returned {scene!r}")
        if params:
            known = closest(next(iter(params)), OPTIONS)
            hint = f"; did you mean '{known}'?" if known else ""
            raise TypeError(f"a scene sets its own parameters; leave out {', '.join(params)}{hint}")
        given["services"] = {**scene.services, **(options.get("services") or {})}
    scene.set(**given)
    desk = Desk(scene, origin)
    desk.slow_calls_are = slow_calls
    return desk
