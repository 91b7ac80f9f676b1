"""The live control of a list of lines, as the engine has it: its lines, and what the store has of them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from fuselatch.core.forms.container import Container, OpenForm
from fuselatch.core.forms.controls import LiveChecked
from fuselatch.core.forms.plans import ControlPlan
from fuselatch.core.forms.port import EnginePort
from fuselatch.core.model.values import Value

if TYPE_CHECKING:
    from typing_extensions import TypeVar as WithDefault

    L = WithDefault("L", bound=Container, default=Any)
else:
    L = TypeVar("L", bound=Container)


class LineList(LiveChecked, Generic[L]):
    """The lines of an open form. `kinds.lines` adds what handlers do with them."""

    __slots__ = ("_attached", "_gone", "_members", "_positions", "_rows", "_serial", "_written")

    def __init__(self, form: OpenForm, owner: Any, plan: ControlPlan, engine: EnginePort) -> None:
        super().__init__(form, owner, plan, engine)
        self._rows: tuple[L, ...] = ()
        self._serial = 0
        # For each line: its live controls, its usable controls, and its row in the store.
        self._members: dict[L, tuple[Any, ...]] = {}
        self._attached: set[L] = set()
        self._written: dict[L, Any] = {}
        self._gone: dict[L, Any] = {}
        # Until which entry of the trace the lines stood so: what the trace calls a line is its position at that time.
        self._positions: list[tuple[int, tuple[L, ...]]] = []

    def _current(self, prop: str) -> Value:
        # A check of the lines gets them as any other gets a value.
        return self._rows if prop in ("rows", "value") else super()._current(prop)

    @property
    def rows(self) -> tuple[L, ...]:
        """The lines in order. Rules can read them."""
        rows: tuple[L, ...] = self._current("rows")
        tracker = self._engine.tracker
        if tracker is not None:
            tracker[(self, "rows")] = rows
        return rows

    def __len__(self) -> int:
        return len(self.rows)

    def __bool__(self) -> bool:
        return True

    def __iter__(self) -> Iterator[L]:
        return iter(self.rows)

    def __getitem__(self, place: int) -> L:
        return self.rows[place]
