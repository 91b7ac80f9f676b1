"""`fuselatch explore MODULE:SCENE`"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders
from fuselatch.cli.out import must_take, say_all, say_json
from fuselatch.cli.problems import end
from fuselatch.cli.progress import progress_bar
from fuselatch.exploring.exploration import Exploration


@click.command(name="explore")
@click.argument("scene", metavar="MODULE:SCENE")
@from_folders
@click.option(
    "--gestures", default=100_000, type=click.IntRange(1), metavar="N", help="Number of gestures [default: 100000]."
)
@click.option("--seconds", type=click.FloatRange(0, min_open=True), metavar="N", help="End after this many seconds.")
@click.option("--seed", default=7, type=int, metavar="N", help="Random seed [default: 7].")
@click.option("--processes", default=2, type=click.IntRange(1, 64), metavar="N", help="Number of processes [default: 2].")
@click.option(
    "--cues", metavar="FOLDER", type=click.Path(exists=True, file_okay=False, path_type=Path),
    help="Enter also what the cue sheets in this folder enter.",
)  # fmt: skip
@click.option(
    "--known", metavar="FILE.toml", type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Accept the faults in this file, each with a reason.",
)  # fmt: skip
@click.option(
    "-o", "--output", "out", metavar="FOLDER", type=click.Path(file_okay=False, path_type=Path),
    help="Write a cue sheet for each fault, and report.json, to this folder.",
)  # fmt: skip
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def command(scene: str, folders: tuple[Path, ...], **options: Any) -> None:
    """Search a form for faults: code that fails, traps, refusals that stay, and what is never reached.

    Makes gestures at the form and at all that it opens. Each fault comes with the shortest cue sheet found that shows it.
    The same seed and number of gestures find the same faults, unless --seconds or Ctrl-C ends the search. Nothing real is
    touched: the scene's records are copied, and its services replaced. Exit code 1: there are faults that --known doesn't
    accept.
    """
    from fuselatch.core.model.errors import FuseLatchError
    from fuselatch.exploring import Named, explore, read_known
    from fuselatch.exploring.report import report

    places = (Path.cwd(), *(folder.resolve() for folder in folders))
    try:
        known = read_known(options["known"]) if options["known"] is not None else {}
        if options["out"] is not None:
            must_take(options["out"], "report.json")
        with progress_bar("exploring", not options["as_json"]) as progress:
            exploration = explore(
                Named(scene, places),
                gestures=options["gestures"],
                seconds=options["seconds"],
                seed=options["seed"],
                processes=options["processes"],
                cues=options["cues"],
                known=known,
                progress=progress,
            )
        files = write_sheets(exploration, options["out"]) if options["out"] is not None else None
    except (FuseLatchError, TypeError, ValueError, OSError) as error:
        end(error)
    if options["as_json"]:
        say_json(exploration.to_dict())
    else:
        say_all(report(exploration, files))
    sys.exit(Exit.FAILED if exploration.new else Exit.OK)


def write_sheets(found: Exploration, folder: Path) -> dict[str, str]:
    """Write a cue sheet for each fault, and the report; return the files by key. Sheets of an earlier search are removed."""
    from fuselatch.core.model.json_text import json_text

    for old in [*folder.glob("fault-*.cues"), *folder.glob("note-*.cues")]:
        old.unlink()
    files = {}
    counts = {"fault": 0, "note": 0}
    for fault in found.faults:
        if not fault.reason:
            kind = "note" if fault.is_note else "fault"
            counts[kind] += 1
            path = folder / f"{kind}-{counts[kind]}.cues"
            path.write_text(fault.sheet, encoding="utf-8")
            files[fault.key] = str(path)
    (folder / "report.json").write_text(json_text(found.to_dict(), 2) + "\n", encoding="utf-8")
    return files
