"""Live controls: what a form has under a control's name while it is open.

Attributes that start with an underscore belong to the engine.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Generic, TypeVar

from fuselatch.core.forms.attaching import OwnedEvent
from fuselatch.core.forms.live_state import ControlState, set_value, value_of
from fuselatch.core.model.errors import Blank
from fuselatch.core.model.findings import NO_MARKER, Finding, Marker
from fuselatch.core.model.values import Value, shown_as

R = TypeVar("R")
G = TypeVar("G")
T = TypeVar("T")


class Live(ControlState):
    """A control of an open form: its path (`name`), its `form` and its properties."""

    __slots__ = ()

    # In a class body, a control of a declared group is its declaration: `home.street.left`.
    hovered: ClassVar[OwnedEvent]
    unhovered: ClassVar[OwnedEvent]
    entered: ClassVar[OwnedEvent]
    typed: ClassVar[OwnedEvent]
    leaving: ClassVar[OwnedEvent]
    left: ClassVar[OwnedEvent]
    changed: ClassVar[OwnedEvent]
    clicked: ClassVar[OwnedEvent]
    double_clicked: ClassVar[OwnedEvent]

    @property
    def declared(self) -> Any:
        """The control's declaration."""
        return self._decl

    @property
    def caption(self) -> str:
        """The control's caption."""
        text: str = self._read("caption")
        return text

    @caption.setter
    def caption(self, text: str) -> None:
        self._engine.set_property(self, "caption", text)

    @property
    def enabled(self) -> bool:
        """True if the control and its groups are enabled."""
        return self._has("enabled")

    @enabled.setter
    def enabled(self, on: bool) -> None:
        self._engine.set_property(self, "enabled", on)

    @property
    def visible(self) -> bool:
        """True if the control and its groups are visible."""
        return self._has("visible")

    @visible.setter
    def visible(self, on: bool) -> None:
        self._engine.set_property(self, "visible", on)

    @property
    def help(self) -> str:
        """A line of help, shown while the control has the focus or the pointer."""
        text: str = self._read("help")
        return text

    @help.setter
    def help(self, text: str) -> None:
        self._engine.set_property(self, "help", text)

    @property
    def tone(self) -> str:
        """The tone: plain, question, warning or danger."""
        tone: str = self._read("tone")
        return tone

    @tone.setter
    def tone(self, tone: str) -> None:
        self._engine.set_property(self, "tone", tone)

    @property
    def focused(self) -> bool:
        """True if it has the form's focus."""
        return self.form._state.focus is self

    def focus(self, *, select: bool = False) -> None:
        """Move the focus here after the handler. `select` selects the whole entry.

        If the control can't have the focus, nothing happens.
        """
        self._engine.focus(self, bool(select))

    def __repr__(self) -> str:
        return f"<{type(self.form).__name__}.{self.name}>"


class LiveChecked(Live):
    """A control of an open form that rules and checks look at."""

    __slots__ = ()

    @property
    def findings(self) -> tuple[Finding, ...]:
        """All findings, shown or not; refusing ones first."""
        return self._tracked("findings", self._findings if self._findings is not None else self._engine.findings(self))

    @property
    def is_valid(self) -> bool:
        """True if no finding would refuse it as it is typed now. Warnings don't count. Rules can read it."""
        if self._engine.tracker is not None:
            self._state.judged = True
        return self._tracked("is_valid", self._engine.is_valid(self))

    def _tracked(self, prop: str, found: T) -> T:
        """Return something that a rule may read, and note that it did."""
        tracker = self._engine.tracker
        if tracker is not None:
            tracker[(self, prop)] = found
        return found

    @property
    def marker(self) -> Marker:
        """The finding that the user sees. It is false if there is none."""
        return self._tracked("marker", self._shown_marker())

    def _shown_marker(self) -> Marker:
        findings = self._preview if self._preview is not None else self._findings
        if not findings or not self._has("visible"):
            return NO_MARKER
        for finding in findings:
            if self._marked or finding.while_typing:
                return Marker(finding.text, finding.level)
        return NO_MARKER

    def _current(self, prop: str) -> Value:
        if prop == "findings":
            return self._findings if self._findings is not None else self._engine.findings(self)
        if prop == "marker":
            return self._shown_marker()
        return self._engine.is_valid(self) if prop == "is_valid" else super()._current(prop)


class LiveValue(Live, Generic[R]):
    """A control of an open form that has a value."""

    __slots__ = ()

    if TYPE_CHECKING:

        @property
        def value(self) -> R:
            """The value. Blank if the draft couldn't be parsed."""

        @value.setter
        def value(self, value: R) -> None: ...

    else:
        # Handlers read and set it more than anything else: these two functions are in the compiled core.
        value = property(value_of, set_value, doc="The value. Blank if the draft couldn't be parsed.")

    @property
    def is_blank(self) -> bool:
        """True if it has no value. A tick box is never blank."""
        return self._plan.blank is not False and self.value == self._plan.blank

    @property
    def text(self) -> str:
        """The text in the field: the draft, or the value without its unit."""
        if self._draft is not None:
            return self._draft
        value = self._read("value")
        return "" if value is None else shown_as(self._decl, value, self._engine.formats)


class LiveInput(LiveValue[R], LiveChecked, Generic[R, G]):
    """A control of an open form that can be filled in."""

    __slots__ = ()

    @property
    def required_value(self) -> G:
        """The value. Raises `Blank` if there is none."""
        value: Value = self.value
        if self._plan.blank is not False and value == self._plan.blank:
            raise Blank(type(self.form).__name__, self.name)
        given: G = value
        return given

    @property
    def valid_value(self) -> R:
        """The value, or a blank while a finding refuses it. `value` is what was entered, also if it breaks a rule."""
        refused = any(finding.level == "refuse" for finding in self.findings)
        blank: Value = self._plan.blank
        return blank if refused else self.value

    @property
    def draft(self) -> str | None:
        """The typed text that isn't settled yet, or None."""
        return self._draft

    def revert(self) -> None:
        """Drop the draft, so that the value is shown again."""
        self._engine.revert_draft(self)

    @property
    def required(self) -> bool | str:
        """True if it must be filled in; "warn" if a blank is only a warning."""
        needed: bool | str = self._read("required")
        return needed

    @required.setter
    def required(self, needed: bool) -> None:
        self._engine.set_property(self, "required", needed)

    @property
    def read_only(self) -> bool:
        """True if the user can go there, but not enter anything."""
        return self._rule or bool(self._read("read_only"))

    @read_only.setter
    def read_only(self, read_only: bool) -> None:
        self._engine.set_property(self, "read_only", read_only)


class LiveRange(LiveInput[R, G]):
    """A control with bounds, on an open form."""

    __slots__ = ()

    @property
    def minimum(self) -> G | None:
        """The lowest allowed value, or None."""
        least: G | None = self._read("minimum")
        return least

    @property
    def maximum(self) -> G | None:
        """The highest allowed value, or None."""
        most: G | None = self._read("maximum")
        return most
