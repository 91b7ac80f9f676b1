"""Rehearse forms without a screen."""

from typing import TYPE_CHECKING

from fuselatch.lazily import lazily

if TYPE_CHECKING:
    from fuselatch.rehearsal.cues import Cue as Cue
    from fuselatch.rehearsal.cues import CueError as CueError
    from fuselatch.rehearsal.cues import CueSheet as CueSheet
    from fuselatch.rehearsal.cues import read_cue_file as read_cue_file
    from fuselatch.rehearsal.cues import read_cues as read_cues
    from fuselatch.rehearsal.desk import Desk as Desk
    from fuselatch.rehearsal.desk import Unfinished as Unfinished
    from fuselatch.rehearsal.desk import rehearse as rehearse
    from fuselatch.rehearsal.desk_view import DeskPrompt as DeskPrompt
    from fuselatch.rehearsal.expectations import Unmet as Unmet
    from fuselatch.rehearsal.run import CueRun as CueRun
    from fuselatch.rehearsal.run import StepResult as StepResult
    from fuselatch.rehearsal.run import run_all_cues as run_all_cues
    from fuselatch.rehearsal.run import run_cues as run_cues

WHERE = {
    "fuselatch.rehearsal.cues": ("Cue", "CueError", "CueSheet", "read_cue_file", "read_cues"),
    "fuselatch.rehearsal.desk": ("Desk", "Unfinished", "rehearse"),
    "fuselatch.rehearsal.desk_view": ("DeskPrompt",),
    "fuselatch.rehearsal.expectations": ("Unmet",),
    "fuselatch.rehearsal.run": ("CueRun", "StepResult", "run_all_cues", "run_cues"),
}
"""The module of each public name."""

if not TYPE_CHECKING:
    __getattr__, __dir__ = lazily(__name__, WHERE)
