"""Carry out the outward effects of a gesture that is settled and written.

What was written stays, and a form that has closed stays closed, whatever an effect does. So nothing is undone here: a user
is asked to try again or to leave it, and a program gets `EffectFailed` at once.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from types import ModuleType
from typing import Final

from fuselatch.core.engine.state.failure import guarded, place_text, tell
from fuselatch.core.engine.state.turns import Effect, Turn
from fuselatch.core.engine.turn.prompting import ask_itself
from fuselatch.core.engine.turn.undoing import put_back
from fuselatch.core.forms.container import Container
from fuselatch.core.forms.prompts import Prompt
from fuselatch.core.model.errors import Abandoned, EffectFailed, HandlerFailed, describe
from fuselatch.core.model.texts import later
from fuselatch.core.model.trace import safe_text
from fuselatch.core.model.trace_rows import add_row
from fuselatch.core.model.view import FailureView

AGAIN, LEAVE_IT = later("refused.again"), later("effect.leave")
FAILED: Final = Prompt(later("effect"), title=later("effect.title"), buttons=(AGAIN, LEAVE_IT), tone="danger")


DO_IT = later("rest.do")
REST: Final = Prompt(later("rest"), title=later("effect.title"), buttons=(DO_IT, LEAVE_IT), tone="danger")


def let_out(turn: Turn) -> None:
    """Carry out the effects in order. They can't set anything, and wait only for slow calls."""
    waiting = [*(turn.outward or ())]
    done: list[str] = []
    turn.outward = None
    # From here on nothing is undone, not even if the session is closed while the user is asked.
    settle_for_good(turn)
    turn.session.last_change = None
    while waiting:
        effect = waiting[0]
        try:
            guarded(turn.session, partial(let_out_one, turn, effect), effect.function, "afterwards")
        except HandlerFailed as failure:
            turn.failure = turn.failed_at = None
            named = tuple(done), effect.caption, tuple(each.caption for each in waiting[1:])
            error = EffectFailed(failure.where, failure.error, *named, turn.description)
            shown = note(turn, effect, error)
            if not is_tried_again(turn, error):
                turn.error, turn.session.failure, turn.session.notice = error, shown, shown.text
                return
        else:
            done.append(waiting.pop(0).caption)
        finally:
            turn.effect = None


def let_out_one(turn: Turn, effect: Effect) -> None:
    """Carry out an effect. It may wait for slow calls, and a rule that it reads may not."""
    turn.effect = turn.session.port.tracker
    effect.function(*effect.args)


def settle_for_good(turn: Turn) -> None:
    """Keep what a turn has set, whatever comes. A turn that waits doesn't undo it either."""
    if turn.session.waits or turn.session.calls:
        settled = {(id(target), name) for target, name, _ in turn.undo}
        for wait in turn.session.parked:
            wait.turn.keep(settled)
    # The list itself may be kept, so that the user can take it back.
    turn.undo = []


def note(turn: Turn, effect: Effect, error: EffectFailed) -> FailureView:
    """Put a failed effect into the trace, and tell observers; return what the view shows of it."""
    session, (file, line) = turn.session, error.where
    described = safe_text(describe(error.error))
    if turn.rows is not None:
        cause, form, control = effect.place
        add_row(turn.rows, cause, "error", form, control, place_text(error.where), None, described)
    if session.observers:
        try:
            tell(session, "failed", error)
        except HandlerFailed:
            # An observer that fails here must not hide the failure.
            turn.failure = turn.failed_at = None
    text = session.text("notice.effect", effect=effect.caption)
    return FailureView(text, effect.caption, file, line, described, ())


def is_tried_again(turn: Turn, error: EffectFailed) -> bool:
    """Tell a user what was saved and what failed; return True if it is to be tried again."""
    session = turn.session
    form = session.stack.front or session.stack.first
    if turn.by != "user" or turn.pointing or form is None:
        return False
    facts = {
        "saved": turn.saved_text or session.text("effect.done"),
        "effect": error.effect,
        "reason": str(error.error) or type(error.error).__name__,
    }
    try:
        return ask_itself(turn, form, FAILED, facts) == AGAIN
    except Abandoned:
        return False
    except HandlerFailed as failure:
        # The pointer has left a control, whose handler failed. Only what that one has set is undone.
        turn.failure = turn.failed_at = None
        put_back(turn, f"{failure.chain[0]} failed")
        return False


def offer_rest(turn: Turn, reason: str) -> None:
    """Offer the effects that belong to what a gesture has written, though the rest of it failed."""
    session, owed = turn.session, turn.owed
    form = session.stack.front or session.stack.first
    turn.owed = ()
    if not owed or turn.by != "user" or turn.pointing or form is None or session.closing:
        return
    notice, failure = session.notice, session.failure
    captions = ", ".join([each.caption for each in owed])
    # What failed is told already, so that the question may be asked.
    turn.failure = turn.failed_at = None
    try:
        answer = ask_itself(turn, form, REST, {"saved": turn.saved_text, "reason": reason, "effects": captions})
    except (Abandoned, HandlerFailed):
        return
    if answer == DO_IT:
        turn.outward = [*owed]
        let_out(turn)
        if turn.error is not None:
            # One of them has failed, and the user left it at that: the view says which.
            turn.error = None
            return
    session.notice, session.failure = notice, failure


def words_of(function: Callable[..., object]) -> str:
    """Return a function's name as words, with the class of a service: "Letters: send"."""
    words = str(getattr(function, "__name__", type(function).__name__)).strip("<>_").replace("_", " ")
    holder = getattr(function, "__self__", None)
    if holder is None or isinstance(holder, Container | ModuleType):
        return words.capitalize()
    return f"{type(holder).__name__}: {words}"
