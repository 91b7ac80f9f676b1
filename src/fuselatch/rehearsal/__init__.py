"""Rehearse forms without a screen. Names are imported on first use."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from fuselatch.rehearsal.cues import Cue, CueError, CueSheet, read_cue_file, read_cues
    from fuselatch.rehearsal.desk import Desk, Unfinished, rehearse
    from fuselatch.rehearsal.desk_view import DeskPrompt
    from fuselatch.rehearsal.expectations import Unmet
    from fuselatch.rehearsal.run import CueRun, StepResult, run_all_cues, run_cues
    from fuselatch.rehearsal.scenes import Scene

WHERE = {
    "cues": ("Cue", "CueError", "CueSheet", "read_cue_file", "read_cues"),
    "desk": ("Desk", "Unfinished", "rehearse"),
    "desk_view": ("DeskPrompt",),
    "expectations": ("Unmet",),
    "run": ("CueRun", "StepResult", "run_cues", "run_all_cues"),
    "scenes": ("Scene",),
}
"""The module of each name."""


def __getattr__(name: str) -> Any:
    module = next((module for module, names in WHERE.items() if name in names), None)
    if module is None:
        raise AttributeError(f"module {__name__} has no {name!r}")
    return getattr(import_module(f"{__name__}.{module}"), name)


__all__ = [
    "Cue",
    "CueError",
    "CueRun",
    "CueSheet",
    "Desk",
    "DeskPrompt",
    "Scene",
    "StepResult",
    "Unfinished",
    "Unmet",
    "read_cue_file",
    "read_cues",
    "rehearse",
    "run_all_cues",
    "run_cues",
]
