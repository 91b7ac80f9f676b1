"""The calls that live forms and controls make to the engine.

The engine imports the forms, so they only know `EnginePort`. Two of its answers have members of their own, which handlers
use: the session (`HandlerSession`, with its `HandlerRows`), and the records of a bound form (`FormRecords`).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from datetime import date, datetime
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

from fuselatch.core.forms.latch import Latch
from fuselatch.core.forms.manner import Manner
from fuselatch.core.forms.plans import Handler
from fuselatch.core.forms.prompts import Answer, Prompt, Tone
from fuselatch.core.forms.shared import Shared
from fuselatch.core.model.cells import Cell, Inputs, Node, Undoable
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.locale_formats import Formats
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.record_changes import Key, NewKey, Record
from fuselatch.core.model.service_map import Services
from fuselatch.core.model.values import Value

if TYPE_CHECKING:
    from fuselatch.core.forms.container import OpenForm
    from fuselatch.core.forms.live_state import ControlState, FormState

T = TypeVar("T")
F = TypeVar("F", bound="OpenForm")


class HandlerRows(Protocol):
    """The records of a session, as a handler uses them."""

    def rows(self, source: str) -> tuple[Record, ...]:
        """Return all rows of a source, with what this gesture has staged."""

    def read(self, source: str, key: object) -> Record | None:
        """Return the row with a key, with what this gesture has staged, or None."""

    def find(self, source: str, row: Mapping[str, object]) -> Record | None:
        """Return the first row with these values, with what this gesture has staged, or None."""

    def add(self, source: str, row: Mapping[str, object]) -> NewKey:
        """Stage a new row, which is written when the gesture is finished; return its key."""

    def change(self, source: str, key: object, row: Mapping[str, object]) -> None:
        """Stage these columns of the row with a key."""

    def remove(self, source: str, key: object) -> None:
        """Stage the removal of the row with a key."""


class FormRecords(Protocol):
    """The members of `self.records` on a bound form."""

    source: str

    @property
    def key(self) -> Key:
        """The current record's key, or None for a new record."""

    @property
    def count(self) -> int:
        """The number of records that match the filters."""

    @property
    def position_text(self) -> str:
        """The current record's position: "12 of 250"."""

    @property
    def is_changed(self) -> bool:
        """True if the user entered something that isn't saved."""

    def where(self, *, blank: str = "all", **columns: ControlState) -> None:
        """Show only rows whose columns equal these controls."""

    def next(self) -> bool:
        """Go to the next record."""

    def previous(self) -> bool:
        """Go to the previous record."""

    def first(self) -> bool:
        """Go to the first record."""

    def last(self) -> bool:
        """Go to the last record."""

    def new(self) -> bool:
        """Start a new record."""

    def save(self) -> bool:
        """Save the current record."""

    def remove(self) -> bool:
        """Ask the user and remove the current record."""

    def at(self, key: object) -> bool:
        """Go to the record with a key."""


class HandlerSession(Protocol):
    """The members of `self.session` in a handler."""

    @property
    def user(self) -> str:
        """The user's name."""

    @property
    def formats(self) -> Formats:
        """How values are written and read."""

    @property
    def services(self) -> Services:
        """The session's services, by class."""

    @property
    def forms(self) -> tuple[OpenForm, ...]:
        """The open forms, front first."""

    @property
    def records(self) -> HandlerRows:
        """The session's records."""

    def now(self) -> datetime:
        """Return the session's time, read once per gesture."""

    def today(self) -> date:
        """Return the session's date."""

    def find(self, form: Callable[..., F]) -> F | None:
        """Return the front form of a class, or None."""

    def __getitem__(self, shared: Shared[T]) -> T:
        """Return the session's value of a `Shared`."""

    def __setitem__(self, shared: Shared[T], value: T) -> None:
        """Set the session's value of a `Shared`."""


class EnginePort(Undoable, ABC):
    """The calls that live forms and controls make to the engine."""

    tracker: Inputs | None
    formats: Formats
    has_masks: bool
    """True from when a form with a password opens: only then can anything be derived from one."""

    @property
    @abstractmethod
    def session(self) -> HandlerSession:
        """The session, as handlers see it."""

    @abstractmethod
    def records_of(self, form: OpenForm) -> FormRecords | None:
        """Return the records of a bound form, as handlers see them; None for a form that isn't bound."""

    @abstractmethod
    def mark(self, node: Node, prop: str) -> None:
        """Mark what depends on a restored property."""

    @abstractmethod
    def mark_stale(self, state: FormState) -> None:
        """Mark the rules of a form that is open again, which weren't run while it was closed."""

    @abstractmethod
    def find_front(self) -> None:
        """Find the front form after forms were restored."""

    @abstractmethod
    def fresh(self, cell: Cell) -> Value:
        """Return a cell's value; compute it if an input changed."""

    @abstractmethod
    def findings(self, control: ControlState) -> tuple[Finding, ...]:
        """Return a control's findings."""

    @abstractmethod
    def by_program(self, form: OpenForm, name: str, label: object, put: Callable[[Any], None], ruled: bool = False) -> None:
        """Change something of a form in the running gesture, or in a gesture of its own. `put` gets the turn.

        `name` is for messages, `label` is the gesture's. Raises an error where `name` can't be set.
        """

    @abstractmethod
    def assign(self, control: ControlState, value: object) -> None:
        """Set a control's value by program."""

    @abstractmethod
    def set_property(self, control: ControlState, prop: str, value: object) -> None:
        """Set a property that has no rule."""

    @abstractmethod
    def note_stale(self, control: ControlState, by_rule: bool = False) -> None:
        """Note that a value was read while its control has a draft."""

    @abstractmethod
    def set_attribute(self, container: Any, name: str, value: object) -> None:
        """Set a plain attribute so that it can be undone."""

    @abstractmethod
    def delete_attribute(self, container: Any, name: str) -> None:
        """Delete a plain attribute so that it can be undone."""

    def sort_table(self, table: object, sort: tuple[str, bool]) -> None:
        """Sort a table by a column, descending or not."""

    @abstractmethod
    def add_line(self, lines: Any, values: Mapping[str, object]) -> Any:
        """Add a line; return None if it was blocked or refused."""

    @abstractmethod
    def remove_line(self, lines: Any, line: Any) -> bool:
        """Remove a line; return False if it was blocked."""

    @abstractmethod
    def move_line(self, lines: Any, line: Any, to: int) -> None:
        """Move a line."""

    @abstractmethod
    def focus(self, control: ControlState, select: bool) -> None:
        """Move the focus to a control after the handler."""

    @abstractmethod
    def revert_draft(self, control: ControlState) -> None:
        """Drop a draft, so that the value is shown again."""

    @abstractmethod
    def ask(self, form: OpenForm, prompt: Prompt, facts: Mapping[str, object]) -> Answer:
        """Ask a prompt and wait for its answer."""

    @abstractmethod
    def call_elsewhere(self, form: OpenForm, request: Callable[..., Any], args: tuple[object, ...], **options: Any) -> Any:
        """Wait for a function that runs elsewhere."""

    @abstractmethod
    def say(self, form: OpenForm, text: str, tone: Tone, stays: bool) -> None:
        """Show a line in the form's message area."""

    @abstractmethod
    def value_form(self, entry: object, text: str, title: str) -> Any:
        """Return the class of a dialog that asks for one value."""

    @abstractmethod
    def open(self, form: OpenForm, child: Any, params: Mapping[str, Value], how: Manner) -> Outcome:
        """Open a modal dialog and wait until it closes."""

    @abstractmethod
    def show(self, form: OpenForm, child: Any, params: Mapping[str, Value], how: Manner) -> OpenForm:
        """Open a form that stays open beside."""

    @abstractmethod
    def send(self, form: OpenForm, name: str, payload: object) -> None:
        """Raise a custom event after the running handler."""

    @abstractmethod
    def listen(self, form: OpenForm, name: str, owner: object, handler: Handler) -> None:
        """Attach a listener to a custom event."""

    @abstractmethod
    def is_valid(self, control: ControlState) -> bool:
        """Return True if no finding would refuse a control as it is typed now."""

    @abstractmethod
    def is_form_valid(self, form: OpenForm) -> bool:
        """Return True if that holds for all its controls."""

    @abstractmethod
    def latch_answer(self, form: OpenForm, latch: Latch) -> str | None:
        """Return the answer that a latch was set with, if it is set."""

    @abstractmethod
    def latch_when(self, form: OpenForm, latch: Latch) -> datetime | None:
        """Return when a latch was set, if it is set."""

    @abstractmethod
    def set_latch(self, form: OpenForm, latch: Latch, answer: str) -> bool:
        """Set a latch; return False if it is already set."""

    @abstractmethod
    def reset_latch(self, form: OpenForm, latch: Latch) -> None:
        """Reset a latch."""

    @abstractmethod
    def hide(self, form: OpenForm, hidden: bool) -> None:
        """Hide a form, or show it again."""

    @abstractmethod
    def close_form(self, form: OpenForm, verdict: str) -> None:
        """Close a form after the running handler."""

    @abstractmethod
    def to_front(self, form: OpenForm) -> None:
        """Bring a form to the front."""

    @abstractmethod
    def set_title(self, form: OpenForm, title: str) -> None:
        """Change a form's title."""

    @abstractmethod
    def refresh(self, form: OpenForm) -> None:
        """Run every rule of a form again."""

    @abstractmethod
    def afterwards(self, form: OpenForm, function: Callable[..., object], args: tuple[object, ...], caption: str) -> None:
        """Call a function after the gesture's writes."""
