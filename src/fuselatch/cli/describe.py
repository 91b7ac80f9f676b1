"""`fuselatch describe FORM`"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, Final

import click

from fuselatch.cli.options import from_folders, policy_file
from fuselatch.cli.out import say_all
from fuselatch.cli.problems import end


@click.command(name="describe")
@click.argument("form", metavar="MODULE:FORM")
@from_folders
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option("--json-schema", "schema", is_flag=True, help="Print the rules as a JSON Schema (draft 2020-12).")
@click.option(
    "--events", "control", metavar="CONTROL", help="List the events of a control (or of the form, by its class name)."
)
@click.option("--dot", is_flag=True, help="Print the dependency graph in Graphviz DOT format.")
@click.option(
    "--picture",
    metavar="FILE",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Draw the dependency graph (PNG, SVG or PDF).",
)
@policy_file
def command(form: str, folders: tuple[Path, ...], policy: Path | None, **options: Any) -> None:
    """Show what a form declares.

    Controls in tab order, rules, handlers by event, prompts, dialogs and custom events. Runs no handler. The form is
    looked up in installed packages, in the current folder and in each --from FOLDER.
    """
    from fuselatch.core.model.errors import PolicyError, UnknownName
    from fuselatch.policy import Policy
    from fuselatch.rehearsal.loading import LoadError, importing_from, load
    from fuselatch.report.needed import MissingPackage

    try:
        with importing_from([Path.cwd(), *(folder.resolve() for folder in folders)]):
            loaded = load(form, "form")
            rules = Policy.load(policy) if policy is not None else None
            text = next((tell(loaded, options[name]) for name, tell in INSTEAD.items() if options[name]), None)
            if text is None:
                text = as_lines(loaded, rules, options["as_json"])
    except (LoadError, PolicyError, UnknownName, MissingPackage, ValueError, OSError) as error:
        end(error)
    say_all(text.split("\n"))


def as_lines(form: Any, rules: Any, as_json: bool) -> str:
    from dataclasses import asdict

    from fuselatch.report.anatomy import anatomy, lines

    described = anatomy(form, rules)
    return as_text({"version": 1, **asdict(described)}) if as_json else "\n".join(lines(described))


def as_schema(form: Any, wanted: object) -> str:
    from fuselatch.report.schema import form_schema

    return as_text(form_schema(form))


def as_events(form: Any, control: str) -> str:
    from fuselatch.report.events_of import describe_events

    return "\n".join(describe_events(form, control))


def as_dot(form: Any, wanted: object) -> str:
    from fuselatch.report.dependence import dot

    return dot(form).rstrip()


def as_picture(form: Any, path: Path) -> str:
    from fuselatch.report.dependence import dependence_figure
    from fuselatch.report.figures import save

    save(dependence_figure(form), path)
    return f"wrote {path}"


INSTEAD: Final[Mapping[str, Callable[[object, Any], str]]] = {
    "control": as_events,
    "schema": as_schema,
    "dot": as_dot,
    "picture": as_picture,
}
"""The output of each option, printed instead of the description."""


def as_text(described: object) -> str:
    from fuselatch.core.model.json_text import json_text

    return json_text(described, 2)
