"""What went wrong, on one line."""

from __future__ import annotations

import sys
from typing import NoReturn

import click

from fuselatch.cli.exits import Exit


def end(error: BaseException) -> NoReturn:
    """Tell what can't be read, written or imported, and end with exit code 2."""
    click.echo(f"fuselatch: {problem(error)}", err=True)
    sys.exit(Exit.UNREADABLE)


def problem(error: BaseException) -> str:
    """An error in words; of the system's, what can't be done with which file."""
    if isinstance(error, OSError) and error.filename:
        return f"{error.filename}: {error.strerror}"
    return str(error)
