"""Sources that rules can read besides controls: shared values, the date, open forms, records."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from fuselatch.core.forms.shared import Shared
from fuselatch.core.model.cells import Node
from fuselatch.core.model.records import applied

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine


class EngineNode(Node):
    """A part of the session that rules can read, by `prop`."""

    __slots__ = ("engine",)

    def __init__(self, engine: Engine, name: str) -> None:
        super().__init__(name)
        self.engine = engine

    def read(self, prop: Any) -> Any:
        """Return the current value, and track it if a rule is running."""
        found = self._current(prop)
        if self.engine.tracker is not None:
            self.engine.tracker[(self, prop)] = found
        return found

    def differs(self, cause: int = 0) -> None:
        """Mark everything that depends on this node."""
        if self._watchers:
            for prop in tuple(self._watchers):
                self.engine.updates.mark(self, prop, cause)


class SharedNode(EngineNode):
    """A session's value of one `Shared`."""

    __slots__ = ("value",)

    def __init__(self, engine: Engine, shared: Shared[Any]) -> None:
        super().__init__(engine, f"shared {shared.name}")
        self.value = shared.start

    def _restored(self, name: str) -> None:
        self.differs()

    def _current(self, prop: Any) -> Any:
        return self.value


class DayNode(EngineNode):
    __slots__ = ()

    def _current(self, prop: Any) -> Any:
        return self.engine.read_clock().date()


class FormsNode(EngineNode):
    """The open forms, by class."""

    __slots__ = ()

    def _current(self, prop: Any) -> Any:
        return next((form for form in reversed(self.engine.forms) if isinstance(form, prop)), None)


class RecordsNode(EngineNode):
    """The rows of each source, with what the running turn has staged."""

    __slots__ = ()

    def _current(self, prop: Any) -> Any:
        engine = self.engine
        rows = engine.store_rows(prop)
        writes = engine.turn.writes if engine.turn is not None else None
        staged = [change for change, _ in writes or () if change.source == prop]
        return applied(rows, staged, engine.store_key(prop)) if staged else rows
