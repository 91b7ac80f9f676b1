"""A flipbook: the form after each step, next to the step's effects."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from fuselatch.core.model.trace import TraceEntry
from fuselatch.core.model.view import ChoicePart, ControlView, TablePart, View
from fuselatch.core.model.visible import visible, visible_lines
from fuselatch.report.sketch import Sketch, sketch
from fuselatch.report.tree import grow, lines

if TYPE_CHECKING:
    from jinja2 import Template

CLASSES: Final[Mapping[str, str]] = {
    "handler": "handler",
    "change": "change",
    "prompt": "prompted",
    "answer": "prompted",
    "block": "prompted",
    "error": "trouble",
    "fuse": "trouble",
    "undo": "trouble",
    "refused": "trouble",
}
"""The style of each kind of entry. The words say the same without colour."""
WORDS: Final[Mapping[str, str]] = {
    "text": "changed",
    "marker": "marker changed",
    "caption": "caption changed",
    "tone": "tone changed",
}
"""The name of each difference of a control."""


@dataclass(frozen=True, slots=True)
class Shot:
    """One step: number (0 is the opening), cue, problem, view, changes and effects.

    An expectation isn't `drawn`, since nothing changes.
    """

    number: int
    cue: str
    problem: str
    view: View
    changes: Mapping[str, Mapping[str, str]]
    tree: tuple[tuple[str, str, str], ...]
    drawn: bool

    @property
    def sketch(self) -> Sketch:
        """The view as boxes and marks."""
        return sketch(self.view)

    @property
    def description(self) -> str:
        """The drawing in words."""
        front = next((form for form in reversed(self.sketch.forms) if not form.is_behind), None)
        if front is None:
            return f"Step {self.number}: no form in front"
        controls = "; ".join(f"{box.caption}: {box.text or 'blank'} ({box.state})" for box in front.boxes())
        return f"Step {self.number}, {front.title}: {controls}"


@dataclass(frozen=True, slots=True)
class Book:
    """The shots of one run."""

    title: str
    shots: tuple[Shot, ...]


def shot(
    number: int,
    cue: str,
    problem: str,
    entries: Sequence[TraceEntry],
    trace: Sequence[TraceEntry],
    view: View,
    before: View | None,
) -> Shot:
    """Return one step. `before`: the view before it."""
    tree = tuple((guide, one.text, CLASSES.get(one.entry.kind, "")) for guide, one in lines(grow(entries, trace)))
    drawn = before is None or view != before or bool(tree) or bool(problem)
    return Shot(number, cue, problem, view, changes(before, view) if before is not None else {}, tree, drawn)


def changes(before: View, after: View) -> dict[str, dict[str, str]]:
    """Return the differences between two views, by form and control."""
    earlier = {form.name: {control.name: control for control in form.controls} for form in before.forms}
    by_control: dict[str, dict[str, str]] = {}
    for form in after.forms:
        known = earlier.get(form.name)
        for control in form.controls if known is not None else ():
            word = difference(known.get(control.name), control) if known is not None else ""
            if word:
                by_control.setdefault(form.name, {})[control.name] = word
    return by_control


def difference(before: ControlView | None, after: ControlView) -> str:
    """Return how one control differs, in a word or two, or ""."""
    if before is None:
        return "appeared"
    if before.enabled != after.enabled:
        return "enabled" if after.enabled else "disabled"
    if offered(before) != offered(after):
        return "choices changed"
    if before.read_only != after.read_only:
        return "read-only" if after.read_only else "no longer read-only"
    if before.required != after.required:
        return "required" if after.required else "no longer required"
    if picked(before) != picked(after):
        return "changed"
    return next((word for name, word in WORDS.items() if getattr(before, name) != getattr(after, name)), "")


def offered(control: ControlView) -> tuple[int, list[str]]:
    """Return what a choice or a table offers: how many items, and the ids of those in reach."""
    part = control.part
    return (part.choice_count, [one.id for one in part.choices]) if isinstance(part, ChoicePart | TablePart) else (0, [])


def picked(control: ControlView) -> tuple[str, ...]:
    """Return what is chosen in a choice or a table."""
    return control.part.picked if isinstance(control.part, ChoicePart | TablePart) else ()


def page(title: str, summary: str, books: Sequence[Book]) -> str:
    """Return the flipbook as one HTML page."""
    return template().render(
        title=title,
        summary=summary,
        books=books,
    )


def in_page(value: object) -> Any:
    """Return what a page shows of a value: no control characters, and a long text cut. Markup stays."""
    return visible(value) if isinstance(value, str) and not hasattr(value, "__html__") else value


def isolated(text: str) -> Any:
    """Return a text that doesn't change the direction of what is around it. Its lines are kept."""
    from markupsafe import Markup, escape

    return Markup("<bdi>{}</bdi>").format(escape("\n".join(visible_lines(text))))


@cache
def template() -> Template:
    from jinja2 import Environment, FileSystemLoader

    folder = Path(__file__).parent / "templates"
    environment: Any = Environment(
        loader=FileSystemLoader(folder), autoescape=True, trim_blocks=True, lstrip_blocks=True, finalize=in_page
    )
    environment.filters["isolated"] = isolated
    loaded: Template = environment.get_template("flipbook.html")
    return loaded
