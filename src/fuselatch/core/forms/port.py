"""What live forms and controls ask of the engine that runs them.

The engine stands above the forms and imports them; this is the one thing they know of it.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from datetime import date, datetime
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

from fuselatch.core.forms.shared import Shared
from fuselatch.core.forms.state import Manner
from fuselatch.core.model.cells import Cell, Inputs
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.formats import Formats
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.services import Services

if TYPE_CHECKING:
    from fuselatch.core.forms.controls import LiveValue
    from fuselatch.core.forms.form import Form
    from fuselatch.core.forms.held import Held
    from fuselatch.core.forms.latches import Latch
    from fuselatch.core.forms.live_lists import LiveLines, LiveTable
    from fuselatch.core.forms.plans import Handler
    from fuselatch.core.forms.prompts import Prompt, Tone

T = TypeVar("T")
F = TypeVar("F", bound="Form")


class RecordsView(Protocol):
    """The records of a session, as a handler reaches them."""

    def rows(self, source: str) -> tuple[Mapping[str, Any], ...]:
        """All rows of a source, with what this gesture has staged."""

    def add(self, source: str, row: Mapping[str, Any]) -> None:
        """Stage a row to be added; it is written when the gesture is done."""


class RecordsPort(Protocol):
    """What a handler may ask of `self.records`, on a form that is bound to a source."""

    source: str

    @property
    def key(self) -> Any:
        """The key of the record in hand; None for a fresh one."""

    @property
    def count(self) -> int:
        """How many records there are, with the filters as they are."""

    @property
    def position_text(self) -> str:
        """The place of the record in hand: "12 of 250"."""

    @property
    def is_changed(self) -> bool:
        """Whether something was entered that is not kept yet."""

    def where(self, *, blank: str = "all", **columns: LiveValue[Any]) -> None:
        """Only the rows whose columns equal what these controls hold."""

    def next(self) -> bool:
        """Go to the record behind."""

    def previous(self) -> bool:
        """Go to the record before."""

    def first(self) -> bool:
        """Go to the first record."""

    def last(self) -> bool:
        """Go to the last record."""

    def new(self) -> bool:
        """Begin a fresh record."""

    def save(self) -> bool:
        """Keep the record in hand."""

    def remove(self) -> bool:
        """Take the record in hand away, once the person agrees."""

    def at(self, key: Any) -> bool:
        """Go to the record with a key."""


class SessionView(Protocol):
    """What a handler may ask of `self.session`."""

    @property
    def user(self) -> str:
        """Who is at the form."""

    @property
    def formats(self) -> Formats:
        """How values are written and read."""

    @property
    def services(self) -> Services:
        """What the session reaches outside itself by, by class."""

    @property
    def forms(self) -> tuple[Form, ...]:
        """The open forms, front first."""

    @property
    def records(self) -> RecordsView:
        """The records that the session was given."""

    def now(self) -> datetime:
        """The session's clock, read once a gesture."""

    def today(self) -> date:
        """The date of `now()`."""

    def find(self, form: Callable[..., F]) -> F | None:
        """The front one of the open forms of a class, or None."""

    def __getitem__(self, shared: Shared[T]) -> T | None:
        """The session's own value of a `Shared`."""

    def __setitem__(self, shared: Shared[T], value: T) -> None:
        """Set the session's own value of a `Shared`."""


class EnginePort(ABC):
    """What live forms and controls ask of the engine; `session` is a `SessionView` to them."""

    session: Any
    tracker: Inputs | None
    formats: Formats

    @abstractmethod
    def fresh(self, cell: Cell) -> Any:
        """A cell's value, computed where an input has changed."""

    @abstractmethod
    def findings(self, control: Held) -> tuple[Finding, ...]:
        """What is found about a control as it stands."""

    @abstractmethod
    def assign(self, control: Held, value: object) -> None:
        """Set a control's value by program."""

    @abstractmethod
    def set_property(self, control: Held, prop: str, value: object, wanted: Callable[[Any], Any]) -> None:
        """Set a property that is not derived."""

    @abstractmethod
    def note_stale(self, control: Held, by_rule: bool = False) -> None:
        """Note that a value was read while its control holds a draft."""

    @abstractmethod
    def set_attribute(self, container: Any, name: str, value: object) -> None:
        """Set a plain attribute of a form or group, so that it can be put back."""

    @abstractmethod
    def sort_table(self, table: LiveTable[Any], sort: tuple[str, bool]) -> None:
        """Sort a table by a column, downwards or not."""

    @abstractmethod
    def add_line(self, lines: LiveLines[Any], values: Mapping[str, Any]) -> Any:
        """Start a line."""

    @abstractmethod
    def remove_line(self, lines: LiveLines[Any], line: Any) -> bool:
        """Take a line away."""

    @abstractmethod
    def move_line(self, lines: LiveLines[Any], line: Any, to: int) -> None:
        """Put a line at another place."""

    @abstractmethod
    def focus(self, control: Held, select: bool) -> None:
        """Bring the focus to a control."""

    @abstractmethod
    def undo_draft(self, control: Held) -> None:
        """Take a draft away; the old value comes back."""

    @abstractmethod
    def ask(self, form: Form, prompt: Prompt, facts: Mapping[str, Any]) -> str:
        """Put a prompt and wait for its answer."""

    @abstractmethod
    def say(self, form: Form, text: str, tone: Tone) -> None:
        """Put a line on the form's message area."""

    @abstractmethod
    def open(self, form: Form, child: type[Form], params: Mapping[str, Any], how: Manner) -> Outcome:
        """Open a modal dialog and wait until it closes."""

    @abstractmethod
    def show(self, form: Form, child: type[Form], params: Mapping[str, Any], how: Manner) -> Form:
        """Open a form that stays open beside."""

    @abstractmethod
    def send(self, form: Form, name: str, payload: object) -> None:
        """Raise a signal."""

    @abstractmethod
    def listen(self, form: Form, name: str, owner: Any, handler: Handler) -> None:
        """Have a signal heard by hand."""

    @abstractmethod
    def latch_answer(self, form: Form, latch: Latch) -> str | None:
        """What a latch was taken with, while it holds."""

    @abstractmethod
    def set_latch(self, form: Form, latch: Latch, answer: str) -> bool:
        """Take a latch; False where it holds already."""

    @abstractmethod
    def reset_latch(self, form: Form, latch: Latch) -> None:
        """Let a latch go."""

    @abstractmethod
    def hide(self, form: Form, hidden: bool) -> None:
        """Hide a form, or show it again where it was."""

    @abstractmethod
    def close_form(self, form: Form, verdict: str) -> None:
        """Close a form."""

    @abstractmethod
    def set_title(self, form: Form, title: str) -> None:
        """Give a form another title."""

    @abstractmethod
    def refresh(self, form: Form) -> None:
        """Have every rule of a form run again."""

    @abstractmethod
    def afterwards(self, form: Form, function: Callable[..., object], args: tuple[object, ...]) -> None:
        """Have an outward effect happen once all is settled and written."""
