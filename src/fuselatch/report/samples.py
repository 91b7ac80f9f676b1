"""Samples: a value that a control accepts, one that it refuses, and steps for events."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, time
from decimal import Decimal
from typing import Any, Final

from fuselatch.core.forms.plans import ControlPlan, FormPlan
from fuselatch.core.model.choices import choices_of

UNKNOWN: Final = "…"
"""The placeholder for a value that can't be guessed."""
LONGEST: Final = 60
KINDS: Final[Mapping[str, str]] = {
    "number": "1",
    "integer": "1",
    "money": "1",
    "percent": "1",
    "date": date(2031, 5, 4).isoformat(),
    "time": time(9, 30).isoformat("minutes"),
    "text": "x",
}
"""Something to type, for each kind of control."""


def sample(control: ControlPlan, first_choice: str = "") -> str:
    """Return text that fits a control's rules, or "…" if it can't be guessed."""
    decl = control.decl
    constants = decl.constants
    if decl.kind in ("choice", "table"):
        given = constants.get("choices")
        texts = choices_of(given).shown(0, 1) if given else []
        return str(texts[0]) if texts else first_choice or UNKNOWN
    if vars(decl).get("pattern") is not None:
        return UNKNOWN
    for word in ("minimum", "maximum"):
        if constants.get(word) is not None:
            return plain(constants[word])
    least = vars(decl).get("min_length")
    return "x" * least if least else KINDS.get(decl.kind, UNKNOWN)


def plain(value: object) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value)


def entering(path: str, control: ControlPlan, text: str) -> tuple[str, ...]:
    """Return the step that enters text in a control."""
    kind = control.decl.kind
    if kind == "tick":
        return ("tick", path)
    return ("pick" if kind in ("choice", "table") else "type", path, text)


def breaking(path: str, control: ControlPlan, rule: str) -> tuple[str, ...]:
    """Return the step that a rule refuses. A written check's step has to be completed."""
    decl = control.decl
    limits: dict[str, Any] = {**vars(decl), **decl.constants}
    limit = limits.get(rule)
    if rule == "required":
        return ("untick" if decl.kind == "tick" else "clear", path)
    if rule in ("minimum", "maximum") and isinstance(limit, int | float | Decimal):
        return ("type", path, plain(limit - 1 if rule == "minimum" else limit + 1))
    if rule == "max_length" and isinstance(limit, int) and limit < LONGEST:
        return ("type", path, "x" * (limit + 1))
    if rule == "min_length" and isinstance(limit, int):
        return ("type", path, "x" * (limit - 1))
    return entering(path, control, UNKNOWN)


EVENTS: Final[Mapping[str, Callable[[str, ControlPlan, str], tuple[str, ...]]]] = {
    "hovered": lambda path, control, text: ("hover", path),
    "unhovered": lambda path, control, text: ("unhover",),
    "entered": lambda path, control, text: ("focus", path),
    "leaving": lambda path, control, text: ("focus", path),
    "left": lambda path, control, text: ("focus", path),
    "typed": lambda path, control, text: ("type", path, text),
    "changed": entering,
    "clicked": lambda path, control, text: ("press", path),
    "double_clicked": lambda path, control, text: ("double", path),
    "line_adding": lambda path, control, text: ("add_line", path),
    "line_added": lambda path, control, text: ("add_line", path),
    "line_removing": lambda path, control, text: ("remove_line", f"{path}[0]"),
    "line_changed": lambda path, control, text: ("add_line", path),
}
"""The step that raises each event."""


def raising(path: str, control: ControlPlan | None, event: str, plan: FormPlan, text: str) -> tuple[str, ...]:
    """Return the step that raises an event of a control or form."""
    if control is not None:
        return EVENTS[event](path, control, text)
    if event in ("accepting", "submitted"):
        return pressing(plan, "accepted")
    steps = {"closing": ("close",), "closed": ("close",), "record_shown": ("record", "next"), "double_clicked": ("double",)}
    return steps.get(event, ("press",))


def pressing(plan: FormPlan, verdict: str) -> tuple[str, ...]:
    """Return the step that closes a form with a verdict."""
    for path, control in plan.controls.items():
        decl: Any = control.decl
        if decl.closes == verdict or (verdict == "accepted" and decl.submits):
            return ("press", path)
    return ("close",)


def verdicts(plan: FormPlan) -> tuple[str, ...]:
    """Return how a form can close: its buttons' verdicts, and cancelled."""
    found = [control.decl.closes for control in plan.controls.values() if control.decl.closes]
    return tuple(dict.fromkeys([*found, "cancelled"]))
