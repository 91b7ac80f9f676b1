"""Turn runs into a flipbook's shots."""

from __future__ import annotations

from collections.abc import Sequence

from fuselatch.rehearsal.run import CueRun
from fuselatch.report.flipbook import Book, Shot, page, shot


def book_of(done: CueRun) -> Book:
    shots: list[Shot] = []
    sheet = done.sheet
    if done.view is not None:
        opening = f"{sheet.opens.verb} {sheet.opens.words[0].text}"
        shots.append(shot(0, opening, "", done.opening, done.trace, done.view, None))
        before = done.view
        for number, step in enumerate(done.steps, 1):
            if step.view is not None:
                cue = " ".join(step.cue.source.split())
                shots.append(shot(number, cue, step.problem, step.entries, done.trace, step.view, before))
                before = step.view
    return Book(sheet.title, tuple(shots))


def flipbook(title: str, done: Sequence[CueRun]) -> str:
    passed, failed = sum(one.passed for one in done), sum(one.failed for one in done)
    problems = " ".join(one.problem for one in done if one.problem)
    return page(title, f"{passed} steps passed, {failed} failed. {problems}".strip(), [book_of(one) for one in done])
