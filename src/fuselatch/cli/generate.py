"""`fuselatch generate MODULE:FUNCTION` or `fuselatch generate TABLE.csv`"""

from __future__ import annotations

from pathlib import Path

import click

from fuselatch.cli.options import from_folders
from fuselatch.cli.out import say_all
from fuselatch.cli.problems import end


@click.command(name="generate")
@click.argument("what", metavar="MODULE:FUNCTION|TABLE.csv")
@click.option(
    "-o",
    "--output",
    "folder",
    default=".",
    show_default=True,
    metavar="FOLDER",
    type=click.Path(file_okay=False, path_type=Path),
    help="Folder for the new files. It is created if it isn't there.",
)
@click.option("--overwrite", is_flag=True, help="Overwrite existing files.")
@from_folders
def command(what: str, folder: Path, overwrite: bool, folders: tuple[Path, ...]) -> None:
    """Generate a form and a first cue sheet, as source code for you to edit.

    From a function: one control per parameter and a button that calls it. From a CSV file: one control per column,
    bound to its rows. Functions are looked up in installed packages, in the current folder and in each --from FOLDER.
    """
    from fuselatch.core.engine.state.store import StoreRefused
    from fuselatch.rehearsal.loading import LoadError, importing_from, load
    from fuselatch.review.generating import from_function, from_table

    try:
        if what.lower().endswith(".csv"):
            generated = from_table(Path(what), folder)
        else:
            with importing_from([Path.cwd(), *(each.resolve() for each in folders)]):
                generated = from_function(load(what, "function"), what.partition(":")[2])
        paths = folder / f"{generated.module}.py", folder / f"{generated.module}.cues"
        for path in paths:
            if path.exists() and not overwrite:
                raise LoadError(f"{path} already exists; use --overwrite, or choose another folder with --output")
        folder.mkdir(parents=True, exist_ok=True)
        for path, text in zip(paths, (generated.source, generated.cues), strict=True):
            path.write_text(text, encoding="utf-8")
    except (LoadError, StoreRefused, ValueError, OSError) as error:
        end(error)
    more = "".join(f" --from {each}" for each in folders)
    say_all([f"wrote {paths[0]} ({generated.form}) and {paths[1]}", f"next: fuselatch rehearse {paths[1]}{more}"])
