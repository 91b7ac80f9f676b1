"""Ask a prompt and wait for its answer."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fuselatch.core.engine.rules import latching
from fuselatch.core.engine.rules.validation import follow_before_wait
from fuselatch.core.engine.state.failure import tell
from fuselatch.core.engine.state.session_state import SessionState
from fuselatch.core.engine.state.turns import ENGINE_HANDLER, Turn
from fuselatch.core.engine.state.waiting import PromptWait
from fuselatch.core.engine.turn.pointing import give_way
from fuselatch.core.engine.turn.waits import may_wait, wait_for
from fuselatch.core.forms.container import OpenForm
from fuselatch.core.forms.live_state import is_masked
from fuselatch.core.forms.prompts import Answer, Cells, Prompt, Shown, in_words
from fuselatch.core.model.texts import said
from fuselatch.core.model.trace_rows import add_row
from fuselatch.core.model.values import MASK


def ask(session: SessionState, form: OpenForm, prompt: Prompt, facts: Mapping[str, object], table: Cells = ()) -> Answer:
    """Ask a prompt and wait for its answer. `table`: shown below its text."""
    turn = may_wait(session, "ask", prompt.text)
    latch = prompt.latch
    if latch is not None:
        remembered = latching.answer_of(session, form, latch, prompt.latch_name)
        if remembered is not None:
            turn.note_form("latch", form, prompt.latch_name, remembered, remembered)
            return Answer(remembered)
    shown = form._state.plan.reworded.get(prompt.name.rpartition(".")[2], prompt) if prompt.name else prompt
    shown = shown.in_language(session.formats)
    facts = {name: said(session.formats, fact) for name, fact in facts.items()}
    text = filled(form, shown, facts)
    follow_before_wait(turn)
    give_way(turn, None)
    number = note_prompt(turn, form, prompt, shown, in_words(text, table)) if turn.rows is not None else 0
    if session.observers:
        tell(session, "asked", form, name_of_prompt(form, prompt), prompt)
    wait = PromptWait(turn, form, shown, prompt, text, table, number)
    pressed: str = wait_for(turn, wait)
    # Code that compares answers sees the declared captions, whatever a policy shows.
    answer = Answer(prompt.buttons[shown.buttons.index(pressed)], wait.by_close_button)
    if session.observers:
        tell(session, "answered", form, name_of_prompt(form, prompt), prompt, answer)
    if latch is not None and answer in prompt.remember:
        latching.set_latch(turn, form, latch, prompt.latch_name, answer, by_answer=True)
    return answer


def ask_itself(turn: Turn, form: OpenForm, prompt: Prompt, facts: Mapping[str, object], table: Cells = ()) -> str:
    """Ask a prompt that no handler of the developer asks."""
    before, turn.handler = turn.handler, turn.handler or ENGINE_HANDLER
    try:
        return ask(turn.session, form, prompt, facts, table)
    finally:
        turn.handler = before


def name_of_prompt(form: OpenForm, prompt: Prompt) -> str:
    """Return the name of a declared prompt, or ""."""
    declared_as = next((name for name, declared in form._state.plan.prompts.items() if declared is prompt), "")
    return declared_as or ("warnings_prompt" if prompt is form.warnings_prompt else "")


def note_prompt(turn: Turn, form: OpenForm, prompt: Prompt, shown: Prompt, text: str) -> int:
    """Add a prompt to the trace; return its number."""
    assert turn.rows is not None, "only where there is a trace"
    name = name_of_prompt(form, prompt)
    return add_row(turn.rows, turn.cause, "prompt", form._state.name, name, shown.title or form.title, None, text)


def filled(form: OpenForm, prompt: Prompt, facts: Mapping[str, object]) -> str:
    """Return a prompt's text, with facts and controls filled in."""
    if prompt.plain is not None:
        return prompt.plain
    known = dict(facts)
    controls: Mapping[str, Any] = form._state.controls
    for name in prompt.fields:
        control = controls.get(name)
        if name not in known and control is not None and control._plan.holds_value:
            text = control.text
            known[name] = MASK * len(text) if is_masked(control) else Shown(text, control._current("value"))
    return prompt.filled(known, [*facts, *(path for path in controls if "." not in path)])
