"""Options that commands share."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from_folders = click.option(
    "--from",
    "folders",
    multiple=True,
    metavar="FOLDER",
    type=click.Path(exists=True, file_okay=False, path_type=Path),
    help="Also look for forms and scenes in this folder. Can be repeated.",
)
"""The option `--from FOLDER`, passed as `folders`: a tuple of paths."""

policy_file = click.option(
    "--policy",
    "policy",
    metavar="FILE.toml",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Apply the prompt texts and check levels in this policy file.",
)
"""The option `--policy FILE.toml`, passed as `policy`: a path or None."""


def output_file(text: str) -> Callable[[object], Any]:
    """Return the option `-o/--output FILE` with a help text. It is passed as `out`: a path or None."""
    file = click.Path(dir_okay=False, path_type=Path)
    return click.option("-o", "--output", "out", metavar="FILE", type=file, help=text)
