"""What commands that perform cue sheets share: finding them, performing them, and telling of what went wrong."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from fuselatch.core.engine.session import Session
    from fuselatch.rehearsal import CueRun, CueSheet
    from fuselatch.report.behaviour import Behaviour


@dataclass(slots=True)
class Wish:
    """How cue sheets are to be performed.

    `folders` are where scenes and forms are found, too; `records` the address of a store, `policy` a file; the
    handlers called `mutes` are left out, for a `reason`; `behaviour` is told what is tried; with `looking`, each
    step keeps what a person then saw.
    """

    folders: tuple[Path, ...] = ()
    records: str | None = None
    policy: Path | None = None
    mutes: tuple[str, ...] = ()
    reason: str = ""
    looking: bool = False
    behaviour: Behaviour | None = None
    unreadable: list[str] = field(default_factory=list)

    def places(self, path: Path) -> list[Path]:
        """The folders in which a cue sheet's scene is looked for."""
        return [path.resolve().parent, *(folder.resolve() for folder in self.folders)]

    def prepare(self, session: Session) -> None:
        """Leave out the handlers that are to be."""
        from fuselatch.core.model.errors import UnknownName
        from fuselatch.rehearsal.muting import LEFT_OUT, handler_named

        for name in self.mutes:
            try:
                session.mute(handler_named(name), self.reason or LEFT_OUT)
            except UnknownName as error:
                raise click.BadParameter(str(error), param_hint="--mute") from None

    def read(self, path: Path) -> CueSheet | None:
        """Read a cue sheet; None where that can't be done, which is told."""
        from fuselatch.rehearsal import CueError, read_cue_file

        try:
            return read_cue_file(path)
        except (CueError, OSError) as error:
            self.wrong(told(error, str(path)))
            return None

    def run_cues(self, sheet: CueSheet, how: Callable[..., Iterable[CueRun | None]] | None = None) -> Iterator[CueRun]:
        """Perform each run of a cue sheet; what can't be opened or imported is told. `how` does it, with the options."""
        from fuselatch.core.engine.store import StoreRefused
        from fuselatch.core.model.errors import PolicyError
        from fuselatch.policy import Policy
        from fuselatch.rehearsal import CueError, run_all_cues
        from fuselatch.rehearsal.loading import importing_from
        from fuselatch.stores.addresses import open_records

        try:
            with importing_from(self.places(Path(sheet.name))):
                done = (how or run_all_cues)(
                    sheet,
                    policy=Policy.load(self.policy) if self.policy is not None else None,
                    records=open_records(self.records) if self.records is not None else None,
                    looking=self.looking,
                    witness=self.behaviour,
                    prepare=self.prepare,
                )
                yield from (run for run in done if run is not None)
        except (CueError, PolicyError, StoreRefused, OSError) as error:
            self.wrong(told(error, sheet.name))

    def wrong(self, problem: str) -> None:
        """Tell of what can't be read."""
        self.unreadable.append(problem)
        click.echo(f"fuselatch: {problem}", err=True)


def found(names: Iterable[str]) -> list[Path]:
    """The cue sheets that are meant: files, and those of folders and the folders below, but for `_…`."""
    paths: list[Path] = []
    for name in names:
        path = Path(name)
        inside = sorted(file for file in path.rglob("*.cues") if not file.name.startswith("_")) if path.is_dir() else [path]
        if not inside:
            raise click.UsageError(f"no cue sheets (*.cues) in folder {name}")
        paths += inside
    return list(dict.fromkeys(paths))


def told(error: Exception, name: str) -> str:
    """What went wrong with a file, on one line, with the closest file that is there."""
    if not isinstance(error, OSError):
        return str(error)
    if not isinstance(error, FileNotFoundError):
        return f"{name}: {error.strerror or error}"
    from fuselatch.core.model.names import suggest

    folder = Path(name).parent
    near = [str(found) for found in sorted(folder.glob("*.cues"))] if folder.is_dir() else []
    hint = suggest(name, near) if near else f"no cue sheets in {folder}"
    return f"{name}: file not found; {hint}"
