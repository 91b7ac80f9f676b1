"""The engine of one session: asks, opens and closes, and connects its parts."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from fuselatch.core.engine import closing, latching, pointing, refusals, waiting
from fuselatch.core.engine import lines as line_steps
from fuselatch.core.engine.opening import open_form
from fuselatch.core.engine.storing import Storing
from fuselatch.core.engine.turn import Turn
from fuselatch.core.engine.waiting import DialogWait, PauseWait, PromptWait, Wait
from fuselatch.core.forms.catalogs import Catalog
from fuselatch.core.forms.form import Form
from fuselatch.core.forms.held import ControlState, current
from fuselatch.core.forms.latches import Latch
from fuselatch.core.forms.live_lists import LiveLines, LiveTable
from fuselatch.core.forms.plans import FormPlan, Handler
from fuselatch.core.forms.prompts import Prompt, Tone
from fuselatch.core.forms.state import Manner
from fuselatch.core.model.cells import Node
from fuselatch.core.model.choices import Choices
from fuselatch.core.model.errors import NotAllowedHere
from fuselatch.core.model.events import By, Event
from fuselatch.core.model.outcome import ACCEPTED, Outcome
from fuselatch.core.model.records import Change

ENGINE_HANDLER = Handler("the form itself", lambda: None, False)


class Engine(Storing):
    """The engine of one session. Live forms and controls use it as `EnginePort`."""

    # ---- asking, opening, closing

    def ask(self, form: Form, prompt: Prompt, facts: Mapping[str, Any]) -> str:
        return waiting.ask(self, form, prompt, facts)

    def ask_itself(self, turn: Turn, form: Form, prompt: Prompt, facts: Mapping[str, Any]) -> str:
        """Ask a prompt that no handler of the developer asks."""
        before, turn.handler = turn.handler, turn.handler or ENGINE_HANDLER
        try:
            return self.ask(form, prompt, facts)
        finally:
            turn.handler = before

    def add_choice(self, turn: Turn, control: Any, entry: str) -> None:
        """Add an item to a choice: a row of its catalog's source, or an item of this form."""
        rule = control._decl.rules.get("choices")
        if isinstance(rule, Catalog):
            given = [current(control._state.controls[path], "value") for path in control._plan.inputs["choices"]]
            row = {rule.text: entry, rule.value: entry, **dict(zip(rule.indexed, given, strict=False))}
            self.stage(turn, Change("add", rule.source, None, row), None)
        elif rule is None:
            self.set_property(control, "choices", [*control.choices, entry], Choices)

    def say(self, form: Form, text: str, tone: Tone) -> None:
        self._may_change(form, f"the message of {type(form).__name__}", False)

        def put(turn: Turn) -> None:
            turn.note_form("change", form, "message", None, text)
            turn.set_item(self, "messages", form, (text, tone))

        self._by_program(("say", form._state.name, "value"), put)

    def sort_table(self, table: LiveTable[Any], sort: tuple[str, bool]) -> None:
        self._may_change(table.form, f"the sort order of {type(table.form).__name__}.{table.name}", False)

        def put(turn: Turn) -> None:
            if table._sort != sort:
                told = [f"{name} descending" if down else name for name, down in (table._sort, sort)]
                cause = turn.note("change", table, "sort", *told)
                turn.set(table, "_sort", sort)
                self.updates.mark(table, "sort", cause)

        self._by_program(("sort", table, "value"), put)

    def add_line(self, lines: LiveLines[Any], values: Mapping[str, Any]) -> Any:
        return self._at_lines(lines, "add a line to", lambda turn: line_steps.start(turn, lines, values))

    def remove_line(self, lines: LiveLines[Any], line: Any) -> bool:
        return bool(self._at_lines(lines, "remove a line of", lambda turn: line_steps.remove(turn, lines, line)))

    def move_line(self, lines: LiveLines[Any], line: Any, to: int) -> None:
        self._at_lines(lines, "move a line of", lambda turn: line_steps.move(turn, lines, line, to))

    def _at_lines(self, lines: LiveLines[Any], verb: str, step: Callable[[Turn], Any]) -> Any:
        """Change lines within a running handler, with a queue of its own."""
        self._may_change(lines.form, f"{type(lines.form).__name__}.{lines.name}", False)
        done: list[Any] = []

        def put(turn: Turn) -> None:
            queue, after = turn.queue, turn.after
            turn.queue, turn.after = deque(), None
            try:
                done.append(step(turn))
            finally:
                turn.come_back(queue, after)

        self._by_program((verb, lines, "value"), put)
        return done[0] if done else None

    def open(self, form: Form, child: type[Form], params: Mapping[str, Any], how: Manner) -> Outcome:
        return waiting.open_dialog(self, form, child, params, how)

    def show(self, form: Form, child: type[Form], params: Mapping[str, Any], how: Manner) -> Form:
        self._may_change(form, f"a form opened by {type(form).__name__}", False)
        shown: list[Form] = []

        def put(turn: Turn) -> None:
            shown.append(self.open_nested(turn, child, params, form, how))

        self._by_program(("show", child.__name__, "value"), put)
        return shown[0]

    def open_nested(self, turn: Turn, form: type[Form], params: Mapping[str, Any], opener: Form, how: Manner) -> Form:
        """Open a form within a running handler, with a queue of its own."""
        queue, after = turn.queue, turn.after
        turn.queue, turn.after = deque(), None
        try:
            return open_form(turn, form, params, opener, how)
        finally:
            turn.come_back(queue, after)

    def send(self, form: Form, name: str, payload: object) -> None:
        self._may_change(form, f"custom event {type(form).__name__}.{name}", False)

        def put(turn: Turn) -> None:
            by: By = "program" if turn.handler is not None else turn.by
            turn.queue.append(Event(name, form, None, None, payload, by, turn.cause, turn.event, turn.handler))

        self._by_program(("send", f"{type(form).__name__}.{name}", "value"), put)

    def listen(self, form: Form, name: str, owner: Any, handler: Handler) -> None:
        self._may_change(form, f"a listener for {type(form).__name__}.{name}", False)
        # A key of its own: the same handler may be attached twice.
        key, listener = object(), (name, owner, handler)
        if self.turn is not None:
            self.turn.set_item(form._state, "listeners", key, listener)
        else:
            form._state.listeners = {**form._state.listeners, key: listener}

    def latch_answer(self, form: Form, latch: Latch) -> str | None:
        found: str | None = self.latch_node.read((form, latch, latch.name))
        return found

    def set_latch(self, form: Form, latch: Latch, answer: str) -> bool:
        self._may_change(form, f"the latch {latch.name}", False)
        took: list[bool] = []
        self._by_program(
            ("set", latch.name, "value"),
            lambda turn: took.append(latching.set_latch(turn, form, latch, latch.name, answer)),
        )
        return took[0]

    def reset_latch(self, form: Form, latch: Latch) -> None:
        self._may_change(form, f"the latch {latch.name}", False)
        self._by_program(("reset", latch.name, "value"), lambda turn: latching.reset_latch(turn, form, latch, latch.name))

    def plan_of(self, form: type[Form]) -> FormPlan:
        """Return a form's plan, with the session's policy applied."""
        if self.policy is None:
            return form._plan
        plan = self._plans.get(form)
        if plan is None:
            plan = self._plans[form] = self.policy.applied(form)
        return plan

    def hide(self, form: Form, hidden: bool) -> None:
        state = form._state
        self._may_change(form, f"the visibility of {type(form).__name__}", False)

        def put(turn: Turn) -> None:
            if state.hidden is not hidden:
                turn.note_form("change", form, "hidden", state.hidden, hidden)
                turn.set(state, "hidden", hidden)
                self.find_front()

        self._by_program(("hide" if hidden else "unhide", state.name, "value"), put)

    def close_form(self, form: Form, verdict: str) -> None:
        if self.tracker is not None or self.closing:
            self._may_change(form, f"closing {type(form).__name__}", False)
        if not verdict.strip():
            raise ValueError("close(''): the verdict can't be empty; use 'accepted', 'cancelled' or your own word")

        def end(turn: Turn) -> None:
            if form._state.phase == "open":
                (closing.submit(turn, form) if verdict == ACCEPTED else closing.leave(turn, form, verdict))

        self._after(("close", form._state.name, "value"), end)

    def afterwards(self, form: Form, function: Callable[..., object], args: tuple[object, ...]) -> None:
        turn = self.turn
        if self.tracker is not None or turn is None:
            raise NotAllowedHere("call afterwards(…) in a handler")
        turn.outward = [*(turn.outward or ()), (function, args)]

    def end_wait(self, turn: Turn, wait: Wait, result: object) -> None:
        """End a wait with its result."""
        turn.set(wait, "over", True)
        wait.result = result

    def hand_over(self, turn: Turn, form: Form) -> None:
        """Pass a closed form's outcome to the handler that waits for it."""
        for wait in self.waits:
            if isinstance(wait, DialogWait) and wait.child is form:
                self.end_wait(turn, wait, form._state.outcome)

    def leave_without_handlers(self, turn: Turn, form: Form, verdict: str) -> None:
        closing.leave_without_handlers(turn, form, verdict)

    def let_out(self, turn: Turn) -> None:
        """Run the outward effects in order. They can't wait or set anything."""
        for function, args in turn.outward or ():
            self.guarded(partial(function, *args), function, "afterwards")

    # ---- forms, and what covers them

    def next_serial(self, form: type[Form]) -> tuple[int, str]:
        """Return a form's number and its name in the trace."""
        count = self._serials[form.__name__] = self._serials.get(form.__name__, 0) + 1
        self._opened += 1
        return self._opened, form.__name__ if count == 1 else f"{form.__name__}#{count}"

    def bring_to_front(self, turn: Turn, form: Form) -> None:
        self._put_forms(turn, (*[other for other in self.forms if other is not form], form))

    def take_away(self, turn: Turn, form: Form) -> None:
        """Remove a closed form from the open forms."""
        self._put_forms(turn, tuple(other for other in self.forms if other is not form))

    def _put_forms(self, turn: Turn, forms: tuple[Form, ...]) -> None:
        turn.set(self, "forms", forms)
        self.find_front()
        self.open_forms.differs(turn.cause)

    def find_front(self) -> None:
        """Find the front form: the last that isn't hidden."""
        self.unsettled = True
        for form in reversed(self.forms):
            if not self.hidden(form):
                self.front = form
                return
        self.front = None

    def hidden(self, form: Form) -> bool:
        """Return True if a form is hidden, by itself or by a form that it opened."""
        if form._state.hidden:
            return True
        for other in self.forms:
            if other._state.manner.hiding and other._state.opener is form:
                return True
        return False

    def covered(self, form: Form) -> bool:
        """Return True if a prompt, pause or modal dialog covers the form."""
        for wait in reversed(self.waits):
            if wait.over:
                continue
            if isinstance(wait, DialogWait):
                return form._state.serial < wait.child._state.serial
            return True
        return False

    @property
    def prompt_wait(self) -> PromptWait | None:
        """The open prompt, or None."""
        top = self.waits[-1] if self.waits else None
        return top if isinstance(top, PromptWait) else None

    @property
    def paused(self) -> Event | None:
        """The event that the session is paused before, or None."""
        top = self.waits[-1] if self.waits else None
        return top.event if isinstance(top, PauseWait) else None

    def pauses_at(self, event: Event, turn: Turn) -> bool:
        """Return True if the session should pause before an event."""
        path = event.control.name if event.control is not None else ""
        if self.before_event is not None:
            self.before_event(event, turn)
        return any((kind, path, event.name) in self.pauses for kind in type(event.form).__mro__)

    def _restored(self, name: str) -> None:
        if name == "forms":
            self.find_front()
            self.open_forms.differs()

    def mark(self, node: Node, prop: str) -> None:
        self.updates.mark(node, prop, 0)
        if isinstance(node, ControlState):
            self.updates.revalidate(node)

    def release_pointer(self, turn: Turn, covering: Form | None) -> None:
        """Move the pointer off a form that gets covered; off any form without `covering`."""
        queue, after = turn.queue, turn.after
        turn.queue, turn.after = deque(), None
        try:
            if covering is None:
                pointing.unpoint(turn)
            else:
                pointing.release(turn, covering)
        finally:
            turn.come_back(queue, after)

    def obstacle_at(self, control: ControlState) -> str | None:
        """Return what prevents the user from using a control, or None."""
        found = refusals.at_control(self, control)
        return None if found is None else found[0]
