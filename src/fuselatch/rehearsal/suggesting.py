"""Try the steps that a report suggests, where cue sheets get to, before it is printed. Nothing is written to stores."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from itertools import islice
from typing import Final

from fuselatch.core.forms.policy_rules import PolicyRules
from fuselatch.core.model.errors import FuseLatchError
from fuselatch.rehearsal.cues import CueError, CueSheet
from fuselatch.rehearsal.desk import Desk
from fuselatch.rehearsal.run import carry_out, desk_for
from fuselatch.report.behaviour import Behaviour, Tried
from fuselatch.report.samples import UNKNOWN

PLACES: Final = 6
"""At how many places of a cue sheet steps are tried, its opening among them."""
MOST: Final = 1_500
"""How many steps are tried in all."""


def prove_steps(behaviour: Behaviour, sheets: Iterable[CueSheet], policy: PolicyRules | None = None) -> None:
    """Find out which suggested steps try what they are for, by doing them where these cue sheets get to."""
    behaviour.proved = set()
    waiting = [tried for form in behaviour.forms for tried in behaviour.untried(form)]
    waiting = [tried for tried in waiting if UNKNOWN not in behaviour.step(tried)]
    left = MOST
    for sheet, stop in places(sheets):
        for tried in list(waiting):
            left -= 1
            if left < 0:
                return
            if tries(behaviour.step(tried), tried, sheet, stop, policy):
                behaviour.proved.add(tried)
                waiting.remove(tried)


def places(sheets: Iterable[CueSheet]) -> Iterator[tuple[CueSheet, int]]:
    """Yield places in cue sheets: after how many steps. Each opening is there once."""
    seen: set[tuple[str, str]] = set()
    runs = [run for sheet in sheets for run in islice(sheet.runs, 1)]
    for run in runs:
        opens = run.opens.verb, run.opens.words[0].text
        if opens not in seen:
            seen.add(opens)
            yield run, 0
    for run in runs:
        count = len(run.steps)
        yield from ((run, stop) for stop in sorted({count * at // PLACES for at in range(1, PLACES)} - {0}))


def tries(step: Sequence[str], tried: Tried, sheet: CueSheet, stop: int, policy: PolicyRules | None) -> bool:
    """Return True if a step after some of a cue sheet tries something."""
    watching = Behaviour()
    try:
        desk: Desk = desk_for(sheet, policy)
        desk.is_apart = True
        desk.observers = (watching,)
        desk.__enter__()
    except (FuseLatchError, CueError, TypeError, ValueError, SystemExit):
        return False
    try:
        for cue in sheet.steps[:stop]:
            if cue.verb != "expect":
                carry_out(desk, cue)
        before = watching.counts.get(tried, 0)
        with suppress(FuseLatchError, ValueError, SystemExit):
            desk.step(step[0], *step[1:])
            if step[0] in ("type", "clear", "pick", "tick", "untick"):
                # What is typed is judged when it is left.
                desk.tab()
        return watching.counts.get(tried, 0) > before
    finally:
        with suppress(FuseLatchError, SystemExit):
            desk.end()
