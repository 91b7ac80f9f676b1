"""Run cue sheets again when a file that they use changes."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from pathlib import Path

import click

from fuselatch.cli.out import say, say_all
from fuselatch.cli.sheets import Wish


def watch(paths: Sequence[Path], wish: Wish, run: Callable[[Sequence[Path]], object]) -> None:
    """Run affected cue sheets after each change, until the user presses Ctrl+C."""
    from fuselatch.report.needed import MissingPackage, must_have

    try:
        must_have("--watch", "watch", "watchfiles")
    except MissingPackage as error:
        raise click.UsageError(str(error)) from None
    from watchfiles import watch as changes_of

    behind = {path: depends(path, wish) for path in paths}
    say_behind(behind)
    folders = {file.parent for files in behind.values() for file in files} | {path.resolve().parent for path in paths}
    for changes in changes_of(*folders, debounce=150, step=50, recursive=False, raise_interrupt=False):
        changed = {Path(name).resolve() for _, name in changes}
        touched = [path for path, files in behind.items() if changed & {path.resolve(), *files} and path.exists()]
        if not touched:
            continue
        forget({file for files in behind.values() for file in files})
        names = ", ".join(sorted(path.name for path in changed if any(path in behind[one] for one in touched)))
        say_all(["", f"changed: {names}"])
        run(touched)
        behind.update({path: depends(path, wish) for path in touched})
        say_behind(behind)


def depends(path: Path, wish: Wish) -> set[Path]:
    """Return the files that a cue sheet depends on: only itself if it can't be read."""
    from fuselatch.rehearsal import CueError, read_cue_file
    from fuselatch.rehearsal.imports import files_of

    try:
        return {path.resolve(), *files_of(read_cue_file(path), wish.places(path))}
    except (CueError, OSError):
        return {path.resolve()}


def forget(files: set[Path]) -> None:
    """Forget modules that came from these files, so that they are imported again."""
    from fuselatch.rehearsal.loading import forget_imports

    forget_imports()
    for name, module in list(sys.modules.items()):
        file = getattr(module, "__file__", None)
        if file is not None and not name.startswith("fuselatch") and name != "__main__" and Path(file).resolve() in files:
            del sys.modules[name]


def say_behind(behind: dict[Path, set[Path]]) -> None:
    files = {file for names in behind.values() for file in names}
    say(f"watching {len(files)} file{'s' if len(files) != 1 else ''}; press Ctrl+C to stop")
