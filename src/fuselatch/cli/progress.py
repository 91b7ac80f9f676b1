"""A progress bar for commands that run for more than a second in a terminal."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
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


@contextmanager
def progress_bar(what: str, wanted: bool = True) -> Iterator[Callable[[int, int], None]]:
    """Give a function that is called with how much is done, and of how much; it shows a bar on standard error."""
    from rich.console import Console
    from rich.progress import Progress

    out = Console(stderr=True)
    if not (wanted and out.is_terminal):
        yield lambda done, of: None
        return
    with Progress(console=out, transient=True) as bar:
        task = bar.add_task(what, total=None)
        yield lambda done, of: bar.update(task, completed=done, total=of)
