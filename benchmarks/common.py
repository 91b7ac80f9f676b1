"""What the benchmarks share: timing in turn with a baseline, and printing ratios."""

from __future__ import annotations

import gc
from collections.abc import Callable
from time import perf_counter
from typing import NamedTuple

from fuselatch.cli import core_is

ROUNDS = 60
"""Many short rounds: on a machine with noisy neighbours the best of them is what repeats."""

HEADING = f"{f'measure (the core is {core_is()})':<58} {'ours':>12}   {'baseline':>11}    ratio"


class Measure(NamedTuple):
    """A call to time, how often in a round, and how many of what is measured one call is."""

    call: Callable[[], object]
    times: int
    each: float = 1


def in_turn(*measures: Measure) -> list[float]:
    """Microseconds of each: the best of many rounds, in which they take turns, so that all meet the machine at its best."""
    found = [float("inf")] * len(measures)
    gc.collect()
    gc.disable()
    try:
        for _ in range(ROUNDS):
            for place, (call, times, _) in enumerate(measures):
                start = perf_counter()
                for _ in range(times):
                    call()
                found[place] = min(found[place], perf_counter() - start)
    finally:
        gc.enable()
    return [took / measure.times / measure.each * 1e6 for took, measure in zip(found, measures, strict=True)]


def best(function: Callable[[], object], times: int) -> float:
    """Microseconds for one call: the best of many rounds of a fifth of `times` calls."""
    return in_turn(Measure(function, max(1, times // 5)))[0]


def ratio(what: str, ours: float, base: float, reach: float | None) -> bool:
    """Print one line: microseconds, the baseline's, the ratio, and whether it is in reach; gives that."""
    found = ours / base
    good = reach is None or found <= reach
    wanted = "" if reach is None else f"  (to reach: {reach:g}x){'' if good else '  MISSED'}"
    print(f"{what:<58} {ours:9.2f} µs   {base:8.3f} µs   {found:6.1f}x{wanted}")
    return good


def compare(what: str, ours: Measure, base: Measure, reach: float | None) -> bool:
    """Time two things in turn, and print that line."""
    return ratio(what, *in_turn(ours, base), reach)
