"""A progress bar for runs that take more than a second, on a terminal."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from time import monotonic
from typing import Final, TypeVar

T = TypeVar("T")
PATIENCE: Final = 1.0
"""After how many seconds it appears."""


def with_progress(items: Sequence[T], what: str, wanted: bool = True) -> Iterator[T]:
    """The items one by one; a bar on standard error once this takes more than a second, where that is a terminal."""
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
