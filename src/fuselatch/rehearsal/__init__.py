"""Rehearsing forms without a screen: `rehearse`, scenes, and cue sheets. Names are imported when they are asked for."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from fuselatch.rehearsal.cues import Cue, CueError, CueSheet, read_cue_file, read_cues
    from fuselatch.rehearsal.desk import Desk, PromptSeen, Unfinished, rehearse
    from fuselatch.rehearsal.expectations import Unmet
    from fuselatch.rehearsal.run import Performance, StepResult, perform, perform_all
    from fuselatch.rehearsal.scenes import Scene

WHERE = {
    "cues": ("Cue", "CueError", "CueSheet", "read_cue_file", "read_cues"),
    "desk": ("Desk", "PromptSeen", "Unfinished", "rehearse"),
    "expectations": ("Unmet",),
    "run": ("Performance", "StepResult", "perform", "perform_all"),
    "scenes": ("Scene",),
}
"""Which module of this package has which names."""


def __getattr__(name: str) -> Any:
    module = next((module for module, names in WHERE.items() if name in names), None)
    if module is None:
        raise AttributeError(f"module {__name__} has no {name!r}")
    return getattr(import_module(f"{__name__}.{module}"), name)


__all__ = [
    "Cue",
    "CueError",
    "CueSheet",
    "Desk",
    "Performance",
    "PromptSeen",
    "Scene",
    "StepResult",
    "Unfinished",
    "Unmet",
    "perform",
    "perform_all",
    "read_cue_file",
    "read_cues",
    "rehearse",
]
