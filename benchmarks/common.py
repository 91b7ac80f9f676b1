"""What the benchmarks share: timing in turn with a baseline of the same run, and printing ratios."""

from __future__ import annotations

import gc
from collections.abc import Callable
from time import perf_counter

ROUNDS = 40
"""Many short rounds: on a machine with noisy neighbours the best of them is what repeats."""


def best(function: Callable[[], object], times: int) -> float:
    """Microseconds for one call: the best of many rounds of about `times` calls in all."""
    found = float("inf")
    times = max(1, times // 5)
    gc.collect()
    gc.disable()
    try:
        for _ in range(ROUNDS):
            start = perf_counter()
            for _ in range(times):
                function()
            found = min(found, perf_counter() - start)
    finally:
        gc.enable()
    return found / times * 1e6


def ratio(what: str, ours: float, base: float, reach: float | None) -> bool:
    """Print one line: microseconds, the baseline's, the ratio, and whether it is in reach; gives that."""
    found = ours / base
    good = reach is None or found <= reach
    wanted = "" if reach is None else f"  (to reach: {reach:g}x){'' if good else '  MISSED'}"
    print(f"{what:<58} {ours:9.2f} µs   {base:8.3f} µs   {found:6.1f}x{wanted}")
    return good
