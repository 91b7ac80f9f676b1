"""Exit codes."""

from __future__ import annotations

from enum import IntEnum


class Exit(IntEnum):
    """What the command line ends with."""

    OK = 0
    """All went well."""
    FAILED = 1
    """An expectation failed, or a step can't be done."""
    UNREADABLE = 2
    """A wrong call, an unknown verb, or what can't be read or imported."""
