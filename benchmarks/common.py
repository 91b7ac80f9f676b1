"""Shared by the benchmarks: timing in turn with a baseline, and printing ratios."""

from __future__ import annotations

import gc
from collections.abc import Callable
from statistics import median
from time import perf_counter
from typing import NamedTuple

from fuselatch.cli import core_is

ROUNDS = 60
"""Many short rounds, because on a noisy machine only the best one repeats."""

HEADING = f"{f'measure ({core_is()} core)':<58} {'ours':>12}   {'baseline':>11}    ratio"


class Measure(NamedTuple):
    """A call to time, its number per round, and the number of operations per call."""

    call: Callable[[], object]
    times: int
    each: float = 1


def rounds(*measures: Measure) -> list[list[float]]:
    """Return microseconds per round for each call. The calls alternate, so that all meet the same machine."""
    found: list[list[float]] = [[] for _ in measures]
    gc.collect()
    gc.disable()
    try:
        for _ in range(ROUNDS):
            for took, (call, times, each) in zip(found, measures, strict=True):
                start = perf_counter()
                for _ in range(times):
                    call()
                took.append((perf_counter() - start) / times / each * 1e6)
    finally:
        gc.enable()
    return found


def in_turn(*measures: Measure) -> list[float]:
    """Return each call's microseconds in its best round."""
    return [min(took) for took in rounds(*measures)]


def best(function: Callable[[], object], times: int) -> float:
    """Return microseconds per call: the best of many rounds of a fifth of `times` calls."""
    return in_turn(Measure(function, max(1, times // 5)))[0]


def to_reach(found: float, limit: float, unit: str = "", at_least: bool = False) -> str:
    """Return what was to be reached, and MISSED if it wasn't."""
    good = found >= limit if at_least else found <= limit
    return f"(to reach: {limit:,g}{unit}){'' if good else '  MISSED'}"


def ratio(what: str, ours: float, base: float, reach: float | None, found: float | None = None) -> bool:
    """Print microseconds, the baseline's, the ratio (or `found`) and the verdict; return True if it is in reach."""
    found = ours / base if found is None else found
    good = reach is None or found <= reach
    wanted = "" if reach is None else f"  {to_reach(found, reach, 'x')}"
    print(f"{what:<58} {ours:9.2f} µs   {base:8.3f} µs   {found:6.1f}x{wanted}")
    return good


def compare(what: str, ours: Measure, base: Measure, reach: float | None) -> bool:
    """Print that line for two alternating calls: their best rounds, and the median of the rounds' ratios.

    A machine may change its speed between two rounds, but seldom within one.
    """
    mine, others = rounds(ours, base)
    return ratio(what, min(mine), min(others), reach, median(one / other for one, other in zip(mine, others, strict=True)))
