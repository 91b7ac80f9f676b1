"""`fuselatch describe FORM`"""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders, policy_file


@click.command(name="describe")
@click.argument("form", metavar="MODULE:FORM")
@from_folders
@click.option("--json-schema", "schema", is_flag=True, help="The declared rules as a JSON Schema (draft 2020-12) instead.")
@policy_file
def command(form: str, folders: tuple[Path, ...], schema: bool, policy: Path | None) -> None:
    """Show what a form declares: controls in tab order with their rules, handlers by event, prompts.

    The form is found in installed packages, in this folder, and in each --from FOLDER.
    """
    from fuselatch.core.model.errors import PolicyError
    from fuselatch.policy import Policy
    from fuselatch.rehearsal.loading import LoadError, importing_from, load
    from fuselatch.report.anatomy import anatomy, lines

    try:
        with importing_from([Path.cwd(), *(folder.resolve() for folder in folders)]):
            found = load(form, "form")
        rules = Policy.load(policy) if policy is not None else None
        told = anatomy(found, rules)
    except (LoadError, PolicyError) as error:
        click.echo(f"fuselatch: {error}", err=True)
        sys.exit(Exit.UNREADABLE)
    if schema:
        import json

        from fuselatch.report.schema import form_schema

        click.echo(json.dumps(form_schema(found), indent=2, ensure_ascii=False))
        return
    for line in lines(told):
        click.echo(line)
