"""`fuselatch describe FORM`"""

from __future__ import annotations

from pathlib import Path

import click

from fuselatch.cli.options import from_folders, policy_file
from fuselatch.cli.problems import end


@click.command(name="describe")
@click.argument("form", metavar="MODULE:FORM")
@from_folders
@click.option("--json", "as_json", is_flag=True, help="The same as JSON.")
@click.option("--json-schema", "schema", is_flag=True, help="The declared rules as a JSON Schema (draft 2020-12) instead.")
@click.option("--events", "control", metavar="CONTROL", help="The events of a control, or of the form by its name.")
@click.option("--dot", is_flag=True, help="Who depends on whom, in Graphviz's dot language, instead.")
@click.option(
    "--picture",
    metavar="FILE",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Draw who depends on whom (PNG, SVG, PDF) instead.",
)
@policy_file
def command(
    form: str,
    folders: tuple[Path, ...],
    as_json: bool,
    schema: bool,
    control: str | None,
    dot: bool,
    picture: Path | None,
    policy: Path | None,
) -> None:
    """Show what a form declares: controls in tab order with their rules and what they follow, handlers by event, prompts,
    dialogs, signals.

    The form is found in installed packages, in this folder, and in each --from FOLDER.
    """
    from fuselatch.core.model.errors import PolicyError, UnknownName
    from fuselatch.policy import Policy
    from fuselatch.rehearsal.loading import LoadError, importing_from, load
    from fuselatch.report.anatomy import anatomy, lines
    from fuselatch.report.needed import MissingPackage

    try:
        with importing_from([Path.cwd(), *(folder.resolve() for folder in folders)]):
            found = load(form, "form")
        told = anatomy(found, Policy.load(policy) if policy is not None else None)
        if control is not None:
            from fuselatch.report.events_of import events_told

            text = "\n".join(events_told(found, control))
        elif schema:
            from fuselatch.report.schema import form_schema

            text = as_text(form_schema(found))
        elif as_json:
            from dataclasses import asdict

            text = as_text({"version": 1, **asdict(told)})
        elif dot:
            from fuselatch.report.dependence import dot as in_dot

            text = in_dot(found).rstrip()
        elif picture is not None:
            from fuselatch.report.dependence import dependence_figure
            from fuselatch.report.figures import save

            save(dependence_figure(found), picture)
            text = f"drawn: {picture}"
        else:
            text = "\n".join(lines(told))
    except (LoadError, PolicyError, UnknownName, MissingPackage, ValueError, OSError) as error:
        end(error)
    click.echo(text)


def as_text(told: object) -> str:
    """Something as JSON."""
    import json

    return json.dumps(told, indent=2, ensure_ascii=False)
