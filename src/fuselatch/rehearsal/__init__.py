"""Rehearsing forms without a screen: `rehearse`, scenes, and cue sheets."""

from fuselatch.rehearsal.cues import Cue, CueError, CueSheet, read_cues
from fuselatch.rehearsal.desk import Desk, PromptSeen, Unfinished, rehearse
from fuselatch.rehearsal.run import Performance, StepResult, perform
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
    "perform",
    "read_cues",
    "rehearse",
]
