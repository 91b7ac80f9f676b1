"""The view: a plain, immutable picture of what a person would now see; faces draw it and know nothing else."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

from fuselatch.core.forms.controls import LiveChoice, LiveEntry, LiveValue

if TYPE_CHECKING:
    from fuselatch.core.engine.session import Session
    from fuselatch.core.forms.form import Form

VERSION = 1
"""The version of the view's shape."""
IN_REACH = 50
"""How many choices a view carries at most, around the one that is held."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ControlView:
    """A control as a person sees it. `choices` are those in reach, `choice_count` is how many there are."""

    name: str
    kind: str
    caption: str
    text: str
    unit: str
    help: str
    enabled: bool
    required: bool
    read_only: bool
    focused: bool
    marker: str
    marker_level: str
    choices: tuple[str, ...] = ()
    choice_count: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class FormView:
    """An open form: its visible controls in tab order. `covered` means that a person can't use it now."""

    name: str
    title: str
    covered: bool
    controls: tuple[ControlView, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class PromptView:
    """The prompt on top."""

    title: str
    text: str
    buttons: tuple[str, ...]
    default: str
    cancel: str
    tone: str


@dataclass(frozen=True, slots=True, kw_only=True)
class View:
    """What a person would now see: forms from back to front, the prompt on top, the message line.

    `waits_for` lists what handlers are waiting for, the innermost last.
    """

    version: int
    forms: tuple[FormView, ...]
    prompt: PromptView | None
    notice: str
    waits_for: tuple[str, ...]

    def to_dict(self) -> dict[str, Any]:
        """The view as plain dicts, lists and text, for JSON."""
        return asdict(self)


def view_of(session: Session) -> View:
    """Build the view; runs no code of the author."""
    wait = session.prompt_wait
    prompt = None
    if wait is not None:
        asked = wait.prompt
        prompt = PromptView(
            title=wait.title,
            text=wait.text,
            buttons=asked.buttons,
            default=asked.default,
            cancel=asked.cancel,
            tone=asked.tone,
        )
    forms = tuple(form_view(session, form, prompt is not None) for form in session.forms)
    waits_for = tuple(str(waiting) for waiting in session.waits)
    return View(version=VERSION, forms=forms, prompt=prompt, notice=session.notice, waits_for=waits_for)


def form_view(session: Session, form: Form, covered: bool) -> FormView:
    """One form as a person sees it."""
    return FormView(
        name=form._state.name,
        title=form.title,
        covered=covered or session.front is not form,
        controls=tuple(control_view(control) for control in form._state.order if control.visible),
    )


def control_view(control: Any) -> ControlView:
    """One control as a person sees it."""
    entry = isinstance(control, LiveEntry)
    marker = control.marker if entry else None
    choices, count = in_reach(control) if isinstance(control, LiveChoice) else ((), 0)
    return ControlView(
        name=control.name,
        kind=control._decl.kind,
        caption=control.caption,
        text=control.text if isinstance(control, LiveValue) else "",
        unit=getattr(control._decl, "unit", ""),
        help=control.help,
        enabled=control.enabled,
        required=entry and bool(control.required),
        read_only=entry and "value" in control._decl.rules,
        focused=control.focused,
        marker=marker.text if marker else "",
        marker_level=marker.level if marker else "",
        choices=choices,
        choice_count=count,
    )


def in_reach(control: LiveChoice[Any]) -> tuple[tuple[str, ...], int]:
    """The choices around the one that is held, and how many there are in all."""
    choices = control.choices
    count = len(choices)
    start = 0
    if count > IN_REACH:
        held = control._current("value")
        at = next((at for at, item in enumerate(choices) if item == held), 0) if held is not None else 0
        start = max(0, min(at - IN_REACH // 2, count - IN_REACH))
    return tuple(str(item) for item in choices[start : start + IN_REACH]), count
