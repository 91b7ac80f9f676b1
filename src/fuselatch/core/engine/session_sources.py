"""Sources that rules can read besides controls: shared values, the date, open forms."""

from __future__ import annotations

from typing import Any

from fuselatch.core.engine.state import SessionSource, SessionState
from fuselatch.core.forms.shared import Shared


class SharedSource(SessionSource):
    """A session's value of one `Shared`."""

    __slots__ = ("value",)

    def __init__(self, session: SessionState, shared: Shared[Any]) -> None:
        super().__init__(session, f"shared {shared.name}")
        self.value = shared.start

    def _restored(self, name: str) -> None:
        self.differs()

    def _current(self, prop: Any) -> Any:
        return self.value


def shared_source(session: SessionState, shared: Shared[Any]) -> SharedSource:
    """Return a session's source for a `Shared`."""
    found: SharedSource | None = session.shared.get(shared)
    if found is None:
        found = session.shared[shared] = SharedSource(session, shared)
    return found


class DaySource(SessionSource):
    """The session's date."""

    __slots__ = ()

    def _current(self, prop: Any) -> Any:
        return self.session.read_clock().date()


class FormsSource(SessionSource):
    """The open forms, by class."""

    __slots__ = ()

    def _current(self, prop: Any) -> Any:
        return next((form for form in reversed(self.session.stack.forms) if isinstance(form, prop)), None)
