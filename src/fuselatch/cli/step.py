"""Step through cue sheets in a terminal."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

import click
from rich.text import Text

from fuselatch.cli.exits import Exit
from fuselatch.cli.out import Out, say
from fuselatch.cli.sheets import Wish

if TYPE_CHECKING:
    from fuselatch.rehearsal import CueRun, CueSheet
    from fuselatch.rehearsal.stepping import Command, Stop

KEYS: Final[dict[str, Command]] = {
    "\r": "event",
    "\n": "event",
    " ": "event",
    "g": "gesture",
    "e": "end",
    "b": "back",
    "q": "stop",
}
"""The effect of each key."""
HELP: Final = "Enter: next event   g: next gesture   b: back one gesture   e: run to the end   q: quit"


def step_through(paths: Sequence[Path], wish: Wish, pauses: Sequence[str]) -> Exit:
    """Step through cue sheets one run after the other; return the exit code."""
    from fuselatch.cli.printing import show_count
    from fuselatch.core.model.names import suggest
    from fuselatch.rehearsal.stepping import Stepping

    out = Out()
    done: list[CueRun] = []
    seen: set[str] = set()
    ended = False

    def stepping(sheet: CueSheet, **options: object) -> Iterable[CueRun | None]:
        nonlocal ended
        for run in sheet.runs:
            if ended:
                return
            out.print(Text(f"{run.title}  ({run.opens.verb} {run.opens.words[0].text})", style="bold"))
            steps = Stepping(run, lambda stop: ask(out, stop, wish.records), pauses, **options)
            cue_run = steps.run()
            seen.update(steps.seen)
            ended = cue_run is None
            yield cue_run

    for path in paths:
        sheet = None if ended else wish.read(path)
        if sheet is not None:
            done.extend(wish.run_cues(sheet, stepping))
    failed = show_count(out, done) if done else 0
    if ended:
        say("stopped before the end", err=True)
        failed += 1
    if wish.mutes and done:
        out.print(f"muted: {', '.join(wish.mutes)}{f' ({wish.reason})' if wish.reason else ''}")
    for pause in pauses:
        if pause not in seen and not ended:
            failed += 1
            say(
                f"fuselatch: --pause-at {pause}: this event was not raised; {suggest(pause, sorted(seen))}",
                err=True,
            )
    return Exit.UNREADABLE if wish.unreadable else Exit.FAILED if failed or wish.unapproved else Exit.OK


def ask(out: Any, stop: Stop, records: str | None) -> Command:
    """Show the form before an event and read a key.

    Going back runs the sheet again from the start, so it is refused if `records` was written to.
    """
    from fuselatch.cli.printing import show_tree
    from fuselatch.report.screen import screen

    what = f"{stop.cue.line}  {stop.cue.source}" if stop.cue is not None else "(opening)"
    out.print()
    where = ("  before ", (stop.event, "bold cyan")) if stop.event else ("  done",)
    out.print(Text.assemble((f"{what:<40}", "bold"), *where))
    show_tree(out, stop.entries, ())
    if stop.queued:
        out.print(Text(f"{'queued':>9}  {', '.join(stop.queued)}", style="magenta"))
    for line in screen(stop.view):
        out.print(Text(line, style="dim" if line.endswith("in the background)") else ""))
    out.print(Text(HELP, style="dim"))
    while True:
        try:
            key = click.getchar() if sys.stdin.isatty() else sys.stdin.read(1)
        except (KeyboardInterrupt, EOFError, OSError):
            return "stop"
        if not key:
            return "stop"
        if key in KEYS and not (records is not None and KEYS[key] == "back"):
            return KEYS[key]
        why = f"can't go back: {records} has already been written" if key == "b" else "not a command"
        out.print(Text(f"{why} ({key!r}). {HELP}", style="dim"))
