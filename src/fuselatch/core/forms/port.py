"""What live forms and controls ask of the engine that runs them.

The engine stands above the forms and imports them; this is the one thing they know of it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, datetime
from typing import TYPE_CHECKING, Any, Protocol

from fuselatch.core.model.cells import Cell, Inputs
from fuselatch.core.model.formats import Formats
from fuselatch.core.model.outcome import Outcome

if TYPE_CHECKING:
    from fuselatch.core.forms.controls import Live, LiveValue
    from fuselatch.core.forms.form import Form
    from fuselatch.core.forms.prompts import Prompt


class SessionView(Protocol):
    """What a handler may ask of `self.session`."""

    formats: Formats

    @property
    def user(self) -> str:
        """Who is at the form."""

    def now(self) -> datetime:
        """The session's clock, read once a gesture."""

    def today(self) -> date:
        """The date of `now()`."""


class EnginePort(SessionView, Protocol):
    """What live forms and controls ask of the engine."""

    tracker: Inputs | None

    def fresh(self, cell: Cell) -> Any:
        """A cell's value, computed where an input has changed."""

    def assign(self, control: LiveValue[Any], value: object) -> None:
        """Set a control's value by program."""

    def set_property(self, control: Live, prop: str, value: object, wanted: Callable[[Any], Any]) -> None:
        """Set a property that is not derived."""

    def note_stale(self, control: LiveValue[Any]) -> None:
        """Note that a value was read while its control holds a draft."""

    def set_attribute(self, form: Form, name: str, value: object) -> None:
        """Set a plain attribute of a form, so that it can be put back."""

    def ask(self, form: Form, prompt: Prompt, facts: Mapping[str, Any]) -> str:
        """Put a prompt and wait for its answer."""

    def open(self, form: Form, child: type[Form], params: Mapping[str, Any]) -> Outcome:
        """Open a modal dialog and wait until it closes."""
