"""The parts of a session that rules can read, besides controls."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fuselatch.core.model.cells import Node
from fuselatch.core.model.values import Value

if TYPE_CHECKING:
    from fuselatch.core.engine.state.session_state import SessionState


class SessionNode(Node):
    """A part of the session that rules can read, by `prop`, such as the date or the rows of a source."""

    __slots__ = ("session",)

    def __init__(self, session: SessionState, name: str) -> None:
        super().__init__(name)
        self.session = session

    def read(self, prop: object) -> Value:
        """Return the current value, and track it if a rule is running."""
        value = self._current(prop)
        tracker = self.session.port.tracker
        if tracker is not None:
            tracker[(self, prop)] = value
        return value

    def differs(self, cause: int = 0) -> None:
        """Mark everything that depends on this."""
        if self._watchers:
            for prop in tuple(self._watchers):
                self.session.dirty.invalidate(self, prop, cause)
