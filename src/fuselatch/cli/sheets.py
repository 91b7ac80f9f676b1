"""Find and run cue sheets, and report problems, for all commands that do so."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager, redirect_stdout
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

import click

from fuselatch.cli.out import say_wrong
from fuselatch.core.model.visible import without_passwords

if TYPE_CHECKING:
    from fuselatch.rehearsal import CueRun, CueSheet
    from fuselatch.report.behaviour import Behaviour


@dataclass(slots=True)
class Wish:
    """How to run cue sheets.

    `folders`: where to look for scenes and forms, besides the sheet's folder. `records`: the address of a store.
    `policy`: a policy file. `mutes`: handlers not to run, and the `reason`. `behaviour`: collects what was tried.
    `looking`: keep the view after each step. `approved_only`: read and import nothing that isn't approved.
    `quiet`: what forms print goes to standard error.
    """

    folders: tuple[Path, ...] = ()
    records: str | None = None
    policy: Path | None = None
    mutes: tuple[str, ...] = ()
    reason: str = ""
    looking: bool = False
    behaviour: Behaviour | None = None
    approved_only: bool = False
    quiet: bool = False
    unreadable: list[str] = field(default_factory=list)
    unapproved: list[str] = field(default_factory=list)
    ledgers: dict[str, Any] = field(default_factory=dict)

    def places(self, path: Path) -> list[Path]:
        """Return the folders to look for a cue sheet's scene in."""
        return [path.resolve().parent, *(folder.resolve() for folder in self.folders)]

    def read(self, path: Path) -> CueSheet | None:
        """Read a cue sheet; report a problem and return None if it can't be read."""
        from fuselatch.rehearsal import CueError, read_cue_file

        try:
            if not self.approved_only:
                return read_cue_file(path, folders=self.folders)
            from fuselatch.rehearsal.approval import Approved
            from fuselatch.rehearsal.reach import told_to

            ledger = self.ledgers[str(path)] = Approved()
            with told_to(ledger):
                return read_cue_file(path, folders=self.folders)
        except (CueError, OSError) as error:
            self.wrong(problem_with(error, str(path)))
            return None

    def run_cues(self, sheet: CueSheet, how: Callable[..., Iterable[CueRun | None]] | None = None) -> Iterator[CueRun]:
        """Run each row of a cue sheet, and report what can't be opened or imported.

        `how` runs the sheet with the options; the default is `run_all_cues`.
        """
        from fuselatch.core.engine.state.store import StoreRefused
        from fuselatch.core.model.errors import PolicyError, UnknownName
        from fuselatch.policy import Policy
        from fuselatch.rehearsal import CueError, run_all_cues
        from fuselatch.rehearsal.fresh_imports import NotApproved
        from fuselatch.rehearsal.loading import importing_from
        from fuselatch.rehearsal.muting import LEFT_OUT
        from fuselatch.stores.addresses import open_records

        places = self.places(Path(sheet.name))
        try:
            with self.allowed(sheet, [*places, Path.cwd()]), importing_from(places, [Path.cwd()]):
                done = (how or run_all_cues)(
                    sheet,
                    policy=Policy.load(self.policy) if self.policy is not None else None,
                    records=open_records(self.records) if self.records is not None else None,
                    looking=self.looking,
                    observers=(self.behaviour,) if self.behaviour is not None else (),
                    mute=dict.fromkeys(self.mutes, self.reason or LEFT_OUT),
                )
                if self.quiet:
                    with redirect_stdout(sys.stderr):
                        done = list(done)
                yield from (run for run in done if run is not None)
        except NotApproved as error:
            self.refuse(sheet, str(error))
        except UnknownName as error:
            raise click.BadParameter(str(error), param_hint="--mute") from None
        except (CueError, PolicyError, StoreRefused, OSError) as error:
            self.wrong(problem_with(error, sheet.name))

    @contextmanager
    def allowed(self, sheet: CueSheet, places: Sequence[Path]) -> Iterator[None]:
        """Run a cue sheet, if so chosen only with what is approved."""
        if not self.approved_only:
            yield
            return
        from fuselatch.rehearsal.approval import files_opened, only_approved

        ledger = self.ledgers[sheet.name]
        with only_approved(files_opened(sheet, places), ledger):
            yield
        if ledger.objection:
            # The developer's code has caught what an import raised.
            self.refuse(sheet, ledger.objection)

    def refuse(self, sheet: CueSheet, objection: str) -> None:
        """Report a cue sheet that isn't run because something isn't approved."""
        self.unapproved.append(sheet.name)
        say_wrong(f"{sheet.name}: {objection}")

    def wrong(self, problem: str) -> None:
        """Report a file that can't be read."""
        self.unreadable.append(without_passwords(problem))
        say_wrong(problem)


def found(names: Iterable[str]) -> list[Path]:
    """Return the cue sheets: files as named, and all in folders except `_*.cues`."""
    paths: list[Path] = []
    for name in names:
        if not name:
            raise click.UsageError("'' isn't a file; name a cue sheet or a folder")
        path = Path(name)
        inside = [path]
        if path.is_dir():
            inside = [file for file in files_below(path, ".cues") if not file.name.startswith("_")]
        if not inside:
            raise click.UsageError(f"no cue sheets (*.cues) in folder {name}")
        paths += inside
    return list(dict.fromkeys(paths))


MOST_ENTRIES: Final = 200_000
"""How many files and folders are looked at below a folder."""


def files_below(folder: Path, ending: str) -> list[Path]:
    """Return the files below a folder, sorted; links to folders aren't followed."""
    sheets: list[Path] = []
    looked = 0
    for place, folders, files in os.walk(folder):
        looked += len(folders) + len(files)
        if looked > MOST_ENTRIES:
            raise click.UsageError(f"more than {MOST_ENTRIES:,} files in {folder}; name a smaller folder")
        sheets += [Path(place, file) for file in files if file.endswith(ending)]
    return sorted(sheets)


def problem_with(error: Exception, name: str) -> str:
    """Return a problem with a file as one line, with the closest file name."""
    if not isinstance(error, OSError):
        return str(error)
    if not isinstance(error, FileNotFoundError):
        return f"{name}: {error.strerror or error}"
    from fuselatch.core.model.names import suggest

    folder = Path(name).parent
    near = [str(each) for each in sorted(folder.glob("*.cues"))] if folder.is_dir() else []
    hint = suggest(name, near) if near else f"no cue sheets in {folder}"
    return f"{name}: file not found; {hint}"
