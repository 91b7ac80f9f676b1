"""`fuselatch approve FILE.py`"""

from __future__ import annotations

import getpass
import sys
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders
from fuselatch.cli.sheets import Wish, found, problem_with


@click.command(name="approve")
@click.argument("file", metavar="FILE.py", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option(
    "--cues", "more", multiple=True, metavar="FILE.cues|FOLDER", help="More cue sheets to run, outside the file's folder."
)
@click.option("--by", default="", metavar="NAME", help="Name to record. Default: the logged-in user.")
@from_folders
def command(file: Path, more: tuple[str, ...], by: str, folders: tuple[Path, ...]) -> None:
    """Run the cue sheets that open forms of FILE.py and, if all pass, approve the file.

    Writes FILE.approved.json with who, when and the SHA-256 of the file and its local imports. "fuselatch rehearse
    --approved-only" then fails if anything changed. Exit code 1: a cue sheet failed. Exit code 2: a file can't be read.
    """
    from fuselatch.cli.printing import console, show_count
    from fuselatch.rehearsal import CueError
    from fuselatch.rehearsal.approval import approve, hashes_of, note_of, sheets_of
    from fuselatch.rehearsal.imports import root_of

    wish = Wish(folders=(*folders, root_of(file.resolve())))
    try:
        sheets = list(sheets_of(file, found(more)))
    except (CueError, OSError) as error:
        click.echo(f"fuselatch: {problem_with(error, str(file))}\n{file}: not approved", err=True)
        sys.exit(Exit.UNREADABLE)
    if not sheets:
        click.echo(
            f"fuselatch: {file}: no cue sheet in {file.parent} opens a form from this file; name cue sheets with --cues",
            err=True,
        )
        sys.exit(Exit.UNREADABLE)
    files = hashes_of(file)
    done = [run for sheet in sheets for run in wish.run_cues(sheet)]
    failed = show_count(console(), done)
    if failed or wish.unreadable:
        click.echo(f"{file}: not approved")
        sys.exit(Exit.FAILED if failed else Exit.UNREADABLE)
    passed: dict[str, int] = {}
    for one in done:
        path = Path(one.sheet.name).resolve()
        name = (
            path.relative_to(file.resolve().parent).as_posix() if path.is_relative_to(file.resolve().parent) else path.name
        )
        passed[name] = passed.get(name, 0) + one.passed
    approval = approve(file, files, passed, by or getpass.getuser(), datetime.now().astimezone())
    click.echo(f"{file}: approved by {approval.by} (covers {', '.join(approval.files)}); saved to {note_of(file)}")


def must_be_approved(paths: Sequence[Path], wish: Wish) -> None:
    """Exit with one line for each cue sheet that opens a file that isn't approved."""
    from fuselatch.rehearsal.approval import objection_to

    refused = False
    for path in paths:
        sheet = wish.read(path)
        try:
            objection = objection_to(sheet, wish.places(path)) if sheet is not None else ""
        except (ValueError, OSError) as error:
            objection = str(error)
        if objection:
            refused = True
            click.echo(f"fuselatch: {path}: {objection}", err=True)
    if refused:
        sys.exit(Exit.FAILED)
