"""The desk: a rehearsal acts at it as a person would, step by step, and looks at what came of it.

It uses only what a face uses: it feeds gestures to a session.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from email.message import EmailMessage
from types import TracebackType
from typing import Any, ParamSpec, Self, TypeAlias, TypeVar, overload

from fuselatch.core.engine.latching import LatchSeen
from fuselatch.core.engine.session import Session
from fuselatch.core.engine.store import Store
from fuselatch.core.engine.view import prompt_view
from fuselatch.core.engine.witness import Witness
from fuselatch.core.forms.declarations import Declaration
from fuselatch.core.forms.form import Form, name_of, plan_of
from fuselatch.core.forms.policy import Rules
from fuselatch.core.forms.sources import EventSource
from fuselatch.core.model.errors import UnknownName
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.latch_records import LatchStore
from fuselatch.core.model.names import suggest
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.texts import user_text
from fuselatch.core.model.trace import Trace
from fuselatch.core.model.words import phrase
from fuselatch.formats import locale_formats
from fuselatch.rehearsal.expectations import expect
from fuselatch.rehearsal.recorder import Done, cue_lines, cued, origin_of
from fuselatch.rehearsal.scenes import NOW, Scene
from fuselatch.report.tree import story
from fuselatch.services import DrawingBoard, Drawings, LetterBox, Letters
from fuselatch.stores.memory import MemoryLatches, MemoryRecords

P = ParamSpec("P")
F = TypeVar("F", bound=Form)
Named: TypeAlias = str | Declaration[Any]
"""A control: by its path, or by its declaration."""

DURATION = re.compile(r"([0-9]+)\s*([smhd])")
UNITS = {"s": "seconds", "m": "minutes", "h": "hours", "d": "days"}
TAIL = 10
"""How many lines of the trace an `Unfinished` shows."""


watchers: list[Callable[[Desk], None]] = []
"""Who is told of each desk whose rehearsal begins: the run of a test suite, say."""


class Unfinished(AssertionError):
    """A rehearsal ended with a prompt unanswered or a dialog open; its text shows which, and the trace's tail."""


@dataclass(frozen=True, slots=True)
class DeskPrompt:
    """The prompt that is up; falsy where none is."""

    title: str = ""
    text: str = ""
    buttons: tuple[str, ...] = ()
    default: str = ""
    cancel: str = ""
    tone: str = ""

    def __bool__(self) -> bool:
        return bool(self.buttons)


class Desk:
    """What `with rehearse(…) as desk` gives.

    Its gestures (`type`, `press`, `pick`, …) raise `Refused` for what a person could not even
    start, `UnknownName` for a control that isn't there, and `HandlerFailed` where code of the
    form raised.
    """

    def __init__(self, scene: Scene, origin: str = "") -> None:
        self.scene = scene
        self.origin = origin
        self.witness: Witness | None = None
        self.prepare: Callable[[Session], None] = lambda session: None
        self._steps: list[Done] = []
        self._nested = False
        self._now = scene.now
        self._session: Session | None = None
        self._letters = LetterBox()
        self._drawings = DrawingBoard()

    def __enter__(self) -> Self:
        scene = self.scene
        for watcher in watchers:
            watcher(self)
        self._session = Session(
            scene.form,
            user=scene.user,
            clock=lambda: self._now,
            formats=locale_formats(scene.locale),
            records=scene.records,
            services={Letters: self._letters, Drawings: self._drawings, **scene.services},
            latches=scene.latches if scene.latches is not None else MemoryLatches(),
            policy=scene.policy,
            forms=scene.forms,
            at=scene.at,
            only=scene.only,
            params=scene.params,
            witness=self.witness,
            prepare=self.prepare,
        )
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        left_over = self.unfinished() if kind is None else None
        self.end()
        if left_over is not None:
            raise Unfinished(left_over)

    def end(self) -> None:
        """Close the session, and tell whoever has watched it."""
        self.session.close()
        if self.witness is not None:
            self.witness.ended(self.session.trace)

    # ---- to look at

    @property
    def session(self) -> Session:
        """The session that the desk feeds."""
        if self._session is None:
            raise RuntimeError("the rehearsal isn't open; use `with rehearse(…) as desk:`")
        return self._session

    @property
    def form(self) -> Form:
        """The form in front."""
        return self.session.front

    @overload
    def at(self, form: type[F]) -> F: ...
    @overload
    def at(self, form: Callable[..., F]) -> F: ...
    def at(self, form: Any) -> Any:
        """The form in front, typed; an `AssertionError` where it is of another class."""
        front = self.form
        if not isinstance(front, form):
            raise AssertionError(f"expected {form.__name__} in front, but it is {front!r}")
        return front

    @property
    def prompt(self) -> DeskPrompt:
        """The prompt that is up; falsy where none is."""
        seen = prompt_view(self.session._engine)
        if seen is None:
            return DeskPrompt()
        return DeskPrompt(seen.title, seen.text, seen.buttons, seen.default, seen.cancel, seen.tone)

    @property
    def outcome(self) -> Outcome | None:
        """The outcome of the first form, once it has closed."""
        return self.session.outcome

    @property
    def trace(self) -> Trace:
        """The trace so far; readable after the block, too."""
        return self.session.trace

    @property
    def latches(self) -> tuple[LatchSeen, ...]:
        """The latches that hold: each with its key, answer, when it was taken, and what resets it."""
        return self.session.latches

    @property
    def letters(self) -> tuple[EmailMessage, ...]:
        """The letters that were sent, in order."""
        box = self.session.services[Letters]
        return tuple(getattr(box, "letters", ()))

    @property
    def drawings(self) -> Mapping[str, str]:
        """The SVG text of what was drawn, by name."""
        board = self.session.services[Drawings]
        return dict(getattr(board, "drawings", {}))

    def story(self) -> str:
        """The whole trace in words: each gesture, and below it what it brought about."""
        return story(self.trace)

    # ---- gestures

    @cued
    def type(self, control: Named, text: str) -> None:
        """Type a text key by key, in place of what stands in the entry.

        The draft stays unsettled until the focus leaves. When a key brings up a prompt or a
        dialog, the rest is not typed, and the view says so.
        """
        if not isinstance(text, str):
            raise TypeError(f"type(…): expected text as the user types it, not {text!r}")
        form, path = self.place(control)
        session = self.session
        waited = len(session.waits_for)
        for end in range(1, len(text) + 1):
            session.feed(Gesture(verb="type", control=path, text=text[:end], form=form))
            if end < len(text) and len(session.waits_for) > waited:
                session.drop_rest(user_text("notice.not_typed", text=text[end:], what=session.waits_for[-1]))
                return
        if not text:
            self.clear(control)

    @cued
    def paste(self, control: Named, text: str) -> None:
        """Put a whole text into an entry at once, in place of what stands there, unsettled."""
        self._feed("type", control, text)

    @cued
    def clear(self, control: Named) -> None:
        """Empty an entry, unsettled as when typing."""
        self._feed("type", control)

    @cued
    def key(self, keys: str, held: int | str = 1) -> None:
        """Press a key or shortcut where the focus is: one more character, "Enter", "Escape", "Ctrl+Enter".

        A key that is `held` down comes that many times, from the second time on as a repeat, which
        types again but presses nothing.
        """
        if not str(held).isdecimal():
            raise ValueError(f"'{held}' isn't a number of presses; use, for example, 5")
        for count in range(int(held)):
            self.session.feed(Gesture(verb="key", text=keys, repeat=count > 0))

    @cued
    def focus(self, control: Named) -> None:
        """Go to a control, as by clicking into it."""
        self._feed("focus", control)

    @cued
    def tab(self) -> None:
        """Go on to the next control."""
        self.session.feed(Gesture(verb="tab"))

    @cued
    def back_tab(self) -> None:
        """Go back to the control before."""
        self.session.feed(Gesture(verb="back_tab"))

    @cued
    def press(self, control: Named | None = None) -> None:
        """Press a button, or click a label; without a control, click the form's surface.

        What it brings up, a prompt or a dialog, is what the next step meets.
        """
        self._feed("press", control)

    @cued
    def double(self, control: Named | None = None, item: object = "") -> None:
        """Click something twice, of a choice the item named; without a control, the form's surface."""
        self._feed("double", control, str(item))

    @cued
    def pick(self, control: Named, text: object) -> None:
        """Pick one of the choices, by its text."""
        self._feed("pick", control, str(text))

    @cued
    def sort(self, table: Named, column: str) -> None:
        """Sort a table by one of its columns; by the same again, downwards."""
        self._feed("sort", table, column)

    @cued
    def tick(self, control: Named) -> None:
        """Put a tick."""
        self._feed("tick", control)

    @cued
    def untick(self, control: Named) -> None:
        """Take a tick away."""
        self._feed("untick", control)

    @cued
    def hover(self, control: Named) -> None:
        """Bring the pointer to a control."""
        self._feed("hover", control)

    @cued
    def unhover(self) -> None:
        """Take the pointer off to nothing."""
        self.session.feed(Gesture(verb="unhover"))

    @cued
    def answer(self, button: str) -> None:
        """Press a button of the prompt that is up."""
        self.session.feed(Gesture(verb="answer", text=button))

    @cued
    def record(self, where: object) -> None:
        """Go to another record of the form in front, or keep or remove the one in hand.

        Takes next, previous, first, last, new, save or remove, or the key of a record.
        """
        self.session.feed(Gesture(verb="record", text=str(where)))

    @cued
    def add_line(self, lines: Named) -> None:
        """Start a line at the end of some lines: `desk.add_line("extras")`."""
        self._feed("add_line", lines)

    @cued
    def remove_line(self, line: str) -> None:
        """Take a line away: `desk.remove_line("extras[0]")`."""
        self._feed("remove_line", line)

    @cued
    def move_line(self, line: str, to: object) -> None:
        """Put a line at another place: `desk.move_line("extras[2]", 0)`."""
        self._feed("move_line", line, str(to))

    @cued
    def open(self, name: str) -> None:
        """Open a form that the scene offers by its name, or bring it to the front where it is open."""
        self.session.feed(Gesture(verb="open", text=name))

    @cued
    def close(self) -> None:
        """Press the close button of what is in front, a prompt's too."""
        self.session.feed(Gesture(verb="close"))

    # ---- what no person does

    @cued
    def wait(self, duration: str) -> None:
        """Let time pass, such as "90s", "61m", "2h" or "3d": only this moves the clock."""
        found = DURATION.fullmatch(duration.strip())
        if not found:
            raise ValueError(f"'{duration}' isn't a duration; write 90s, 61m, 2h or 3d")
        self._now += timedelta(**{UNITS[found[2]]: int(found[1])})

    @cued
    def mute(self, handler: Callable[..., object], why: str) -> None:
        """Leave a handler out: `desk.mute(BookingForm.look_up_vessel, why="…")`."""
        self.session.mute(handler, why)

    @cued
    def pause_at(self, event: EventSource) -> None:
        """Stop before an event from now on; `paused_before` says so, and `go_on` goes on."""
        self.session.pause_at(event)

    @property
    def paused_before(self) -> str:
        """The event before which the session is paused ("berth.changed"), or ""."""
        return self.session.paused_before

    @cued
    def go_on(self) -> None:
        """Go on behind a pause."""
        self.session.go_on()

    def why(self, what: str) -> str:
        """Why something is as it is, or did not come: `desk.why("berth.enabled")`."""
        return self.session.why(what)

    # ---- as a cue sheet

    @cued
    def expect(self, *words: str) -> None:
        """Expect something as a cue sheet does: `desk.expect("berth.choices", "N7")`, `desk.expect("not", "prompt")`.

        Raises `Unmet`, an AssertionError, where it does not hold, and `UnknownName` for what can't be expected.
        """
        __tracebackhide__ = True
        expect(self, words)

    def as_cues(self) -> str:
        """The rehearsal so far as a cue sheet: its steps, and what was expected with `expect`.

        A step that was refused, and after which the rehearsal went on, is expected to be refused.
        What a cue sheet can't say stands in it as a comment.
        """
        return "".join(f"{line}\n" for line in cue_lines(self))

    # ---- the rest

    def unfinished(self) -> str | None:
        """What keeps this rehearsal from being over, with the trace's tail; None where nothing does."""
        session = self.session
        prompt = self.prompt
        extra = [form for form in session.forms if form is not session.first]
        if prompt:
            what = f"a prompt is still open: '{prompt.text}' ({', '.join(prompt.buttons)})"
        elif extra:
            what = f"{name_of(extra[-1])} is still open"
        else:
            return None
        tail = "\n".join(f"  {entry.number} {phrase(entry)}" for entry in session.trace[-TAIL:])
        return f"{what}; last trace entries:\n{tail}"

    def _feed(self, verb: str, control: Named | None, text: str = "") -> None:
        form, path = self.place(control) if control is not None else ("", "")
        self.session.feed(Gesture(verb=verb, control=path, text=text, form=form))

    def look_up(self, path: str) -> tuple[Form, str]:
        """The form that a path is about and the path on it: the form that it begins with, else the one in front."""
        first, _, rest = path.partition(".")
        for called in (name_of, class_name) if rest else ():
            for form in self.session.forms:
                if first == called(form):
                    return form, rest
        return self.form, path

    def place(self, control: Named) -> tuple[str, str]:
        """The name of the form that a control is on ("" for the one in front), and its path."""
        forms = self.session.forms
        if isinstance(control, str):
            if "." not in control or not forms:
                return "", control
            looked, path = self.look_up(control)
            return ("" if path == control else name_of(looked)), path
        for form in forms:
            found = plan_of(type(form)).controls.get(control.name)
            if found is not None and found.decl is control:
                return name_of(form), control.name
        if not forms:
            return "", control.name
        plan = plan_of(type(forms[0]))
        raise UnknownName(f"{plan.name} has no control '{control.name}'; {suggest(control.name, plan.controls)}")


def class_name(form: Form) -> str:
    """The name of a form's class."""
    return type(form).__name__


Records: TypeAlias = Store | Mapping[str, Iterable[Mapping[str, Any]]] | None


@overload
def rehearse(
    form: Callable[[], Scene],
    user: str = "",
    now: datetime = NOW,
    locale: str = "en",
    records: Records = None,
    services: Mapping[type, object] | None = None,
    latches: LatchStore | None = None,
    policy: Rules | None = None,
) -> Desk: ...
@overload
def rehearse(
    form: Callable[P, Form],
    user: str = "",
    now: datetime = NOW,
    locale: str = "en",
    records: Records = None,
    services: Mapping[type, object] | None = None,
    latches: LatchStore | None = None,
    policy: Rules | None = None,
    *args: P.args,
    **params: P.kwargs,
) -> Desk: ...
def rehearse(
    form: Any,
    user: str = "",
    now: datetime = NOW,
    locale: str = "en",
    records: Records = None,
    services: Mapping[type, object] | None = None,
    latches: LatchStore | None = None,
    policy: Rules | None = None,
    *args: Any,
    **params: Any,
) -> Desk:
    """Rehearse a form without a screen: `with rehearse(BookingForm, user="desk-2", berths=berths) as desk:`.

    Takes a form class with its params by name, or a scene function, and what a `Scene` takes.
    Leaving the block with a prompt unanswered or a dialog open raises `Unfinished`.
    """
    if args:
        raise TypeError("rehearse(…): pass parameters by name")
    if isinstance(form, type) and issubclass(form, Form):
        given: Any = {"records": records, "services": services, "latches": latches, "policy": policy}
        return Desk(Scene(form, user=user, now=now, locale=locale, **given, **params), origin_of("form", form))
    scene = form()
    if not isinstance(scene, Scene):
        raise TypeError(f"{getattr(form, '__name__', form)} must return Scene(…), but it returned {scene!r}")
    if params:
        raise TypeError(f"a scene sets its own parameters; leave out {', '.join(params)}")
    scene.user = user or scene.user
    scene.now = scene.now if now is NOW else now
    scene.locale = scene.locale if locale == "en" else locale
    if records is not None:
        scene.records = MemoryRecords(records) if isinstance(records, Mapping) else records
    scene.services = {**scene.services, **(services or {})}
    scene.latches = latches if latches is not None else scene.latches
    scene.policy = policy if policy is not None else scene.policy
    return Desk(scene, origin_of("scene", form))
