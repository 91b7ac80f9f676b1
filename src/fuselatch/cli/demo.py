"""`fuselatch demo`"""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fuselatch.cli.exits import Exit


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
    """Run four cue sheets at a made-up marina and print the effects of each step.

    Writes bookings (CSV), letters, drawings and traces to a folder.
    """
    from marina.demo import run_all_cues, write

    from fuselatch.cli.printing import console, show, show_count

    out = console()
    out.print("Saltmarsh Quay: the office books berths. Each step is followed by its effects:\n")
    done = []
    for run in run_all_cues():
        done.append(run)
        show(out, run)
    failed = show_count(out, done)
    try:
        written = write(folder, done)
    except OSError as error:
        click.echo(
            f"fuselatch: can't write to {folder}: {error.strerror or error}; choose another folder with --output", err=True
        )
        sys.exit(Exit.UNREADABLE)
    out.print(f"\n{written.summary}\n\nTry next:")
    for line in written.next_steps:
        out.print(f"  {line}")
    sys.exit(Exit.FAILED if failed else Exit.OK)
