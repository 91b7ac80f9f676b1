"""A progress bar for commands that run for more than a second in a terminal."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from time import monotonic
from typing import Final, TypeVar

T = TypeVar("T")
PATIENCE: Final = 1.0
"""Seconds before the bar appears."""


def with_progress(items: Sequence[T], what: str, wanted: bool = True) -> Iterator[T]:
    """Yield the items, and show a bar on standard error if that takes long."""
    from rich.console import Console
    from rich.progress import Progress

    out = Console(stderr=True)
    if not (wanted and out.is_terminal):
        yield from items
        return
    start = monotonic()
    bar = Progress(console=out, transient=True)
    task = bar.add_task(what, total=len(items))
    shown = False
    try:
        for done, item in enumerate(items):
            if not shown and monotonic() - start > PATIENCE:
                bar.start()
                shown = True
            bar.update(task, completed=done)
            yield item
    finally:
        if shown:
            bar.stop()
