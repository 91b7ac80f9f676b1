"""Record a desk's gestures as a cue sheet."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import wraps
from typing import TYPE_CHECKING, Any, Concatenate, Final, ParamSpec, TypeVar

from fuselatch.core.forms.declarations import Declaration
from fuselatch.core.forms.sources import EventSource
from fuselatch.core.model.errors import FuseLatchError, Refused
from fuselatch.report.cue_words import written

if TYPE_CHECKING:
    from fuselatch.rehearsal.desk import Desk

P = ParamSpec("P")
R = TypeVar("R")
OPTIONAL: Final = frozenset({"press", "double", "key"})
"""Steps whose last word is optional."""
UNWRITTEN: Final = frozenset({"mute", "pause_at", "go_on"})
"""Steps that cue sheets can't do."""


@dataclass(slots=True)
class Done:
    """A step that was done: its verb, words, and the type of error that it raised."""

    verb: str
    words: list[str]
    raised: type[Exception] | None = None


def cued(method: Callable[Concatenate[Desk, P], R]) -> Callable[Concatenate[Desk, P], R]:
    """Make a desk's method record itself as a step."""

    @wraps(method)
    def noted(desk: Desk, /, *args: P.args, **named: P.kwargs) -> R:
        __tracebackhide__ = True
        if desk._nested:
            return method(desk, *args, **named)
        step = Done(method.__name__, [cue_word(desk, arg) for arg in (*args, *named.values())])
        desk._steps.append(step)
        desk._nested = True
        try:
            return method(desk, *args, **named)
        except Exception as error:
            step.raised = type(error)
            raise
        finally:
            desk._nested = False

    return noted


def cue_lines(desk: Desk) -> Iterator[str]:
    """Yield the lines of a rehearsal's cue sheet."""
    scene = desk.scene
    yield desk.origin or f"# opened by code as {scene!r}; cue sheets can't do that, so write a scene function"
    if desk.origin.startswith("form ") and (scene.params or scene.records or scene.services):
        what = [*scene.params, *(["records"] if scene.records else []), *(["services"] if scene.services else [])]
        yield f"# opened with {', '.join(what)}; cue sheets can't do that, so write a scene function"
    for word, value, usual in (
        ("user", scene.user, ""),
        ("locale", scene.locale, "en"),
        ("now", scene.now.isoformat(), ""),
    ):
        if value != usual:
            yield written(word, [value])
    yield ""
    for at, step in enumerate(desk._steps, 1):
        verb, words = step.verb, step.words
        words = words[:-1] if verb in OPTIONAL and words and words[-1] in ("", "1") else words
        if verb in UNWRITTEN:
            yield f"# {verb} {' '.join(words)} (Python only)"
        elif step.raised is None or at == len(desk._steps):
            yield written(verb, words)
        elif issubclass(step.raised, Refused):
            yield written("expect", ["refused", verb, *words])
        else:
            yield f"# {written(verb, words)}: raised {step.raised.__name__} (cue sheets can't expect errors)"


def cue_word(desk: Desk, arg: object) -> str:
    """Return an argument as a word. A control is its path, with the form if not in front."""
    if isinstance(arg, Declaration):
        try:
            form, path = desk.place(arg)
        except FuseLatchError:
            return arg.name
        return f"{form}.{path}" if form and form != desk.form._state.name else path
    if isinstance(arg, EventSource):
        return arg.name
    return "" if arg is None else str(getattr(arg, "__qualname__", arg))


def origin_of(verb: str, found: Any) -> str:
    """Return how a cue sheet opens a form or scene; "" if it can't."""
    name = getattr(found, "__qualname__", "")
    return f"{verb:<7} {found.__module__}:{name}" if name.isidentifier() and found.__module__ != "__main__" else ""
