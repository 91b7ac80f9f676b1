"""What the engine keeps of each live control; what people touch of it stands in the classes derived from this."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from mypy_extensions import mypyc_attr

from fuselatch.core.forms.plans import ControlPlan
from fuselatch.core.forms.port import EnginePort
from fuselatch.core.forms.state import FormState
from fuselatch.core.model.cells import UNSEEN, Cell, Node
from fuselatch.core.model.events import Event
from fuselatch.core.model.findings import Finding

if TYPE_CHECKING:
    from fuselatch.core.forms.form import Form


@mypyc_attr(allow_interpreted_subclasses=True)
class Held(Node):
    """A control, group or button of an open form, as the engine has it.

    `_set` has the properties that handlers have set, `_cells` those that follow rules (`_rule`: the value, too);
    `_draft` is the text that is not settled, `_trouble` why it could not be, `_pending` the `changed` that waits,
    `_initial` what was held before the first change. A button and a group hold nothing.
    """

    __slots__ = (
        "_checks", "_decl", "_draft", "_engine", "_findings", "_initial", "_listing", "_marked", "_outer",
        "_owner", "_pending", "_plan", "_preview", "_rule", "_set", "_state", "_trouble", "_value", "form",
    )  # fmt: skip

    def __init__(self, form: Form, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(plan.path)
        self.form = form
        self._state: FormState = form._state
        self._owner = owner
        self._outer: Held | None = None if owner is form else owner.__dict__["_live"]
        self._plan = plan
        self._decl: Any = plan.decl
        self._engine = engine
        self._set: dict[str, Any] | None = None
        self._rule = False
        self._value: Any = plan.blank
        self._draft: str | None = None
        self._pending: Event | None = None
        self._initial: Any = UNSEEN
        self._checks: tuple[Cell, ...] = ()
        self._trouble: Finding | None = None
        self._findings: tuple[Finding, ...] | None = None
        self._preview: tuple[Finding, ...] | None = None
        self._marked = False
        self._listing = False

    def _current(self, prop: Any) -> Any:
        """A property as it stands now."""
        return as_kept(self, prop)

    def _read(self, prop: str) -> Any:
        """A property, noted where a rule is reading it."""
        found = current(self, prop)
        tracker = self._engine.tracker
        if tracker is not None:
            tracker[(self, prop)] = found
        return found

    def _has(self, prop: str) -> bool:
        """Whether it is enabled, or visible; what is in a group that is not is not either."""
        own = bool(self._read(prop))
        return own if self._outer is None else own and self._outer._has(prop)

    @property
    def _in_use(self) -> bool:
        """Whether a person can use it: enabled and visible."""
        return in_use(self)


# A method that a class of plain Python may override is looked up by name at each call: the engine calls these.


def as_kept(control: Held, prop: Any) -> Any:
    """A property as it stands now: derived, or set by a handler, or as declared."""
    if prop == "value" and not control._rule:
        return control._value
    if control._cells is not None and prop in control._cells:
        return control._engine.fresh(control._cells[prop])
    if control._set is not None and prop in control._set:
        return control._set[prop]
    return control._decl.constants.get(prop)


def current(control: Held, prop: Any) -> Any:
    """The same, asking a class that has more to say of it: what a choice holds may not be offered any more."""
    return control._current(prop) if control._plan.lists else as_kept(control, prop)


def in_use(control: Held) -> bool:
    """Whether a person can use a control: it, and the groups that it is in, are enabled and visible."""
    if control._outer is None and control._set is None and control._cells is None and control._engine.tracker is None:
        return control._plan.in_use
    return control._has("enabled") and control._has("visible")
