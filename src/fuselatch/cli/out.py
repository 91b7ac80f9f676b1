"""Print. No other module of the command line writes to standard output or standard error.

What is printed may come from anyone: each line stays one line, and has no control characters.
"""

from __future__ import annotations

import errno
import os
import sys
from collections.abc import Iterable
from pathlib import Path
from tempfile import TemporaryFile
from typing import TYPE_CHECKING, TextIO

import click

from fuselatch.core.model.json_text import json_text
from fuselatch.core.model.visible import visible, without_passwords

if TYPE_CHECKING:
    from rich.text import Text


def say(line: object = "", err: bool = False) -> None:
    """Print one line."""
    click.echo(without_passwords(visible(str(line))), err=err)


def say_all(lines: Iterable[str], err: bool = False) -> None:
    """Print lines."""
    for line in lines:
        say(line, err)


def say_wrong(problem: object) -> None:
    """Print a problem to standard error."""
    say(f"fuselatch: {problem}", err=True)


def say_json(value: object, indent: int | None = 2) -> None:
    """Print plain data as JSON."""
    click.echo(json_text(value, indent))


def must_take(folder: Path, *names: str) -> None:
    """Create a folder if needed; raise `OSError` if it can't take files, or one of these names is a folder.

    Called before long work, so that its result isn't lost at the end.
    """
    folder.mkdir(parents=True, exist_ok=True)
    for name in names:
        if (folder / name).is_dir():
            raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), str(folder / name))
    with TemporaryFile(dir=folder):
        pass


class Out:
    """Standard output with colours, if it is a terminal."""

    def __init__(self) -> None:
        from rich.console import Console

        class Plain(Console):
            """A console that leaves a broken pipe to the command line, which ends quietly."""

            def on_broken_pipe(self) -> None:
                raise BrokenPipeError

        # COLUMNS=0 would print nothing.
        width = None if os.environ.get("COLUMNS", "1").strip("0+-. ") else 80
        self._console = Plain(highlight=False, markup=False, emoji=False, soft_wrap=True, width=width)

    def print(self, *texts: Text | str) -> None:
        """Print one line."""
        self._console.print(*map(plain, texts))


def plain(text: Text | str) -> Text | str:
    """Return a text as `visible` shows it. One with something to write out loses the styles of its parts."""
    from rich.text import Text

    shown = without_passwords(visible(str(text)))
    if isinstance(text, str):
        return shown
    return text if shown == text.plain else Text(shown, style=text.style)


def ready_streams() -> None:
    """Make the standard streams take anything: they may be closed, or of an encoding that lacks characters."""
    for name, mode in (("stdin", "r"), ("stdout", "w"), ("stderr", "w")):
        stream = getattr(sys, name)
        if stream is None:
            setattr(sys, name, open(os.devnull, mode))
        elif mode == "w" and hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")


def flush_or_drop() -> OSError | None:
    """Write what is buffered; return the error if a stream can't take it, and don't try again at the end."""
    failed = None
    for stream in (sys.stdout, sys.stderr):
        try:
            stream.flush()
        except OSError as error:
            failed = failed or error
            drop(stream)
    return failed


def drop(stream: TextIO) -> None:
    """Let a stream write nowhere, so that Python doesn't fail when it ends."""
    try:
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, stream.fileno())
        os.close(nowhere)
    except (OSError, ValueError):
        pass
