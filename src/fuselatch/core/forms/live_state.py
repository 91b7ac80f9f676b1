"""The state of an open form and of its controls, as the engine has it.

Forms, controls and the engine's port know each other: this module, `container` and `port` are one kernel of data that
refers to itself (docs/design.md).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Final, Literal, TypeAlias

from fuselatch.core.forms.manner import USUAL
from fuselatch.core.forms.plans import ControlPlan, FormPlan, Handler
from fuselatch.core.model.cells import UNSEEN, Cell, Node
from fuselatch.core.model.events import Event
from fuselatch.core.model.findings import Finding, Override
from fuselatch.core.model.natively import mypyc_attr
from fuselatch.core.model.outcome import Outcome
from fuselatch.core.model.properties import ENTERED, UNSEEN_VALUES
from fuselatch.core.model.values import Value

if TYPE_CHECKING:
    from fuselatch.core.forms.container import OpenForm
    from fuselatch.core.forms.port import EnginePort

Phase: TypeAlias = Literal["opening", "open", "closing", "closed"]
AnyControl: TypeAlias = Any
"""A live control of whatever kind, with what its kind has. Where every kind will do, `ControlState` says so."""

PHASES: Final[dict[Phase, tuple[Phase, ...]]] = {
    "opening": ("open", "closed"),
    "open": ("closing",),
    "closing": ("open", "closed"),
    "closed": (),
}
"""The phases that may follow each phase.

A blocked closing goes back to open. An opening that fails closes the form.
"""


class FormState(Node):
    """The engine's data about one open form.

    `controls`: live controls by path; `nodes`: those of groups; `containers`: live groups. `order`: the tab order. `lines`:
    controls that are lines. `manner`: how it was opened. `record`: counts records. `listeners`: of its custom events.
    """

    __slots__ = (
        "containers", "controls", "engine", "focus", "form", "hidden", "invalid", "judged", "kept_hidden", "lines",
        "listeners", "manner", "nodes", "opener", "order", "outcome", "overrides", "phase", "plan", "rearranged", "record",
        "records", "select", "serial", "shown", "title", "touched", "was_shown",
    )  # fmt: skip

    def __init__(
        self, form: OpenForm, plan: FormPlan, engine: EnginePort, opener: OpenForm | None, serial: int, name: str
    ) -> None:
        super().__init__(name)
        self.form = form
        self.plan = plan
        self.engine = engine
        self.opener = opener
        self.serial = serial
        self.phase: Phase = "opening"
        self.title: str | None = None
        self.hidden = False
        # Hidden from outside, where it is shown again; no handler can be expected to.
        self.kept_hidden = False
        self.was_shown = False
        self.manner = USUAL
        self.listeners: dict[object, tuple[str, Any, Handler]] = {}
        self.focus: Any = None
        self.select = False
        self.outcome: Outcome | None = None
        self.record = 1
        self.records: Any = None
        self.overrides: tuple[Override, ...] = ()
        self.controls: dict[str, ControlState] = {}
        self.nodes: dict[str, ControlState] = {}
        self.containers: dict[str, Any] = {"": form}
        self.order: list[Any] = []
        self.lines: list[Any] = []
        # For the view: the controls that changed since the last one; `rearranged`: some appeared, went or moved.
        self.touched: dict[ControlState, None] = {}
        self.rearranged = False
        self.shown: Any = None
        # True once a rule has asked if one of the entries is valid, or anything if the form is.
        self.judged = False
        # The entries that a finding would refuse as they are typed now; None until it is asked if the form is valid.
        self.invalid: set[ControlState] | None = None

    def _current(self, prop: str) -> Value:
        if prop == "is_valid":
            return self.engine.is_form_valid(self.form)
        if self._cells is not None and prop in self._cells:
            return self.engine.fresh(self._cells[prop])
        return self.title if self.title is not None else self.plan.title

    def rules(self) -> list[Cell]:
        """Return the form's rules and checks."""
        cells: list[Cell] = list((self._cells or {}).values())
        for control in (*self.nodes.values(), *self.controls.values()):
            cells += (control._cells or {}).values()
            cells += control._checks
        return cells

    def after(self, phase: Phase) -> Phase:
        """Return another phase that can follow this one. Raises `ValueError`."""
        if phase not in PHASES[self.phase]:
            raise ValueError(f"{self.name} is {self.phase} and can't become {phase}")
        return phase

    def _restored(self, name: str) -> None:
        if name == "hidden":
            self.engine.find_front()
        elif name == "phase":
            self.engine.mark_stale(self)
        elif name == "title":
            self.engine.mark(self, "title")


@mypyc_attr(allow_interpreted_subclasses=True)
class ControlState(Node):
    """A control, group or button of an open form, as the engine has it.

    `_set`: properties set by handlers. `_cells`: properties with rules (`_rule`: the value has one).
    `_draft`: unsettled text.
    `_traced`: the findings that the trace last told. `_trouble`: why it couldn't be parsed.
    `_pending`: the queued `changed`. `_initial`: the value before the first change.
    """

    __slots__ = (
        "_at", "_brought", "_checks", "_decl", "_draft", "_engine", "_findings", "_initial", "_kept", "_listing", "_marked",
        "_outer", "_owner", "_pending", "_plan", "_preview", "_rule", "_set", "_state", "_traced", "_trouble", "_value",
        "form",
    )  # fmt: skip

    def __init__(self, form: OpenForm, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(plan.path)
        self.form = form
        self._state: FormState = form._state
        self._owner = owner
        self._outer: ControlState | None = None if owner is form else owner.__dict__["_live"]
        self._plan = plan
        self._decl: Any = plan.decl
        self._engine = engine
        self._set: dict[str, Value] | None = None
        self._rule = False
        self._value: Value = plan.blank
        self._draft: str | None = None
        self._pending: Event | None = None
        self._initial: Any = UNSEEN
        self._checks: tuple[Cell, ...] = ()
        self._trouble: Finding | None = None
        self._findings: tuple[Finding, ...] | None = None
        self._preview: tuple[Finding, ...] | None = None
        self._marked = False
        self._traced: tuple[Finding, ...] = ()
        # Its list is open; the item there that the user has moved to.
        self._listing = False
        self._at: Value = UNSEEN
        # A value that came with the record stays and is shown, even if it isn't offered.
        self._brought: Value = None
        # The value that stays until its form is submitted, whatever happens to its list in the meantime.
        self._kept: Value = UNSEEN

    def _restored(self, name: str) -> None:
        if name in ("_value", "_trouble"):
            self._engine.mark(self, name[1:])
        elif name == "_findings" and self._watchers:
            self._engine.mark(self, "findings")
        elif name == "_set":
            self._set = self._set or None  # not undone: this is the undo
            for prop in tuple(self._watchers or ()):
                self._engine.mark(self, prop)

    def _current(self, prop: Any) -> Value:
        return property_of(self, prop)

    def _read(self, prop: str) -> Value:
        """Return a property, and track it if a rule is running."""
        value = current(self, prop)
        tracker = self._engine.tracker
        if tracker is not None:
            tracker[(self, prop)] = value
        return value

    def _has(self, prop: str) -> bool:
        """Return True if a control and its groups are enabled (or visible)."""
        own = bool(self._read(prop))
        return own if self._outer is None else own and self._outer._has(prop)

    @property
    def _is_usable(self) -> bool:
        return is_usable(self)


# Functions, because compiled code looks up a method that plain Python may override by name at each call.


def property_of(control: ControlState, prop: object) -> Value:
    """Return a property: derived, set by a handler, or declared."""
    if prop == "value" and not control._rule:
        return control._value
    if control._cells is not None and prop in control._cells:
        return control._engine.fresh(control._cells[prop])
    if control._set is not None and prop in control._set:
        return control._set[prop]
    value = control._decl.constants.get(prop)
    return control._trouble is not None if value is None and prop == "trouble" else value


def value_of(control: ControlState) -> Value:
    """Return the value, and track it if a rule is running."""
    if control._draft is not None:
        control._engine.note_stale(control)
    # By far the most: a handler reads what was entered.
    if control._rule or control._plan.lists or control._engine.tracker is not None:
        return control._read("value")
    return control._value


def set_value(control: ControlState, value: object) -> None:
    """Set the value by program."""
    control._engine.assign(control, value)


def current(control: ControlState, prop: object) -> Value:
    """Return a property. A choice's value leaves out items that are no longer offered."""
    return control._current(prop) if control._plan.lists else property_of(control, prop)


def is_usable(control: ControlState) -> bool:
    """Return True if a control and its groups are enabled and visible."""
    if control._outer is None and control._set is None and control._cells is None and control._engine.tracker is None:
        return control._plan.usable
    return control._has("enabled") and control._has("visible")


def is_masked(control: ControlState) -> bool:
    """Return True if people must not see a control's value: it is a password, or derived from one."""
    if control._plan.masked or not control._rule or not control._engine.has_masks:
        return control._plan.masked
    looked_at: set[Node] = {control}
    waiting: list[Node] = [control]
    while waiting:
        node = waiting.pop()
        if not isinstance(node, ControlState):
            continue
        if node._plan.masked:
            return True
        if node._rule and node._cells is not None and node._decl.constants.get("masked") is not False:
            read = {source for source, prop in node._cells["value"].inputs if prop in ENTERED} - looked_at
            looked_at |= read
            waiting.extend(read)
    return False


def seen(control: ControlState, prop: str) -> Value:
    """Return a property as it was last announced, without running a rule."""
    cells = control._cells
    if cells is not None and prop in cells:
        value = cells[prop].announced
        return UNSEEN_VALUES.get(prop, "") if value is UNSEEN else value
    if control._set is not None and prop in control._set:
        return control._set[prop]
    return control._decl.constants.get(prop)


def is_read_only(control: ControlState) -> bool:
    """Return True if the user can't enter anything in a control that is usable."""
    if control._decl.constants.get("read_only") is False and control._set is None:
        return False
    return bool(current(control, "read_only"))


def seems_usable(control: ControlState) -> bool:
    """Return True if a control and its groups were last announced as enabled and visible."""
    return is_seen(control, "enabled") and is_seen(control, "visible")


def seen_title(state: FormState) -> str:
    """Return a form's title as it was last announced, without running its rule."""
    cells = state._cells
    if cells is not None and "title" in cells and cells["title"].announced is not UNSEEN:
        return str(cells["title"].announced)
    if state.title is not None:
        return state.title
    return state.plan.title if isinstance(state.plan.title, str) else state.plan.name


def is_seen(control: ControlState | None, prop: str) -> bool:
    """Return True if a control and its groups are enabled (or visible)."""
    while control is not None:
        if not seen(control, prop):
            return False
        control = control._outer
    return True


def is_left_out(control: ControlState) -> bool:
    """Return True if a rule or a handler hides or disables a control, or a group around it: it has no value then.

    What the developer has declared as hidden or disabled keeps its value, until a handler changes that.
    """
    around: ControlState | None = control
    while around is not None:
        decided = around._set or {}
        for prop in ("enabled", "visible"):
            if (prop in around._decl.rules or prop in decided) and not around._current(prop):
                return True
        around = around._outer
    return False


def id_of(control: ControlState) -> str:
    """Return the lasting id of a control, group or line."""
    return f"{control._state.serial}.{control._plan.path}"
