"""`fuselatch flipbook FILE.cues -o OUT.html`"""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders, output_file, policy_file
from fuselatch.cli.out import say
from fuselatch.cli.problems import end
from fuselatch.cli.sheets import Wish


@click.command(name="flipbook")
@click.argument("name", metavar="FILE.cues")
@output_file("Output file (.html, or a picture with --step).")
@click.option("--step", "number", type=int, metavar="NUMBER", help="Draw only this step. 0 is the opened form.")
@click.option("--png", is_flag=True, help="Write a PNG of the step given with --step.")
@from_folders
@click.option("--records", metavar="ADDRESS", help="Read and write records at this address (see rehearse).")
@policy_file
def command(
    name: str,
    out: Path | None,
    number: int | None,
    png: bool,
    folders: tuple[Path, ...],
    records: str | None,
    policy: Path | None,
) -> None:
    """Write one HTML page that shows the form after each step of a cue sheet.

    Each form is next to the step's effects. The page needs no scripts or network. If a step fails, the page is still
    written and the exit code is 1.
    """
    from fuselatch.rehearsal.flipping import book_of, flipbook
    from fuselatch.report.needed import MissingPackage

    if png is not (number is not None):
        raise click.UsageError("--step and --png must be used together, for example: --step 7 --png")
    if not name:
        raise click.UsageError("'' isn't a file; name a cue sheet")
    wish = Wish(folders, records, policy, looking=True)
    sheet = wish.read(Path(name))
    done = list(wish.run_cues(sheet)) if sheet is not None else []
    if wish.unreadable or not done:
        sys.exit(Exit.UNREADABLE)
    target = out or Path(name).with_suffix(f".{number}.png" if png else ".html")
    try:
        if png:
            from fuselatch.report.drawing import shot_figure
            from fuselatch.report.figures import save

            book = book_of(done[0])
            if not 0 <= (number or 0) < len(book.shots):
                raise ValueError(f"{name}: no step {number}; steps are 0 to {len(book.shots) - 1}")
            save(shot_figure(book.title, book.shots[number or 0]), target)
        else:
            target.write_text(flipbook(Path(name).name, done), encoding="utf-8")
    except (MissingPackage, ValueError, OSError) as error:
        end(error)
    for problem in (problem for one in done for problem in one.problems):
        say(problem, err=True)
    say(f"wrote {target}")
    sys.exit(Exit.FAILED if any(one.failed for one in done) else Exit.OK)
