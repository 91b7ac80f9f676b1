"""Rehearsing forms without a screen: `rehearse`, scenes, and cue sheets."""

from fuselatch.rehearsal.cues import Cue, CueError, CueSheet, read_cue_file, read_cues
from fuselatch.rehearsal.desk import Desk, PromptSeen, Unfinished, rehearse
from fuselatch.rehearsal.expectations import Unmet
from fuselatch.rehearsal.run import Performance, StepResult, perform, perform_all
from fuselatch.rehearsal.scenes import Scene

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
