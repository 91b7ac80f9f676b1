"""`fuselatch timeline TRACE.jsonl -o OUT.png`"""

from __future__ import annotations

from pathlib import Path

import click

from fuselatch.cli.options import output_file
from fuselatch.cli.out import say
from fuselatch.cli.problems import end


@click.command(name="timeline")
@click.argument("trace", metavar="TRACE.jsonl", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@output_file("Output file (PNG, SVG or PDF).")
def command(trace: Path, out: Path | None) -> None:
    """Draw a trace as a timeline, one lane per form.

    Get traces with: fuselatch rehearse FILE.cues --traces FOLDER
    """
    from fuselatch.report.figures import save
    from fuselatch.report.needed import MissingPackage
    from fuselatch.report.timeline import read_trace, timeline_figure

    target = out or trace.with_suffix(".png")
    try:
        with trace.open(encoding="utf-8") as lines:
            entries = read_trace(lines, str(trace))
        save(timeline_figure(entries, trace.name), target)
    except (MissingPackage, ValueError, OSError) as error:
        end(error)
    say(f"wrote {target}")
