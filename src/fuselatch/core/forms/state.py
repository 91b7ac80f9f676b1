"""The phases of a form's life, as one table."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Final, Literal, NamedTuple, TypeAlias

from fuselatch.core.model.cells import Node
from fuselatch.core.model.findings import Override
from fuselatch.core.model.outcome import Outcome

if TYPE_CHECKING:
    from fuselatch.core.forms.controls import Live
    from fuselatch.core.forms.form import Form
    from fuselatch.core.forms.plans import FormPlan, Handler
    from fuselatch.core.forms.port import EnginePort

Phase: TypeAlias = Literal["opening", "open", "closing", "closed"]

PHASES: Final[dict[Phase, tuple[Phase, ...]]] = {
    "opening": ("open", "closed"),
    "open": ("closing",),
    "closing": ("open", "closed"),
    "closed": (),
}
"""The phases that may follow each phase.

A blocked closing goes back to open. An opening that fails closes the form.
"""


Place: TypeAlias = Literal["over", "beside"]
"""The position of a form: over its opener, or beside it without overlapping."""


class Manner(NamedTuple):
    """How a form is opened.

    `hiding`: hide its opener. `place`: where. `modal`: the opener waits. `at`: the first record. `only`: values of its rows.
    """

    hiding: bool = False
    place: Place = "over"
    modal: bool = False
    at: Any = None
    only: Mapping[str, Any] | None = None


USUAL: Final = Manner()
"""The default way to open a form."""


class FormState(Node):
    """The engine's data about one open form.

    `controls`: live controls by path; `nodes`: those of groups; `containers`: live groups. `order`: the tab order. `lines`:
    controls that are lines. `manner`: how it was opened. `record`: counts records. `listeners`: of its custom events.
    """

    __slots__ = (
        "containers", "controls", "engine", "focus", "form", "hidden", "lines", "listeners",
        "manner", "nodes", "opener", "order", "outcome", "overrides", "phase", "plan", "record", "records",
        "select", "serial", "title", "was_shown",
    )  # fmt: skip

    def __init__(self, form: Form, plan: FormPlan, engine: EnginePort, opener: Form | None, serial: int, name: str) -> None:
        super().__init__(name)
        self.form = form
        self.plan = plan
        self.engine = engine
        self.opener = opener
        self.serial = serial
        self.phase: Phase = "opening"
        self.title: str | None = None
        self.hidden = False
        self.was_shown = False
        self.manner = USUAL
        self.listeners: dict[object, tuple[str, Any, Handler]] = {}
        self.focus: Any = None
        self.select = False
        self.outcome: Outcome | None = None
        self.record = 1
        self.records: Any = None
        self.overrides: tuple[Override, ...] = ()
        self.controls: dict[str, Live] = {}
        self.nodes: dict[str, Live] = {}
        self.containers: dict[str, Any] = {"": form}
        self.order: list[Any] = []
        self.lines: list[Any] = []

    def _current(self, prop: str) -> Any:
        if self._cells is not None and prop in self._cells:
            return self.engine.fresh(self._cells[prop])
        return self.title if self.title is not None else self.plan.title

    def after(self, phase: Phase) -> Phase:
        """Return another phase that can follow this one. Raises `ValueError`."""
        if phase not in PHASES[self.phase]:
            raise ValueError(f"{self.name} is {self.phase} and can't become {phase}")
        return phase

    def _restored(self, name: str) -> None:
        if name == "hidden":
            self.engine.find_front()
        elif name == "title":
            self.engine.mark(self, "title")
