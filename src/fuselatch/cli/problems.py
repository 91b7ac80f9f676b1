"""Errors as one line."""

from __future__ import annotations

import sys
from typing import NoReturn

import click

from fuselatch.cli.exits import Exit


def end(error: BaseException) -> NoReturn:
    """Print an error and exit with code 2."""
    click.echo(f"fuselatch: {problem(error)}", err=True)
    sys.exit(Exit.UNREADABLE)


def problem(error: BaseException) -> str:
    """Return an error as one line; a system error names its file."""
    if isinstance(error, OSError) and error.filename:
        return f"{error.filename}: {error.strerror}"
    return str(error)
