"""Exploring, against feeding the same gestures plainly; and how soon planted faults are found."""

from __future__ import annotations

import sys
from pathlib import Path
from time import perf_counter
from typing import Any, ClassVar

from common import HEADING, to_reach

from fuselatch.exploring import world
from fuselatch.exploring.search import Search
from fuselatch.exploring.world import load_start

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "examples"), str(ROOT)]

GESTURES = 10_000
SEEDS = 10


class Noted(world.World):
    """A world whose acts are kept."""

    kept: ClassVar[list[list[world.Act]]] = []

    def __init__(self, *given: Any) -> None:
        super().__init__(*given)
        self.acts: list[world.Act] = []
        self.kept.append(self.acts)

    def do(self, act: world.Act) -> None:
        self.acts.append(act)
        super().do(act)


def costs(scene: Any) -> tuple[float, float, int]:
    """Return the seconds of exploring, those of feeding the same gestures plainly, and the number of states."""
    start = load_start(scene)
    Noted.kept = []
    plain, world.World = world.World, Noted  # type: ignore[misc]
    done = Search(start, "7", GESTURES, None, {}).run()
    world.World = plain  # type: ignore[misc]
    began = perf_counter()
    Search(load_start(scene), "7", GESTURES, None, {}).run()
    exploring = perf_counter() - began
    began = perf_counter()
    for acts in Noted.kept:
        opened = start.open()
        for act in acts:
            opened.attempt(act)
        opened.close()
    return exploring, perf_counter() - began, done.states


def main() -> None:
    from saltmarsh.scenes import office, quiet_monday

    from tests.exploring.planted import PLANTED, found_after

    print(HEADING)
    for scene in (quiet_monday, office):
        exploring, plainly, states = sorted(costs(scene) for _ in range(3))[1]
        each, base = exploring / GESTURES * 1e6, plainly / GESTURES * 1e6
        what = f"{scene.__name__}: a gesture explored"
        print(f"{what:<58} {each:10.2f} µs {base:10.2f} µs {each / base:8.1f}x  {to_reach(each / base, 2.5, 'x')}")
        print(f"  {GESTURES / exploring:,.0f} gestures and {states / exploring:,.0f} new states a second")
    for form, (key, by_hand) in PLANTED.items():
        found = [found_after(form, key, seed) for seed in range(SEEDS)]
        known = [each for each in found if each is not None]
        after = max((gestures for gestures, _ in known), default=0)
        steps = max((length for _, length in known), default=0)
        told = to_reach(len(known), 9, at_least=True)
        print(
            f"{key}: with {len(known)} of {SEEDS} seeds {told}, within {after:,} gestures; "
            f"at most {steps} steps, {by_hand} by hand"
        )


if __name__ == "__main__":
    main()
