"""Runs as plain dicts and lists, for JSON. docs/rehearsing.md explains the keys."""

from __future__ import annotations

from collections.abc import Sequence

from fuselatch.core.model.json_text import Plain
from fuselatch.rehearsal.run import CueRun, StepResult


def run_dict(done: Sequence[CueRun], unreadable: Sequence[str] = ()) -> Plain:
    return {
        "version": 1,
        "passed": sum(one.passed for one in done),
        "failed": sum(one.failed for one in done),
        "unreadable": list(unreadable),
        "sheets": [cue_run_dict(one) for one in done],
    }


def cue_run_dict(done: CueRun) -> Plain:
    outcome = done.outcome
    return {
        "file": done.sheet.name,
        "row": done.sheet.row,
        "passed": done.passed,
        "failed": done.failed,
        "problems": done.problems,
        "left_open": list(done.left_open),
        "outcome": None if outcome is None else {"verdict": outcome.verdict, "values": dict(outcome.shown)},
        "steps": [step_dict(step) for step in done.steps],
    }


def step_dict(step: StepResult) -> Plain:
    cue = step.cue
    return {
        "file": cue.file,
        "line": cue.line,
        "column": cue.column,
        "cue": cue.source,
        "problem": step.problem,
        "trace": [entry._asdict() for entry in step.entries],
    }
