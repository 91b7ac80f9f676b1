"""`fuselatch describe FORM`"""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders


@click.command(name="describe")
@click.argument("form", metavar="MODULE:FORM")
@from_folders
@click.option("--json-schema", "schema", is_flag=True, help="The declared rules as a JSON Schema (draft 2020-12) instead.")
def command(form: str, folders: tuple[Path, ...], schema: bool) -> None:
    """Show what a form declares: controls in tab order with their rules, handlers by event, prompts.

    The form is found in installed packages, in this folder, and in each --from FOLDER.
    """
    from fuselatch.rehearsal.loading import LoadError, importing_from, load

    try:
        with importing_from([Path.cwd(), *(folder.resolve() for folder in folders)]):
            found = load(form, "form")
    except LoadError as error:
        click.echo(f"fuselatch: {error}", err=True)
        sys.exit(Exit.UNREADABLE)
    if schema:
        import json

        from fuselatch.report.schema import form_schema

        click.echo(json.dumps(form_schema(found), indent=2, ensure_ascii=False))
        return
    from fuselatch.report.anatomy import anatomy, lines

    for line in lines(anatomy(found)):
        click.echo(line)
