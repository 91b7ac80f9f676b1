"""Live controls: what a handler finds under a control's name on its form.

Attributes with a leading underscore belong to the engine; a handler never needs them.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Final, Generic, TypeVar

from fuselatch.core.forms.sources import EventSource
from fuselatch.core.model.cells import UNSEEN, Cell, Node
from fuselatch.core.model.errors import Blank
from fuselatch.core.model.findings import NO_MARKER, Finding, Marker

if TYPE_CHECKING:
    from fuselatch.core.forms.form import Form
    from fuselatch.core.forms.plans import ControlPlan
    from fuselatch.core.forms.port import EnginePort
    from fuselatch.core.forms.state import FormState
    from fuselatch.core.model.events import Event

R = TypeVar("R")
G = TypeVar("G")
T = TypeVar("T")

MASK: Final = "•"
"""What stands for each character of a password."""


class Live(Node):
    """A control of an open form: its path (`name`), its `form`, and properties that may follow rules."""

    __slots__ = ("_cells", "_decl", "_engine", "_outer", "_owner", "_plan", "_set", "_state", "form")

    # In a class body a control of a declared group stands for its declaration: `home.street.left`.
    pointed: ClassVar[EventSource]
    unpointed: ClassVar[EventSource]
    entered: ClassVar[EventSource]
    typed: ClassVar[EventSource]
    leaving: ClassVar[EventSource]
    left: ClassVar[EventSource]
    changed: ClassVar[EventSource]
    clicked: ClassVar[EventSource]
    double_clicked: ClassVar[EventSource]

    def __init__(self, form: Form, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(plan.path)
        self.form = form
        self._state: FormState = form._state
        self._owner = owner
        self._outer: Live | None = None if owner is form else owner.__dict__["_live"]
        self._plan = plan
        self._decl: Any = plan.decl
        self._engine = engine
        self._set: dict[str, Any] | None = None
        self._cells: dict[str, Cell] | None = None

    def _current(self, prop: str) -> Any:
        """A property as it stands now: derived, or set by a handler, or as declared."""
        if self._cells is not None and prop in self._cells:
            return self._engine.fresh(self._cells[prop])
        if self._set is not None and prop in self._set:
            return self._set[prop]
        return self._decl.constants.get(prop)

    def _read(self, prop: str) -> Any:
        """A property, noted where a rule is reading it."""
        tracker = self._engine.tracker
        if tracker is None:
            if self._set is None and self._cells is None:
                return self._decl.constants.get(prop)
            return self._current(prop)
        found = tracker[(self, prop)] = self._current(prop)
        return found

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
        own = bool(self._read("enabled"))
        return own if self._outer is None else own and self._outer.enabled

    @enabled.setter
    def enabled(self, on: bool) -> None:
        self._engine.set_property(self, "enabled", on, bool)

    @property
    def visible(self) -> bool:
        """Whether it is shown; a control of a hidden group is not."""
        own = bool(self._read("visible"))
        return own if self._outer is None else own and self._outer.visible

    @visible.setter
    def visible(self, on: bool) -> None:
        self._engine.set_property(self, "visible", on, bool)

    @property
    def help(self) -> str:
        """A line about what belongs here; shown while the control is entered or pointed at."""
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
    def _in_use(self) -> bool:
        """Whether a person can use it: enabled and visible."""
        if self._outer is None and self._set is None and self._cells is None and self._engine.tracker is None:
            return self._plan.in_use
        return self.enabled and self.visible

    @property
    def focused(self) -> bool:
        """Whether it has the focus of its form."""
        return self.form._state.focus is self

    def focus(self, *, select: bool = False) -> None:
        """Bring the focus here, as a step after the handler; `select` marks the whole entry.

        What can't take the focus is passed over without a word.
        """
        self._engine.focus(self, select)

    def __repr__(self) -> str:
        return f"<{type(self.form).__name__}.{self.name}>"


class LiveButton(Live):
    """A button of an open form."""

    __slots__ = ()


class LiveValue(Live, Generic[R]):
    """A control of an open form that holds a value."""

    __slots__ = ("_draft", "_pending", "_rule", "_value")

    def __init__(self, form: Form, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(form, owner, plan, engine)
        self._value: Any = plan.blank
        self._draft: str | None = None
        self._rule = False
        self._pending: Event | None = None

    def _current(self, prop: str) -> Any:
        if prop == "value":
            return self._engine.fresh(self._cells["value"]) if self._rule and self._cells is not None else self._value
        return super()._current(prop)

    def _read_value(self) -> Any:
        """The value, noted where a rule is reading it."""
        found = self._current("value")
        tracker = self._engine.tracker
        if tracker is not None:
            tracker[(self, "value")] = found
        return found

    @property
    def value(self) -> R:
        """What the control holds; blank where its draft could not be parsed."""
        if self._draft is not None:
            self._engine.note_stale(self)
        if self._cells is None:
            current: R = self._value
            tracker = self._engine.tracker
            if tracker is not None:
                tracker[(self, "value")] = current
            return current
        found: R = self._read_value()
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
        value = self._read_value()
        return "" if value is None else str(self._decl.show(value, self._engine.formats))


class LiveLabel(LiveValue[str]):
    """A label of an open form."""

    __slots__ = ()


class LiveEntry(LiveValue[R], Generic[R, G]):
    """A control of an open form that takes entries."""

    __slots__ = ("_checks", "_findings", "_initial", "_listing", "_marked", "_preview", "_trouble")

    def __init__(self, form: Form, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        # What the classes above do, without calling them: opening a form makes many of these.
        self.form = form
        self._state = form._state
        self.name = plan.path
        self._owner = owner
        self._outer = None if owner is form else owner.__dict__["_live"]
        self._plan = plan
        self._decl = plan.decl
        self._engine = engine
        self._set = self._cells = self._watchers = None
        self._value = plan.blank
        self._draft = self._pending = None
        self._rule = False
        self._checks: tuple[Cell, ...] = ()
        self._trouble: Finding | None = None
        self._findings: tuple[Finding, ...] | None = None
        self._preview: tuple[Finding, ...] | None = None
        self._initial: Any = UNSEEN
        self._marked = False
        self._listing = False

    @property
    def given(self) -> G:
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
        if not found or not self.visible:
            return NO_MARKER
        for finding in found:
            if self._marked or finding.eager:
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
