"""A witness: somebody who is told what a session tries, to say afterwards what was never tried."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Protocol

if TYPE_CHECKING:
    from fuselatch.core.forms.form import Form
    from fuselatch.core.forms.prompts import Prompt
    from fuselatch.core.model.cells import Cell
    from fuselatch.core.model.findings import Finding
    from fuselatch.core.model.trace import Trace


class Witness(Protocol):
    """What a session tells whoever watches it. A witness changes nothing, and raises nothing."""

    def opened(self, form: Form) -> None:
        """A form has been opened."""

    def closed(self, form: Form, verdict: str) -> None:
        """A form has closed."""

    def computed(self, cell: Cell) -> None:
        """A rule has given a value."""

    def judged(self, control: Any, findings: Sequence[Finding]) -> None:
        """A control has been judged."""

    def answered(self, form: Form, name: str, prompt: Prompt, answer: str) -> None:
        """A prompt has been answered, with the declared caption; `name` is what it is declared by, "" for others."""

    def ended(self, trace: Trace) -> None:
        """The session is over."""
