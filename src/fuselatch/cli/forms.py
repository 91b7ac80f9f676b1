"""`fuselatch forms FOLDER`"""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.out import say, say_json, say_wrong


@click.command(name="forms")
@click.argument("folder", metavar="FOLDER", type=click.Path(exists=True, file_okay=False, path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def command(folder: Path, as_json: bool) -> None:
    """List the forms in a folder's Python files.

    Prints name, shortcut, title, purpose and required parameters. Only files that declare forms or scenes are imported.
    Exit code 1: two forms clash. Exit code 2: a file was skipped, since it can't be imported.
    """
    from fuselatch.core.engine.state.offers import Offers
    from fuselatch.core.model.errors import DeclarationError
    from fuselatch.rehearsal.loading import LoadError, forms_in
    from fuselatch.report.anatomy import at_hand, hand_lines

    skipped: list[str] = []

    def skip(line: str) -> None:
        skipped.append(line)
        say_wrong(line)

    try:
        listed = forms_in(folder, skip)
    except LoadError as error:
        say_wrong(error)
        sys.exit(Exit.UNREADABLE)
    described = [at_hand(form) for form in listed]
    if as_json:
        say_json([one._asdict() for one in described])
    else:
        for line in hand_lines(described):
            say(line)
    try:
        Offers(listed)
    except DeclarationError as error:
        say_wrong(f"{folder}: {error}")
        sys.exit(Exit.FAILED)
    sys.exit(Exit.UNREADABLE if skipped else Exit.OK)
