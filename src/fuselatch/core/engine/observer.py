"""A observer: an object that a session informs about everything it tries."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.cells import Cell
from fuselatch.core.model.findings import Finding
from fuselatch.core.model.trace import Trace


class Observer(Protocol):
    """The calls that a session makes while it runs. A observer changes nothing and never raises."""

    def opened(self, form: OpenForm) -> None:
        """A form opened."""

    def closed(self, form: OpenForm, verdict: str) -> None:
        """A form closed."""

    def computed(self, cell: Cell) -> None:
        """A rule was computed."""

    def validated(self, control: Any, findings: Sequence[Finding]) -> None:
        """A control was validated."""

    def answered(self, form: OpenForm, name: str, prompt: Prompt, answer: str) -> None:
        """A prompt was answered. `name`: its declared name, or ""."""

    def ended(self, trace: Trace) -> None:
        """The session ended."""
