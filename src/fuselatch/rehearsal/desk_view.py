"""The looking half of a desk: what the user sees, and what happened."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from email.message import EmailMessage
from typing import Any, TypeAlias, TypeVar, overload

from fuselatch.core.engine.rules.latching import LatchView
from fuselatch.core.engine.session import Session
from fuselatch.core.forms.declarations import Declaration
from fuselatch.core.forms.form import Form, name_of
from fuselatch.core.forms.prompts import Cells, in_words
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.trace import Trace
from fuselatch.rehearsal.slow import DeskCall, as_seen
from fuselatch.report.tree import story
from fuselatch.services import Drawings, Letters

F = TypeVar("F", bound=Form)
Named: TypeAlias = str | Declaration[Any]
"""A control: its path or its declaration."""


@dataclass(frozen=True, slots=True)
class DeskPrompt:
    """The open prompt. It is false if there is none."""

    title: str = ""
    text: str = ""
    buttons: tuple[str, ...] = ()
    default: str = ""
    cancel: str = ""
    tone: str = ""
    table: Cells = ()

    @property
    def in_words(self) -> str:
        """The text, and its table as lines: `Name | Crane | Heron`."""
        return in_words(self.text, self.table)

    def __bool__(self) -> bool:
        return bool(self.buttons)


class DeskView:
    """A session as a rehearsal looks at it. `Desk` adds the gestures."""

    _session: Session | None = None

    @property
    def session(self) -> Session:
        """The session that the desk feeds."""
        if self._session is None:
            raise RuntimeError("the rehearsal isn't open; use `with rehearse(…) as desk:`")
        return self._session

    @property
    def began(self) -> bool:
        """True if the session was opened."""
        return self._session is not None

    @property
    def form(self) -> Form:
        """The front form."""
        return self.session.front

    @overload
    def at(self, form: type[F]) -> F: ...
    @overload
    def at(self, form: Callable[..., F]) -> F: ...
    def at(self, form: Any) -> object:
        """Return the front form, typed. Raises `AssertionError` if it has another class."""
        front = self.form
        if not isinstance(front, form):
            behind = any(type(each) is form for each in self.session.forms)
            hint = f"; for the one behind it, session.find({form.__name__})" if behind else ""
            raise AssertionError(f"expected {form.__name__} in front, but it is {front!r}{hint}")
        return front

    @property
    def prompt(self) -> DeskPrompt:
        """The open prompt. It is false if there is none."""
        seen = self.session.prompt
        if seen is None:
            return DeskPrompt()
        return DeskPrompt(seen.title, seen.text, seen.buttons, seen.default, seen.cancel, seen.tone, seen.table)

    @property
    def slow_call(self) -> DeskCall:
        """The newest slow call that a handler waits for. It is false if there is none."""
        calls = self.session.slow_calls
        return as_seen(calls[-1]) if calls else DeskCall()

    @property
    def slow_calls(self) -> tuple[DeskCall, ...]:
        """The slow calls that handlers wait for, the oldest first."""
        return tuple([as_seen(call) for call in self.session.slow_calls])

    @property
    def outcome(self) -> Outcome | None:
        """The first form's outcome, or None while it is open."""
        return self.session.outcome

    @property
    def trace(self) -> Trace:
        """The trace so far. It can be read after the block."""
        return self.session.trace

    @property
    def latches(self) -> tuple[LatchView, ...]:
        """The latches that are set, with key, answer, time and what resets each."""
        return self.session.latches

    @property
    def letters(self) -> tuple[EmailMessage, ...]:
        """The letters that were sent, in order."""
        box = self.session.services[Letters]
        return tuple(getattr(box, "letters", ()))

    @property
    def drawings(self) -> Mapping[str, str]:
        """The drawings' SVG text, by name."""
        board = self.session.services[Drawings]
        return dict(getattr(board, "drawings", {}))

    def story(self) -> str:
        """Return the whole trace in words, with effects below each gesture."""
        return story(self.trace)

    @property
    def paused_before(self) -> str:
        """The event that the session is paused before ("berth.changed"), or ""."""
        return self.session.paused_before

    def why(self, what: str) -> str:
        """Explain why something is as it is: `desk.why("berth.enabled")`."""
        return self.session.why(what)

    def step(self, verb: str, *words: str) -> None:
        """Do a step by its verb, as a cue sheet does. Only a `Desk` can."""
        raise NotImplementedError

    def run_calls(self) -> None:
        """Run the slow calls that wait, where they are run at once."""

    # ---- names

    def place(self, control: Named) -> tuple[str, str]:
        """Return the name of a control's form ("" for the front form) and its path."""
        form, path = self.session.resolve(control)
        return "" if form is None or form is self.session.resolve("")[0] else name_of(form), path
