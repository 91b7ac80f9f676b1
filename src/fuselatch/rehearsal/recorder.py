"""Record a desk's gestures as a cue sheet."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import wraps
from typing import Concatenate, Final, ParamSpec, Protocol, TypeVar

from fuselatch.core.forms.attaching import OwnedEvent
from fuselatch.core.forms.declarations import Declaration
from fuselatch.core.forms.form import name_of
from fuselatch.core.model.errors import EffectFailed, FuseLatchError, HandlerFailed, Refused
from fuselatch.core.model.gestures import Gesture
from fuselatch.core.model.values import MASK
from fuselatch.core.model.visible import visible
from fuselatch.rehearsal.desk_view import DeskView
from fuselatch.rehearsal.folding import Done, Fed, folded
from fuselatch.rehearsal.masking import masked_words
from fuselatch.rehearsal.picking import words_for_item
from fuselatch.report.cue_words import written
from fuselatch.scenes import Scene

P = ParamSpec("P")
R = TypeVar("R")
OPTIONAL: Final = frozenset({"press", "double", "key"})
"""Steps whose last word is optional."""
UNWRITTEN: Final = frozenset({"mute", "pause_at", "go_on"})
"""Steps that cue sheets can't do."""


class Recorder:
    """The steps of one desk, and the gestures that were fed to its session directly, in order.

    A step that a step does itself isn't recorded, and neither is a gesture that came too late.
    """

    def __init__(self, view: DeskView) -> None:
        self.view = view
        self.steps: list[Done | Fed] = []
        self.nested = False

    def do(self, verb: str, words: Iterable[object], act: Callable[[], R]) -> R:
        """Do a step and record it, also if it raises."""
        __tracebackhide__ = True
        if self.nested:
            return act()
        step = Done(verb, masked_words(self.view.session, [self.word(word) for word in words], verb))
        self.steps.append(step)
        self.nested = True
        try:
            done = act()
            self.view.run_calls()
            return done
        except Exception as error:
            step.raised = type(error)
            raise
        finally:
            self.nested = False

    def keep(self, gesture: Gesture, front: str, error: FuseLatchError | None) -> None:
        """Record a gesture that was fed directly."""
        # A desk's clock moves by `wait` only, which feeds the time itself.
        if not self.nested and gesture.verb != "time" and not (isinstance(error, Refused) and error.is_stale):
            self.steps.append(
                Fed(gesture, front, type(error) if error is not None else None, words_for_item(self.view.session, gesture))
            )

    def word(self, arg: object) -> str:
        """Return an argument as a word. A control is its path, with the form if not in front."""
        if isinstance(arg, Declaration):
            try:
                form, path = self.view.place(arg)
            except FuseLatchError:
                return arg.name
            return f"{form}.{path}" if form and form != name_of(self.view.form) else path
        if isinstance(arg, OwnedEvent):
            return arg.name
        return "" if arg is None else str(getattr(arg, "__qualname__", arg))

    def cue_lines(self, scene: Scene, origin: str) -> Iterator[str]:
        """Yield the lines of the rehearsal's cue sheet."""
        yield from heading(scene, origin)
        steps = list(folded(self.steps))
        for at, step in enumerate(steps, 1):
            yield cue_line(step, at == len(steps))


def heading(scene: Scene, origin: str) -> Iterator[str]:
    """Yield the first lines of a cue sheet: what it opens, and how."""
    yield origin or visible(f"# opened by code as {scene!r}; cue sheets can't do that, so write a scene function")
    if origin.startswith("form ") and (scene.params or scene.records or scene.services):
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


def cue_line(step: Done, last: bool) -> str:
    """Return a step as a line of a cue sheet. The last step may raise: that is what the sheet shows."""
    verb, words = step.verb, step.words
    words = words[:-1] if verb in OPTIONAL and words and words[-1] in ("", "1") else words
    if verb in UNWRITTEN:
        return visible(f"# {verb} {' '.join(words)} (Python only)")
    if step.raised is None or last:
        hint = "  # masked: put a made-up entry here" if any(word and set(word) == {MASK} for word in words) else ""
        return written(verb, words) + hint
    if issubclass(step.raised, Refused):
        return written("expect", ["refused", verb, *words])
    if issubclass(step.raised, HandlerFailed | EffectFailed):
        return written("expect", ["failed", verb, *words])
    return f"# {written(verb, words)}: raised {step.raised.__name__} (cue sheets can't expect errors)"


class Recorded(Protocol):
    """An object whose steps are recorded."""

    recorder: Recorder


D = TypeVar("D", bound=Recorded)


def cued(method: Callable[Concatenate[D, P], R]) -> Callable[Concatenate[D, P], R]:
    """Make a desk's method record itself as a step."""

    @wraps(method)
    def recorded(desk: D, /, *args: P.args, **named: P.kwargs) -> R:
        __tracebackhide__ = True
        return desk.recorder.do(method.__name__, (*args, *named.values()), lambda: method(desk, *args, **named))

    return recorded


def origin_of(verb: str, found: object) -> str:
    """Return how a cue sheet opens a form or scene; "" if it can't."""
    name = getattr(found, "__qualname__", "")
    return f"{verb:<7} {found.__module__}:{name}" if name.isidentifier() and found.__module__ != "__main__" else ""
