"""Exit codes."""

from __future__ import annotations

from enum import IntEnum


class Exit(IntEnum):
    """The exit codes of all commands."""

    OK = 0
    """Success."""
    FAILED = 1
    """An expectation, check or approval failed, or a step couldn't be done."""
    UNREADABLE = 2
    """A wrong option, or a file that can't be read or imported."""
