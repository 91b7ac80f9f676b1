"""`fuselatch demo`"""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.out import Out, say_all, say_wrong

INTRODUCTION = (
    "Saltmarsh Quay is a made-up marina. Its office books berths with the forms in saltmarsh/forms.py.",
    "Four cue sheets rehearse that without a screen. Here is the first: each step of the clerk (ok), and below it what",
    "the step caused, as a tree. The other three follow as one line each.",
    "",
)


@click.command(name="demo")
@click.option(
    "-o",
    "--output",
    "folder",
    default="demo-out",
    show_default=True,
    metavar="FOLDER",
    type=click.Path(file_okay=False, path_type=Path),
    help="Folder for the output (CSV, traces, letters).",
)
def command(folder: Path) -> None:
    """Run four cue sheets at a made-up marina, and print the effects of each step of the first.

    Writes bookings (CSV), letters, drawings and traces to a folder.
    """
    from saltmarsh.demo import run_all_cues, write

    from fuselatch.cli.printing import show, show_briefly, show_count

    out = Out()
    say_all(INTRODUCTION)
    done = []
    for run in run_all_cues():
        done.append(run)
        show_briefly(out, run) if len(done) > 1 else show(out, run)
    out.print()
    failed = show_count(out, done)
    try:
        written = write(folder, done)
    except OSError as error:
        say_wrong(f"can't write to {folder}: {error.strerror or error}; choose another folder with --output")
        sys.exit(Exit.UNREADABLE)
    say_all(["", *written.summary.split("\n"), "", "Try next:", *(f"  {line}" for line in written.next_steps)])
    sys.exit(Exit.FAILED if failed else Exit.OK)
