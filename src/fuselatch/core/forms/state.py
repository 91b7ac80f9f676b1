"""The life of a form, as one table; nothing else decides what may follow what."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Final, Literal, TypeAlias

from fuselatch.core.model.findings import Override
from fuselatch.core.model.outcome import Outcome

if TYPE_CHECKING:
    from fuselatch.core.forms.controls import Live
    from fuselatch.core.forms.form import Form
    from fuselatch.core.forms.plans import FormPlan

Phase: TypeAlias = Literal["opening", "open", "closing", "closed"]

PHASES: Final[dict[Phase, tuple[Phase, ...]]] = {
    "opening": ("open", "closed"),
    "open": ("closing",),
    "closing": ("open", "closed"),
    "closed": (),
}
"""From each phase, those that may follow. A held closing goes back to open; an opening that
fails leaves its form closed."""


class FormState:
    """What the engine keeps about one open form."""

    __slots__ = ("controls", "focus", "form", "name", "opener", "order", "outcome", "overrides", "phase", "plan", "serial")

    def __init__(self, form: Form, plan: FormPlan, opener: Form | None, serial: int, name: str) -> None:
        self.form = form
        self.plan = plan
        self.opener = opener
        self.serial = serial
        self.name = name
        self.phase: Phase = "opening"
        self.focus: Any = None
        self.outcome: Outcome | None = None
        self.overrides: tuple[Override, ...] = ()
        self.controls: dict[str, Live] = {}
        self.order: list[Any] = []

    def move(self, phase: Phase) -> Phase:
        """Go on to another phase; gives the one before. A move that the table lacks is a `ValueError`."""
        before = self.phase
        if phase not in PHASES[before]:
            raise ValueError(f"{self.name} is {before}: it can't become {phase}")
        self.phase = phase
        return before
