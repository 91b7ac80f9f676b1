"""Tracked cells: derived properties, what they read, and who reads them.

A *node* is whatever has properties that a rule may read (a live control, a session); it keeps in
`_watchers` which cells read which of its properties, in `_cells` those that its own follow. A cell
is a rule with the value it gave last.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeAlias, TypeVar

from mypy_extensions import mypyc_attr

T = TypeVar("T")


@mypyc_attr(allow_interpreted_subclasses=True)
class Node:
    """What a rule may read from; what is read is named by `prop`, most by a word."""

    __slots__ = ("_cells", "_watchers", "name")

    def __init__(self, name: str) -> None:
        self.name = name
        self._cells: dict[str, Cell] | None = None
        self._watchers: dict[Any, dict[Cell, None]] | None = None

    def _current(self, prop: Any) -> Any:
        """The property as it stands now."""
        raise NotImplementedError


Inputs: TypeAlias = dict[tuple[Node, Any], Any]
"""What a rule has read: of which node which property, with its value."""


class Derived(Generic[T]):
    """A rule whose inputs are known: `function` called with the values of `inputs`."""

    __slots__ = ("function", "inputs")

    def __init__(self, function: Callable[..., T], inputs: tuple[Any, ...]) -> None:
        self.function = function
        self.inputs = inputs


UNSEEN: Any = type("Unseen", (), {"__repr__": lambda self: "unseen"})()
"""The value of a cell that has never run."""


class Cell:
    """One derived property, or one written check, of one live control.

    `node` and `prop` say what it gives, `run` computes it; `inputs` holds what it read when it last
    ran, with the values seen then. `cause` is the trace entry that made it stale, `because` the event
    and the handler that were running then, `announced` the value that was announced last, `place` its place
    among those that are announced together, `where` the author's function. A `forced` cell runs again whatever
    its inputs are; a `fixed` one looks for itself whether they differ, and always has the same. A `plain` one
    is fixed, and takes only what controls hold: no other rule runs within it.
    """

    __slots__ = (
        "announced", "because", "cause", "fixed", "forced", "form_name", "fresh", "inputs", "name", "node", "order", "place",
        "plain", "prop", "run", "running", "value", "where",
    )  # fmt: skip

    def __init__(
        self, node: Node, prop: str, run: Callable[[], Any], order: tuple[int, int, int], where: Any, form_name: str
    ) -> None:
        self.node = node
        self.prop = prop
        self.run = run
        self.order = order
        self.where = where
        self.form_name = form_name
        self.name: str = f"{node.name}.{prop}"
        self.value: Any = UNSEEN
        self.announced: Any = UNSEEN
        self.place = 0
        self.fixed = False
        self.plain = False
        self.fresh = False
        self.forced = False
        self.running = False
        self.inputs: Inputs = {}
        self.cause = 0
        self.because: Any = None


def watch(cell: Cell, inputs: Inputs) -> None:
    """Note what a cell has read, and have it told when any of that differs."""
    if inputs.keys() != cell.inputs.keys():
        unwatch(cell)
        for node, prop in inputs:
            if node._watchers is None:
                node._watchers = {}
            node._watchers.setdefault(prop, {})[cell] = None
    cell.inputs = inputs


def unwatch(cell: Cell) -> None:
    """Forget what a cell has read."""
    for node, prop in cell.inputs:
        if node._watchers is not None and prop in node._watchers:
            node._watchers[prop].pop(cell, None)
    cell.inputs = {}
