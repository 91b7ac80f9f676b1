"""Print runs of cue sheets: each step with its effects as a tree."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Final

from rich.text import Text

from fuselatch.cli.out import Out
from fuselatch.core.model.trace import TraceEntry
from fuselatch.rehearsal.run import CueRun, StepResult
from fuselatch.report.tree import grow, lines

STYLES: Final[Mapping[str, str]] = {
    "handler": "bold",
    "change": "green",
    "finding": "yellow",
    "prompt": "bold yellow",
    "answer": "yellow",
    "open": "cyan",
    "close": "cyan",
    "block": "magenta",
    "skip": "magenta",
    "refused": "red",
    "error": "bold red",
    "fuse": "bold red",
    "undo": "red",
}
"""The style of each kind of entry. The words say the same without colour."""


INDENT = " " * 11


def show(out: Out, run: CueRun) -> None:
    show_opening(out, run)
    for step in run.steps:
        show_step(out, step, run.trace)
    if run.left_open:
        out.print(Text(f"{INDENT}still open at the end: {', '.join(run.left_open)}", style="dim"))
    out.print()


def show_briefly(out: Out, run: CueRun) -> None:
    """Print a run as one line: its sheet, and the steps that passed."""
    steps = f"{run.passed} step{'s' if run.passed != 1 else ''} passed"
    good = not run.failed
    mark = Text("  ok  " if good else " FAIL ", style="green" if good else "bold red")
    out.print(Text.assemble(mark, (f"{run.sheet.name}: ", "bold"), steps))


def show_opening(out: Out, run: CueRun) -> None:
    sheet = run.sheet
    what = f"{sheet.opens.verb} {sheet.opens.words[0].text}"
    out.print(Text(sheet.title, style="bold"), Text(f"({what})", style="dim"))
    show_tree(out, run.opening, run.trace)


def show_step(out: Out, result: StepResult, trace: Sequence[TraceEntry]) -> None:
    good = not result.problem
    mark = Text("  ok  " if good else " FAIL ", style="green" if good else "bold red")
    verb, _, rest = result.cue.source.partition(" ")
    line = Text(f"{verb:<7} {rest.strip()}".rstrip(), style="" if verb == "expect" else "bold")
    out.print(Text.assemble(mark, (f"{result.cue.line:>3}  ", "dim"), line))
    show_tree(out, result.entries, trace)
    if result.problem:
        out.print(Text(f"      {result.problem}", style="red"))


def show_tree(out: Out, entries: Sequence[TraceEntry], trace: Sequence[TraceEntry]) -> None:
    for guide, branch in lines(grow(entries, trace)):
        out.print(Text.assemble((INDENT + guide, "dim"), (branch.text, STYLES.get(branch.entry.kind, ""))))


def show_count(out: Out, runs: Iterable[CueRun]) -> int:
    """Print problems and totals; return how many steps failed."""
    done = list(runs)
    for run in done:
        for problem in run.problems:
            out.print(Text(problem, style="red"))
    passed, failed = sum(one.passed for one in done), sum(one.failed for one in done)
    count = len({one.sheet.name for one in done})
    sheets = f"{count} cue sheet{'s' if count != 1 else ''}" + (f", {len(done)} runs" if len(done) > count else "")
    steps = f"{passed} step{'s' if passed != 1 else ''}"
    out.print(Text(f"{sheets}: {steps} passed, {failed} failed", style="bold red" if failed else "bold green"))
    return failed
