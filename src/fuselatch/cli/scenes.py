"""`fuselatch scenes [FOLDER]`"""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.out import say, say_json, say_wrong
from fuselatch.cli.problems import end


@click.command(name="scenes")
@click.argument("folder", metavar="[FOLDER]", required=False, type=click.Path(exists=True, file_okay=False, path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def command(folder: Path | None, as_json: bool) -> None:
    """List the scenes in a folder's Python files.

    Without FOLDER: those that installed packages offer, and those in the current folder. Prints what a cue sheet writes
    after "scene", and what the scene is for. Only files that declare forms or scenes are imported. Exit code 2: a file was
    skipped, since it can't be imported.
    """
    from fuselatch.rehearsal.loading import LoadError, scenes_in, scenes_offered

    skipped: list[str] = []

    def skip(line: str) -> None:
        skipped.append(line)
        say_wrong(line)

    try:
        listed = scenes_in(folder, skip) if folder is not None else [*scenes_offered(skip), *scenes_in(Path.cwd(), skip)]
    except LoadError as error:
        end(error)
    described = [
        {"scene": f"{each.__module__}:{each.__name__}", "purpose": (each.__doc__ or "").strip().partition("\n")[0]}
        for each in dict.fromkeys(listed)
    ]
    if as_json:
        say_json({"version": 1, "scenes": described})
        sys.exit(Exit.UNREADABLE if skipped else Exit.OK)
    wide = max((len(each["scene"]) for each in described), default=0)
    for each in described:
        say(f"{each['scene']:<{wide}}  {each['purpose']}".rstrip())
    if not described:
        say("no scenes; put @scene above a function that returns one (from fuselatch.scenes import scene)")
    sys.exit(Exit.UNREADABLE if skipped else Exit.OK)
