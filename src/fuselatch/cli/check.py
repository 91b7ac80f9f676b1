"""`fuselatch check FILE.py|FOLDER …`"""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path
from typing import Any

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders
from fuselatch.cli.out import say, say_json, say_wrong
from fuselatch.cli.progress import with_progress


@click.command(name="check")
@click.argument("names", nargs=-1, required=True, metavar="FILE.py|FOLDER…")
@from_folders
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option("--quiet", "-q", is_flag=True, help="Print problems only.")
def command(names: tuple[str, ...], folders: tuple[Path, ...], as_json: bool, quiet: bool) -> None:
    """Find mistakes in forms without running them.

    Reports every wrong declaration, then buttons, prompts, forms and handlers that can never work, with file, line and
    fix. A remark isn't a mistake, but worth a look. A folder means all Python files in and below it. Exit code 1: problems
    found, or a file whose forms can't be found by reading it. Exit code 2: a file can't be read.
    """
    from fuselatch.core.model.errors import describe
    from fuselatch.rehearsal.loading import importing_from
    from fuselatch.review.checking import Problem, check_file, python_files

    problems: list[Problem] = []
    around: dict[Path, Counter[str]] = {}
    unreadable = False
    if "" in names:
        raise click.UsageError("'' isn't a file; name a Python file or a folder")
    files = python_files([Path(name) for name in names])
    read = 0
    with importing_from([folder.resolve() for folder in folders]):
        for path in with_progress(files, "checking"):
            try:
                problems += check_file(path, str(path), around)
                read += 1
            except (Exception, RecursionError) as error:
                # One file that can't be read doesn't end the list.
                unreadable = True
                known = isinstance(error, OSError | ValueError | RecursionError | MemoryError)
                what = getattr(error, "strerror", None) or (str(error) if known else f"not checked: {describe(error)}")
                say_wrong(f"{path}: {what}")
    if as_json:
        say_json({"version": 1, "problems": [one._asdict() for one in problems]})
    else:
        for one in problems:
            if not (quiet and one.is_remark):
                say(str(one))
        if not quiet and (read or not unreadable):
            say(total(read, problems))
    sys.exit(Exit.UNREADABLE if unreadable else Exit.OK if all(one.is_remark for one in problems) else Exit.FAILED)


def total(read: int, found: list[Any]) -> str:
    """Return the last line of a report: the numbers of files, problems and remarks, and of files that weren't checked."""
    skipped = sum(one.kind == "not checked" for one in found)
    remarks = sum(one.is_remark for one in found)
    problems = len(found) - skipped - remarks
    counted = "no problems" if not problems else f"{problems} problem{'s' if problems != 1 else ''}"
    files = read - skipped
    line = f"{files} file{'s' if files != 1 else ''} checked: {counted}"
    line += f", {remarks} remark{'s' if remarks != 1 else ''}" if remarks else ""
    return f"{line}; {skipped} not checked" if skipped else line
