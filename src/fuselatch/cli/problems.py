"""Errors as one line."""

from __future__ import annotations

import os
import sys
from typing import NoReturn

from fuselatch.cli.exits import Exit
from fuselatch.cli.out import say_wrong


def end(error: BaseException) -> NoReturn:
    """Print an error and exit with code 2."""
    say_wrong(problem(error))
    sys.exit(Exit.UNREADABLE)


def problem(error: BaseException) -> str:
    """Return an error as one line; a system error names its file."""
    if isinstance(error, OSError) and error.filename:
        name = os.fsdecode(error.filename) if isinstance(error.filename, bytes) else error.filename
        return f"{name}: {error.strerror}"
    return str(error)
