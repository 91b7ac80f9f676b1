"""Tracked cells: rules, what they read, and what reads them.

A *node* has properties that a rule may read, such as a live control or the session. `_watchers`: the cells that read each
property. `_cells`: the rules of its own properties. A cell is a rule with its last value.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeAlias, TypeVar

from fuselatch.core.model.natively import mypyc_attr
from fuselatch.core.model.values import Value

T = TypeVar("T")


@mypyc_attr(allow_interpreted_subclasses=True)
class Undoable:
    """Something whose attributes a gesture sets by `Turn.set`, so that a failing gesture restores them."""

    __slots__ = ()

    def _restored(self, name: str) -> None:
        """Update what depends on an attribute, after a failed gesture restored it."""


@mypyc_attr(allow_interpreted_subclasses=True)
class Node(Undoable):
    """Something that rules can read, by `prop`."""

    __slots__ = ("_cells", "_watchers", "name")

    def __init__(self, name: str) -> None:
        self.name = name
        self._cells: dict[str, Cell] | None = None
        self._watchers: dict[Any, dict[Cell, None]] | None = None

    def _current(self, prop: Any) -> Value:
        raise NotImplementedError


Inputs: TypeAlias = dict[tuple[Node, Any], Any]
"""An input of a rule: node, property and value."""


class Derived(Generic[T]):
    """A rule with known inputs: `function` is called with their values."""

    __slots__ = ("function", "inputs")

    def __init__(self, function: Callable[..., T], inputs: tuple[Any, ...]) -> None:
        self.function = function
        self.inputs = inputs


UNSEEN: Any = type("Unseen", (), {"__repr__": lambda self: "unseen"})()
"""The value of a cell that hasn't run."""


class Cell(Undoable):
    """One derived property or written check of one control.

    `inputs`: what it read when it last ran, with the values. `cause`: the trace entry that marked it.
    `because`: the event and handler that ran then. `announced`: the value that was last announced.
    `where`: the developer's function. `forced`: run again in any case.
    `fixed`: inputs never change, and it compares them itself. `plain`: fixed, and no other rule runs in it.
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
        self.value: Value = UNSEEN
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
    """Note what a cell reads, so that it is marked when something of that changes."""
    unwatch(cell)
    for node, prop in inputs:
        if node._watchers is None:
            node._watchers = {}
        node._watchers.setdefault(prop, {})[cell] = None
    cell.inputs = inputs


def unwatch(cell: Cell, forget: bool = True) -> None:
    """Don't mark a cell any more. `forget`: also what it has read."""
    for node, prop in cell.inputs:
        if node._watchers is not None and prop in node._watchers:
            node._watchers[prop].pop(cell, None)
    if forget:
        cell.inputs = {}


def reads_only_earlier(order: list[Cell]) -> bool:
    """Return True if each cell comes after the cells that it reads."""
    for place, cell in enumerate(order):
        cell.place = place
    for place, cell in enumerate(order):
        for node, prop in cell.inputs:
            needed = node._cells.get(prop) if node._cells is not None else None
            if needed is not None and place < needed.place < len(order) and order[needed.place] is needed:
                return False
    return True


def by_dependence(order: list[Cell]) -> list[Cell]:
    """Return cells in order of dependence."""
    if reads_only_earlier(order):
        return order
    cells = {(cell.node, cell.prop): cell for cell in order if cell.prop != "check"}
    done: dict[Cell, None] = {}
    for first in order:
        stack = [(first, iter(first.inputs))]
        entered = {first}
        while stack:
            cell, inputs = stack[-1]
            for key in inputs:
                needed = cells.get(key)
                if needed is not None and needed not in done and needed not in entered:
                    entered.add(needed)
                    stack.append((needed, iter(needed.inputs)))
                    break
            else:
                stack.pop()
                done.setdefault(cell)
    return list(done)
