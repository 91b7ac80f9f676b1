"""Errors as one line."""

from __future__ import annotations

import os
import sys
from typing import NoReturn

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.out import say_wrong


def end(error: BaseException) -> NoReturn:
    """Print an error and exit with code 2."""
    say_wrong(problem(error))
    sys.exit(Exit.UNREADABLE)


def usage_problem(error: click.UsageError) -> str:
    """Return a wrong option or argument as one line, with what to do about it."""
    text = " ".join(error.format_message().split()).removesuffix(".")
    if isinstance(error, click.NoSuchOption):
        # Versions of click differ in the words and marks that they put here.
        text = f"no such option '{error.option_name}'"
        if error.possibilities:
            text += f"; did you mean {', '.join(map(repr, sorted(error.possibilities)))}?"
    text = text[:1].lower() + text[1:]
    own = type(error) is click.UsageError and "unexpected" not in text
    if own or "; " in text or error.ctx is None:
        return text
    command = " ".join(["fuselatch", *error.ctx.command_path.split()[-1:]]) if error.ctx.parent else "fuselatch"
    return f"{text}; try '{command} --help'"


def problem(error: BaseException) -> str:
    """Return an error as one line; a system error names its file."""
    if isinstance(error, OSError) and error.filename:
        name = os.fsdecode(error.filename) if isinstance(error.filename, bytes) else error.filename
        return f"{name}: {error.strerror}"
    return str(error)
