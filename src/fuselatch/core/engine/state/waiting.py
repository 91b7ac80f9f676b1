"""The waits of a turn: for an answer, the outcome of a dialog, a slow call, or the end of a pause."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import ControlState
from fuselatch.core.forms.prompts import Cells, Prompt
from fuselatch.core.model.cells import Undoable
from fuselatch.core.model.events import Event
from fuselatch.core.model.slow_calls import SlowCall

if TYPE_CHECKING:
    from fuselatch.core.engine.state.turns import Turn


class Wait(Undoable):
    """Something that a turn waits for. When `over`, `result` has what the handler gets."""

    __slots__ = ("form", "over", "result", "turn")

    def __init__(self, turn: Turn, form: OpenForm | None) -> None:
        self.turn = turn
        self.form = form
        self.result: Any = None
        self.over = False

    def end(self, turn: Turn, result: object) -> None:
        """End the wait in a gesture, with its result."""
        turn.set(self, "over", True)
        self.result = result


class PromptWait(Wait):
    """A wait for an answer. `prompt` is what is shown, `declared` the developer's prompt."""

    __slots__ = ("by_close_button", "declared", "number", "prompt", "serial", "table", "text", "title")

    def __init__(
        self, turn: Turn, form: OpenForm, prompt: Prompt, declared: Prompt, text: str, table: Cells, number: int
    ) -> None:
        super().__init__(turn, form)
        turn.session.asked += 1
        self.by_close_button = False
        self.serial = turn.session.asked
        self.prompt = prompt
        self.declared = declared
        self.text = text
        self.table = table
        self.title: str = prompt.title or form._state._current("title")
        self.number = number

    def button(self, caption: str) -> str | None:
        """Return the shown button that a caption means: a shown or a declared one."""
        if caption in self.prompt.buttons:
            return caption
        declared = self.declared.buttons
        return self.prompt.buttons[declared.index(caption)] if caption in declared else None

    def __str__(self) -> str:
        return f"the answer to '{self.title}'"


class DialogWait(Wait):
    """A wait for a dialog's outcome."""

    __slots__ = ("child",)

    def __init__(self, turn: Turn, form: OpenForm | None, child: OpenForm) -> None:
        super().__init__(turn, form)
        self.child = child

    def __str__(self) -> str:
        return f"the outcome of {self.child._state.name}"


class PauseWait(Wait):
    """A pause before an event."""

    __slots__ = ("event",)

    def __init__(self, turn: Turn, event: Event) -> None:
        super().__init__(turn, event.form)
        self.event = event

    def __str__(self) -> str:
        return f"go_on() before {self.event.path}"


class CallWait(Wait):
    """A wait for a slow call. Others end last in, first out; slow calls are kept apart, and end in any order.

    `locked`: the controls that it locks, or None for all of its form. `control`: the one whose handler waits. `is_effect`:
    an outward effect waits, so that no form that closes ends it. `reported`: its progress. `number`: of its trace entry.
    """

    __slots__ = ("call", "control", "is_effect", "locked", "number", "reported")

    def __init__(
        self, turn: Turn, form: OpenForm, call: SlowCall, locked: tuple[ControlState, ...] | None, is_effect: bool
    ) -> None:
        super().__init__(turn, form)
        self.call = call
        self.control: ControlState | None = turn.event.control if turn.event is not None else None
        self.is_effect = is_effect
        self.locked = locked
        self.number = 0
        self.reported: tuple[float, float, str] = (0.0, 0.0, "")

    def locks(self, control: ControlState) -> bool:
        """Return True if a control is locked while this waits."""
        if control.form is not self.form:
            return False
        outer: ControlState | None = control
        while self.locked is not None and outer is not None and outer not in self.locked:
            outer = outer._outer
        return outer is not None

    def __str__(self) -> str:
        return name_of_function(self.call.function)


def name_of_function(function: object) -> str:
    """Return a function's name with its module: "rates.latest"."""
    name = getattr(function, "__qualname__", type(function).__name__)
    module = str(getattr(function, "__module__", "") or "").rpartition(".")[2]
    return f"{module}.{name}" if module else str(name)


def id_of_wait(wait: Wait) -> str:
    """Return the lasting id of a prompt ("p3"), of a dialog (its form's) or of a pause."""
    if isinstance(wait, PromptWait):
        return f"p{wait.serial}"
    return f"{wait.child._state.serial}" if isinstance(wait, DialogWait) else "pause"
