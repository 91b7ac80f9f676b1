"""`fuselatch rehearse FILE.cues …`"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders, policy_file

if TYPE_CHECKING:
    from fuselatch.rehearsal import Performance


@click.command(name="rehearse")
@click.argument("files", nargs=-1, required=True, metavar="FILE.cues…")
@from_folders
@click.option("--quiet", "-q", is_flag=True, help="Only what went wrong, and the count.")
@click.option(
    "--why", "questions", multiple=True, metavar="WHAT", help="Tell why something is so, or did not come: berth.enabled"
)
@click.option(
    "--records",
    metavar="ADDRESS",
    help="Keep records there: a folder of CSV files, a workbook, a SQLite file, postgresql://…",
)
@policy_file
def command(
    files: tuple[str, ...],
    folders: tuple[Path, ...],
    quiet: bool,
    questions: tuple[str, ...],
    records: str | None,
    policy: Path | None,
) -> None:
    """Perform cue sheets: print each step with its trace as a tree, and count what passed and failed.

    Scenes and forms are found in installed packages, in the cue sheet's own folder, and in each
    --from FOLDER. The exit code is 1 when an expectation fails or a step can't be done, and 2
    for what can't be read or imported.
    """
    from fuselatch.cli.show import console, show, show_count
    from fuselatch.core.engine.store import StoreRefused
    from fuselatch.core.model.errors import PolicyError
    from fuselatch.policy import Policy
    from fuselatch.rehearsal import CueError, perform, read_cues
    from fuselatch.rehearsal.loading import importing_from
    from fuselatch.stores.addresses import open_records

    out = console()
    done: list[Performance] = []
    unreadable = 0
    for name in files:
        path = Path(name)
        try:
            sheet = read_cues(read(path), name)
            with importing_from([path.resolve().parent, *(folder.resolve() for folder in folders)]):
                performance = perform(
                    sheet,
                    policy=Policy.load(policy) if policy is not None else None,
                    records=open_records(records) if records is not None else None,
                )
        except (CueError, PolicyError, StoreRefused, OSError) as error:
            unreadable += 1
            click.echo(f"fuselatch: {told(error, name)}", err=True)
            continue
        done.append(performance)
        if not quiet:
            show(out, performance)
        unreadable += ask(performance, questions)
    failed = show_count(out, done) if done else 0
    sys.exit(Exit.UNREADABLE if unreadable else Exit.FAILED if failed else Exit.OK)


def ask(performance: Performance, questions: tuple[str, ...]) -> int:
    """Answer the questions about a performance; gives how many could not be."""
    from fuselatch.core.model.errors import UnknownName

    failed = 0
    for question in questions if performance.session is not None else ():
        try:
            click.echo(f"{performance.session.why(question)}\n" if performance.session else "")
        except UnknownName as error:
            failed += 1
            click.echo(f"fuselatch: --why {question}: {error}", err=True)
    return failed


def read(path: Path) -> str:
    """The text of a cue sheet, which is UTF-8."""
    from fuselatch.rehearsal import CueError

    try:
        return path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as error:
        line = path.read_bytes()[: error.start].count(b"\n") + 1
        raise CueError(str(path), line, 1, "this is no text in UTF-8; save it as such") from None


def told(error: Exception, name: str) -> str:
    """What went wrong with a file, on one line, with the closest file that is there."""
    if not isinstance(error, OSError):
        return str(error)
    if not isinstance(error, FileNotFoundError):
        return f"{name}: {error.strerror or error}"
    from fuselatch.core.model.names import suggest

    folder = Path(name).parent
    near = [str(found) for found in sorted(folder.glob("*.cues"))] if folder.is_dir() else []
    hint = suggest(name, near, "cue sheets there are") if near else f"no cue sheet is in {folder}"
    return f"{name}: there is no such file; {hint}"
