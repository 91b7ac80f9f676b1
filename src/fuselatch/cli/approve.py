"""`fuselatch approve FILE.py`"""

from __future__ import annotations

import getpass
import sys
from datetime import datetime
from pathlib import Path
from typing import NoReturn

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders
from fuselatch.cli.out import Out, say, say_wrong
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

    Writes FILE.approval.json with who, when and the SHA-256 of all that was read: Python files that aren't installed, cue
    sheets and policies. "fuselatch rehearse --approved-only" runs nothing else. Exit code 1: a cue sheet failed. Exit code
    2: a file can't be read.
    """
    from fuselatch.cli.printing import show_count
    from fuselatch.rehearsal import CueError, CueSheet, read_cue_file
    from fuselatch.rehearsal.approval import Readings, approve, note_of, plain_path, read_afresh, sheets_of
    from fuselatch.rehearsal.fresh_imports import NotApproved
    from fuselatch.rehearsal.imports import root_of
    from fuselatch.rehearsal.loading import is_of_forms, module_at

    if file.suffix != ".py":
        refuse(f"{file}: only Python files of forms can be approved; name the file whose forms the cue sheets open")
    wish = Wish(folders=(*folders, root_of(file.resolve())))
    readings = Readings()
    try:
        sheets = [sheet for sheet in sheets_of(file, found(more), wish.folders) if sheet.steps]
        if not sheets:
            refuse(f"{file}: no cue sheet with steps in {file.parent} opens a form from this file; name some with --cues")
        done = []
        module = None
        for named in sheets:
            with read_afresh(readings):
                # Read again, so that what runs is what is noted.
                sheet: CueSheet = read_cue_file(Path(named.name), folders=wish.folders)
                done += list(wish.run_cues(sheet))
                module = module_at(Path(plain_path(file))) or module_at(file.resolve()) or module
    except (CueError, NotApproved, OSError) as error:
        refuse(problem_with(error, str(file)), file)
    failed = show_count(Out(), done)
    if failed or wish.unreadable or wish.unapproved:
        say(f"{file}: not approved")
        sys.exit(Exit.FAILED if failed else Exit.UNREADABLE)
    if readings.changed:
        refuse(f"{readings.changed} has changed while the cue sheets ran", file)
    if plain_path(file) not in readings.files or module is None:
        refuse(f"{file}: no cue sheet has imported this file", file)
    if not is_of_forms(module):
        refuse(f"{file}: it defines neither a form nor a scene; approve the file of the forms that use it", file)
    passed: dict[str, int] = {}
    own = file.resolve().parent
    for one in done:
        path = Path(one.sheet.name).resolve()
        name = path.relative_to(own).as_posix() if path.is_relative_to(own) else path.name
        passed[name] = passed.get(name, 0) + one.passed
    approval = approve(file, readings.beside(file), passed, by or getpass.getuser(), datetime.now().astimezone())
    say(f"{file}: approved by {approval.by} (covers {', '.join(approval.files)}); saved to {note_of(file)}")


def refuse(why: str, file: Path | None = None) -> NoReturn:
    """Say why nothing is approved, and exit with code 2. `file`: the one that was to be approved."""
    say_wrong(why)
    if file is not None:
        say(f"{file}: not approved", err=True)
    sys.exit(Exit.UNREADABLE)
