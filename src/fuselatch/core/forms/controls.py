"""Live controls: what a handler finds under a control's name on its form.

Attributes with a leading underscore belong to the engine; a handler never needs them.
"""

from __future__ import annotations

from typing import Any, ClassVar, Final, Generic, TypeVar

from fuselatch.core.forms.held import Held
from fuselatch.core.forms.sources import EventSource
from fuselatch.core.model.errors import Blank
from fuselatch.core.model.findings import NO_MARKER, Finding, Marker

R = TypeVar("R")
G = TypeVar("G")
T = TypeVar("T")

MASK: Final = "•"
"""What stands for each character of a password."""


class Live(Held):
    """A control of an open form: its path (`name`), its `form`, and properties that may follow rules."""

    __slots__ = ()

    # In a class body a control of a declared group stands for its declaration: `home.street.left`.
    hovered: ClassVar[EventSource]
    unhovered: ClassVar[EventSource]
    entered: ClassVar[EventSource]
    typed: ClassVar[EventSource]
    leaving: ClassVar[EventSource]
    left: ClassVar[EventSource]
    changed: ClassVar[EventSource]
    clicked: ClassVar[EventSource]
    double_clicked: ClassVar[EventSource]

    @property
    def declared(self) -> Any:
        """The control's declaration."""
        return self._decl

    @property
    def caption(self) -> str:
        """What people call the control."""
        text: str = self._read("caption")
        return text

    @caption.setter
    def caption(self, text: str) -> None:
        self._engine.set_property(self, "caption", text, str)

    @property
    def enabled(self) -> bool:
        """Whether it can be used; a control of a group that is switched off can't."""
        return self._has("enabled")

    @enabled.setter
    def enabled(self, on: bool) -> None:
        self._engine.set_property(self, "enabled", on, bool)

    @property
    def visible(self) -> bool:
        """Whether it is shown; a control of a hidden group is not."""
        return self._has("visible")

    @visible.setter
    def visible(self, on: bool) -> None:
        self._engine.set_property(self, "visible", on, bool)

    @property
    def help(self) -> str:
        """A line about what belongs here; shown while the control is entered or hovered at."""
        text: str = self._read("help")
        return text

    @help.setter
    def help(self, text: str) -> None:
        self._engine.set_property(self, "help", text, str)

    @property
    def tone(self) -> str:
        """How it is toned: plain, question, warning or danger."""
        tone: str = self._read("tone")
        return tone

    @tone.setter
    def tone(self, tone: str) -> None:
        self._engine.set_property(self, "tone", tone, str)

    @property
    def focused(self) -> bool:
        """Whether it has the focus of its form."""
        return self.form._state.focus is self

    def focus(self, *, select: bool = False) -> None:
        """Bring the focus here, as a step after the handler; `select` marks the whole entry.

        What can't take the focus is passed over without a word.
        """
        self._engine.focus(self, bool(select))

    def __repr__(self) -> str:
        return f"<{type(self.form).__name__}.{self.name}>"


class LiveButton(Live):
    """A button of an open form."""

    __slots__ = ()


class LiveValue(Live, Generic[R]):
    """A control of an open form that holds a value."""

    __slots__ = ()

    @property
    def value(self) -> R:
        """What the control holds; blank where its draft could not be parsed."""
        if self._draft is not None:
            self._engine.note_stale(self)
        found: R = self._read("value")
        return found

    @value.setter
    def value(self, value: R) -> None:
        self._engine.assign(self, value)

    @property
    def is_blank(self) -> bool:
        """Whether it holds no value. A tick is never blank."""
        return self._plan.blank is not False and self.value == self._plan.blank

    @property
    def text(self) -> str:
        """What stands in the entry: the draft, or the value with its decimals, without its unit."""
        if self._draft is not None:
            return self._draft
        value = self._read("value")
        return "" if value is None else str(self._decl.show(value, self._engine.formats))


class LiveLabel(LiveValue[str]):
    """A label of an open form."""

    __slots__ = ()


class LiveEntry(LiveValue[R], Generic[R, G]):
    """A control of an open form that takes entries."""

    __slots__ = ()

    @property
    def required_value(self) -> G:
        """The value where there is one; raises `Blank` where there is none."""
        value: Any = self.value
        if self._plan.blank is not False and value == self._plan.blank:
            raise Blank(type(self.form).__name__, self.name)
        given: G = value
        return given

    @property
    def draft(self) -> str | None:
        """The text that has been typed and is not yet the value; None when nothing is unsettled."""
        return self._draft

    def undo(self) -> None:
        """Take the draft away: the old value comes back."""
        self._engine.undo_draft(self)

    @property
    def required(self) -> bool | str:
        """Whether it must be filled in; "warn" where a gap is a warning."""
        needed: bool | str = self._read("required")
        return needed

    @required.setter
    def required(self, needed: bool) -> None:
        self._engine.set_property(self, "required", needed, bool)

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What is found about it, whether it is shown or not; that which refuses first."""
        return self._findings if self._findings is not None else self._engine.findings(self)

    @property
    def marker(self) -> Marker:
        """The finding that a person sees at the control; falsy when there is none."""
        found = self._preview if self._preview is not None else self._findings
        if not found or not self._has("visible"):
            return NO_MARKER
        for finding in found:
            if self._marked or finding.while_typing:
                return Marker(finding.text, finding.level)
        return NO_MARKER


class LiveRange(LiveEntry[R, G]):
    """A value that has an order, on an open form, with bounds."""

    __slots__ = ()

    @property
    def minimum(self) -> G | None:
        """The least value allowed."""
        least: G | None = self._read("minimum")
        return least

    @property
    def maximum(self) -> G | None:
        """The greatest value allowed."""
        most: G | None = self._read("maximum")
        return most
