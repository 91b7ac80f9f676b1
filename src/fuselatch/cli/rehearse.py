"""`fuselatch rehearse FILE.cues|FOLDER …`"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from contextlib import redirect_stdout
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders, policy_file
from fuselatch.cli.out import Out, say_all, say_json, say_wrong
from fuselatch.cli.problems import problem
from fuselatch.cli.progress import with_progress
from fuselatch.cli.sheets import Wish, found

if TYPE_CHECKING:
    from fuselatch.rehearsal import CueRun, CueSheet
    from fuselatch.report.behaviour import Behaviour


@click.command(name="rehearse")
@click.argument("names", nargs=-1, required=True, metavar="FILE.cues|FOLDER…")
@from_folders
@click.option("--quiet", "-q", is_flag=True, help="Print only failures and the total.")
@click.option("--json", "as_json", is_flag=True, help="Print steps and traces as JSON.")
@click.option(
    "--why",
    "questions",
    multiple=True,
    metavar="WHAT",
    help="Explain why a property, event, handler or prompt is as it is (berth.enabled, look_up_vessel). Can be repeated.",
)
@click.option("--step", is_flag=True, help="Pause before each event, and after each step without one, and show the form.")
@click.option(
    "--pause-at", "pauses", multiple=True, metavar="EVENT", help="Pause before this event (berth.changed). Can be repeated."
)
@click.option("--mute", "mutes", multiple=True, metavar="FORM.HANDLER", help="Don't run this handler. Can be repeated.")
@click.option("--reason", default="", metavar="TEXT", help="Reason for --mute. Shown in the report.")
@click.option("--watch", is_flag=True, help="Keep running: repeat a cue sheet when a file it uses changes.")
@click.option("--behaviour", is_flag=True, help="List handlers, checks and answers that no cue sheet has tried.")
@click.option(
    "--behaviour-min",
    type=click.FloatRange(0, 100),
    metavar="PERCENT",
    help="Fail if less than this was tried of what could be.",
)
@click.option(
    "--behaviour-json",
    metavar="FILE",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Write the --behaviour report as JSON.",
)
@click.option(
    "--behaviour-picture",
    metavar="FILE",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Draw which handlers ran (PNG or SVG).",
)
@click.option(
    "--traces",
    metavar="FOLDER",
    type=click.Path(file_okay=False, path_type=Path),
    help="Write each trace to this folder as JSON Lines.",
)
@click.option("--approved-only", is_flag=True, help="Run only what is approved, and fail if anything has changed since.")
@click.option(
    "--records",
    metavar="ADDRESS",
    help="Read and write records at this address: a folder of CSV or JSON Lines files, an .xlsx workbook, a SQLite file or postgresql://…",
)
@policy_file
def command(names: tuple[str, ...], **options: Any) -> None:
    """Run cue sheets and print each step with its trace.

    A folder means every *.cues file in it, except files that start with "_". Forms and scenes are looked up in
    installed packages, in the cue sheet's folder and in each --from FOLDER. Exit code 1: an expectation failed or a step
    couldn't be done. Exit code 2: a file can't be read or imported.
    """
    wish = wish_of(options)
    paths = found(names)
    if options["step"] or options["pauses"]:
        from fuselatch.cli.step import step_through

        sys.exit(step_through(paths, wish, options["pauses"]))
    run = Run(wish, options)
    code = run.all(paths)
    if options["watch"] and all(path.exists() for path in paths):
        from fuselatch.cli.watch import watch

        watch(paths, wish, run.all)
    sys.exit(code)


def wish_of(options: dict[str, Any]) -> Wish:
    wanted = any(options[f"behaviour{each}"] for each in ("", "_json", "_picture")) or options["behaviour_min"] is not None
    if options["reason"] and not options["mutes"]:
        raise click.UsageError("--reason explains --mute; add --mute FORM.HANDLER")
    if options["as_json"] and (options["step"] or options["pauses"] or options["watch"] or options["questions"]):
        raise click.UsageError("--json can't be used with --step, --pause-at, --watch or --why")
    behaviour = None
    if wanted:
        from fuselatch.report.behaviour import Behaviour

        behaviour = Behaviour()
    return Wish(
        options["folders"],
        options["records"],
        options["policy"],
        options["mutes"],
        options["reason"],
        behaviour=behaviour,
        approved_only=options["approved_only"],
        quiet=options["as_json"],
    )


class Run:
    """One call of `rehearse`, with its options."""

    def __init__(self, wish: Wish, options: dict[str, Any]) -> None:
        self.wish = wish
        self.options = options
        self.quiet: bool = options["quiet"] or options["as_json"]

    def all(self, paths: Sequence[Path]) -> Exit:
        """Run all cue sheets and return the exit code."""
        from fuselatch.cli.printing import show, show_count

        wish, options = self.wish, self.options
        wish.unreadable.clear()
        wish.unapproved.clear()
        out = Out()
        done: list[CueRun] = []
        wrong = 0
        for path in with_progress(paths, "rehearsing", self.quiet):
            sheet = wish.read(path)
            for run in wish.run_cues(sheet) if sheet is not None else ():
                done.append(run)
                if not self.quiet:
                    show(out, run)
                wrong += ask(run, options["questions"])
        if options["traces"] is not None:
            try:
                write_traces(done, options["traces"])
            except OSError as error:
                wish.wrong(problem(error))
        if options["as_json"]:
            self.tell_json(done)
            failed = sum(one.failed for one in done)
        else:
            failed = show_count(out, done) if done else 0
            if wish.mutes and done:
                from fuselatch.rehearsal.muting import LEFT_OUT

                out.print(f"muted: {', '.join(wish.mutes)} ({wish.reason or LEFT_OUT})")
        if wish.behaviour is not None:
            failed += self.tell_behaviour(wish.behaviour, [run.sheet for run in done])
        failed += len(wish.unapproved)
        return Exit.UNREADABLE if wish.unreadable or wrong else Exit.FAILED if failed else Exit.OK

    def tell_json(self, done: list[CueRun]) -> None:
        from fuselatch.rehearsal.to_json import run_dict

        say_json(run_dict(done, self.wish.unreadable))

    def tell_behaviour(self, behaviour: Behaviour, sheets: list[CueSheet]) -> int:
        """Report what was tried; return 1 if it was too little."""
        from fuselatch.policy import Policy
        from fuselatch.rehearsal.loading import importing_from
        from fuselatch.rehearsal.suggesting import prove_steps
        from fuselatch.report.behaviour import describe_behaviour
        from fuselatch.report.needed import MissingPackage

        if self.options["behaviour"]:
            if not self.wish.approved_only:
                places = dict.fromkeys(place for sheet in sheets for place in self.wish.places(Path(sheet.name)))
                with importing_from([*places], [Path.cwd()]), redirect_stdout(sys.stderr):
                    prove_steps(behaviour, sheets, Policy.load(self.wish.policy) if self.wish.policy is not None else None)
            say_all(["", *describe_behaviour(behaviour)], err=self.options["as_json"])
        if self.options["behaviour_json"] is not None:
            from fuselatch.core.model.json_text import json_text

            try:
                self.options["behaviour_json"].write_text(json_text(behaviour.to_dict(), 2) + "\n", encoding="utf-8")
            except OSError as error:
                self.wish.wrong(problem(error))
        if self.options["behaviour_picture"] is not None:
            from fuselatch.report.figures import behaviour_figure, save

            try:
                save(behaviour_figure(behaviour), self.options["behaviour_picture"])
            except (MissingPackage, ValueError, OSError) as error:
                self.wish.wrong(problem(error))
        least = self.options["behaviour_min"]
        if least is None or behaviour.share >= least:
            return 0
        say_wrong(f"{behaviour.share:.1f} % of what could be tried was tried; --behaviour-min is {least:g} %")
        return 1


def write_traces(done: list[CueRun], folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    written: set[str] = set()
    for run in done:
        row = run.sheet.row.partition(" (")[0].replace(" ", "-")
        path = Path(run.sheet.name)
        name = ".".join(part for part in (path.stem, row, "trace.jsonl") if part)
        if name in written:
            # Cue sheets in different folders can have the same name; none may overwrite another's trace.
            name = f"{len(written) + 1}-{name}"
        written.add(name)
        (folder / name).write_text(run.trace.to_jsonl(), encoding="utf-8")


def ask(run: CueRun, questions: tuple[str, ...]) -> int:
    """Answer the questions about a run; return how many couldn't be answered."""
    from fuselatch.core.model.errors import UnknownName

    failed = 0
    for question in questions if run.session is not None else ():
        try:
            say_all([*run.session.why(question).split("\n"), ""] if run.session else [""])
        except UnknownName as error:
            failed += 1
            say_wrong(f"--why {question}: {error}")
    return failed
