"""Wait for the user: prompts, modal dialogs and pauses.

A wait parks its turn. Waits end last in, first out. The gesture that ends a wait is finished before the waiting handler
resumes.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

from fuselatch.core.engine import latching
from fuselatch.core.engine.rules import same
from fuselatch.core.engine.workers import park
from fuselatch.core.forms.controls import LiveValue
from fuselatch.core.forms.prompts import Prompt, Shown
from fuselatch.core.forms.state import Manner
from fuselatch.core.model.cells import Undoable
from fuselatch.core.model.errors import NotAllowedHere, RuleError
from fuselatch.core.model.events import Event
from fuselatch.core.model.outcome import CANCELLED, Outcome
from fuselatch.core.model.rows import add_row

if TYPE_CHECKING:
    from fuselatch.core.engine.engine import Engine
    from fuselatch.core.engine.turn import Turn
    from fuselatch.core.forms.form import Form


class Wait(Undoable):
    """Something that a turn waits for. When `over`, `result` has what the handler gets."""

    __slots__ = ("form", "over", "result", "turn")

    def __init__(self, turn: Turn, form: Form | None) -> None:
        self.turn = turn
        self.form = form
        self.result: Any = None
        self.over = False


class PromptWait(Wait):
    """A wait for an answer. `prompt` is what is shown, `declared` the developer's prompt."""

    __slots__ = ("declared", "number", "prompt", "text", "title")

    def __init__(self, turn: Turn, form: Form, prompt: Prompt, declared: Prompt, text: str, number: int) -> None:
        super().__init__(turn, form)
        self.prompt = prompt
        self.declared = declared
        self.text = text
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

    def __init__(self, turn: Turn, form: Form, child: Form) -> None:
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


def ask(engine: Engine, form: Form, prompt: Prompt, facts: Mapping[str, Any]) -> str:
    """Ask a prompt and wait for its answer."""
    turn = may_wait(engine, "ask", prompt.text)
    latch = prompt.latch
    if latch is not None:
        remembered = latching.answer_of(engine, form, latch, prompt.latch_name)
        if remembered is not None:
            turn.note_form("latch", form, prompt.latch_name, remembered, remembered)
            return remembered
    shown = form._state.plan.reworded.get(prompt.name.rpartition(".")[2], prompt) if prompt.name else prompt
    text = filled(form, shown, facts)
    # The user sees the form behind the prompt, so derived values must be up to date.
    if engine.updates.touched:
        engine.updates.announce(turn)
    if engine.hovered is not None:
        engine.release_pointer(turn, None)
    number = note_prompt(turn, form, prompt, shown, text) if turn.rows is not None else 0
    pressed: str = wait_for(engine, turn, PromptWait(turn, form, shown, prompt, text, number))
    # Code that compares answers sees the declared captions, whatever a policy shows.
    answer = prompt.buttons[shown.buttons.index(pressed)]
    if engine.observer is not None:
        engine.observer.answered(form, name_of_prompt(form, prompt), prompt, answer)
    if latch is not None and answer in prompt.remember:
        latching.set_latch(turn, form, latch, prompt.latch_name, answer)
    return answer


def open_dialog(engine: Engine, form: Form, child: type[Form], params: Mapping[str, Any], how: Manner) -> Outcome:
    """Open a modal dialog and wait until it closes."""
    turn = may_wait(engine, "open", child)
    opened = engine.open_nested(turn, child, params, form, how)
    if engine.updates.touched:
        engine.updates.announce(turn)
    if engine.hovered is not None:
        engine.release_pointer(turn, opened)
    # A dialog can stay open for long, and reads the same store.
    if turn.writes is not None:
        engine.commit(turn)
    if not opened.is_open:
        return opened._state.outcome or Outcome(CANCELLED, {})
    outcome: Outcome = wait_for(engine, turn, DialogWait(turn, form, opened))
    return outcome


def pause(engine: Engine, turn: Turn, event: Event) -> None:
    """Pause before an event."""
    wait_for(engine, turn, PauseWait(turn, event))


def may_wait(engine: Engine, verb: str, target: str | type) -> Turn:
    """Return the running turn; raise if waiting isn't allowed here."""
    turn = engine.turn
    if engine.tracker is None and not engine.closing and turn is not None and turn.handler is not None and not turn.pointing:
        return turn
    what = f"{verb} {target!r}" if isinstance(target, str) else f"{verb} {target.__name__}"
    if engine.tracker is not None:
        raise RuleError(f"a rule, check or default can't wait for the user ({what}); ask in a handler")
    if engine.closing:
        raise NotAllowedHere(f"the session is closing: can't wait for the user ({what})")
    if turn is None or turn.handler is None:
        raise NotAllowedHere(f"only a handler can wait for the user ({what})")
    raise NotAllowedHere(f"a pointer handler can't wait for the user ({what}); use self.say(…)")


def wait_for(engine: Engine, turn: Turn, wait: Wait) -> Any:
    """Park the turn until its wait is over; return the result."""
    engine.waits.append(wait)
    pending = waiting_changes(turn.queue)
    # Gestures during the wait have their own queues. A `changed` that waits here must not absorb theirs.
    # Afterwards it counts again, if the value still differs.
    for event in pending:
        event.control._pending = None
    park()
    for event in pending:
        if event.control._pending is None and not same(event.control._value, event.old):
            event.control._pending = event
    return wait.result


def is_void(event: Event) -> bool:
    """Return True if a queued `changed` no longer applies."""
    return event.name == "changed" and event.control is not None and event.control._pending is not event


def waiting_changes(queue: Iterable[Event]) -> list[Event]:
    """Return the `changed` events of a queue that still apply."""
    return [event for event in queue if event.name == "changed" and event.control is not None and not is_void(event)]


def name_of_prompt(form: Form, prompt: Prompt) -> str:
    """Return the name of a declared prompt, or ""."""
    found = next((name for name, declared in form._state.plan.prompts.items() if declared is prompt), "")
    return found or ("warnings_prompt" if prompt is form.warnings_prompt else "")


def note_prompt(turn: Turn, form: Form, prompt: Prompt, shown: Prompt, text: str) -> int:
    assert turn.rows is not None, "only where there is a trace"
    name = name_of_prompt(form, prompt)
    return add_row(turn.rows, turn.cause, "prompt", form._state.name, name, shown.title or form.title, None, text)


def filled(form: Form, prompt: Prompt, facts: Mapping[str, Any]) -> str:
    """Return a prompt's text, with facts and controls filled in."""
    if prompt.plain is not None:
        return prompt.plain
    known = dict(facts)
    controls = form._state.controls
    for name in prompt.fields:
        control = controls.get(name)
        if name not in known and isinstance(control, LiveValue):
            known[name] = Shown(control.text, control._current("value"))
    return prompt.filled(known, [*facts, *(path for path in controls if "." not in path)])
