"""Samples: a value that a control accepts, one that it refuses, and steps for events."""

from __future__ import annotations

from typing import Any, Final

from fuselatch.core.forms.plans import ControlPlan, FormPlan
from fuselatch.core.model.events import EVENTS

UNKNOWN: Final = "…"
"""The placeholder for a value that can't be guessed."""


def sample(control: ControlPlan, first_choice: str = "") -> str:
    """Return text that fits a control's rules, or "…" if it can't be guessed."""
    text: str = control.decl.sample(first_choice) if control.is_input else ""
    return text or UNKNOWN


def entering(path: str, control: ControlPlan, text: str) -> tuple[str, ...]:
    """Return the step that enters text in a control."""
    verb = control.decl.enters if control.is_input else "type"
    return (verb, path) if verb == "tick" else (verb, path, text)


def breaking(path: str, control: ControlPlan, rule: str) -> tuple[str, ...]:
    """Return the step that a rule refuses. A written check's step has to be completed."""
    step = control.decl.wrong(rule) if control.is_input else None
    if step is None:
        return entering(path, control, UNKNOWN)
    verb, text = step
    return (verb, path, text) if text else (verb, path)


def raising(path: str, control: ControlPlan | None, event: str, plan: FormPlan, text: str) -> tuple[str, ...]:
    """Return the step that raises an event of a control or form."""
    by = "form" if control is None else "control"
    words = next(each.step for each in EVENTS if (each.name, each.by) == (event, by)).split()
    if words == ["SUBMIT"]:
        return pressing(plan, "accepted")
    if words[:1] == ["ENTER"] and control is not None:
        return entering(path, control, text)
    given = {"PATH": path, "PATH[0]": f"{path}[0]", "TEXT": text}
    return tuple(given.get(word, word) for word in words) or ("press",)


def pressing(plan: FormPlan, verdict: str) -> tuple[str, ...]:
    """Return the step that closes a form with a verdict."""
    for path, control in plan.controls.items():
        decl: Any = control.decl
        if decl.closes == verdict or (verdict == "accepted" and decl.submits):
            return ("press", path)
    return ("close",)


def verdicts(plan: FormPlan) -> tuple[str, ...]:
    """Return how a form can close: its buttons' verdicts, and cancelled."""
    closing = [control.decl.closes for control in plan.controls.values() if control.decl.closes]
    return tuple(dict.fromkeys([*closing, "cancelled"]))
