"""Figures: which handlers ran, as controls by events."""

from __future__ import annotations

import warnings
from itertools import accumulate
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from fuselatch.core.model.visible import visible_lines
from fuselatch.report.behaviour import Behaviour
from fuselatch.report.needed import must_have

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

WIDTH: Final = 12.8
HEIGHT: Final = 8.0
"""The usual height in inches. At 100 dots per inch a figure is 1280x800."""
INK: Final = "#1b2733"
QUIET: Final = "#5b6b7a"
LONGEST_LABEL: Final = 300
"""The most characters of a line in a figure."""
DARK: Final = 0.55
"""The share of a colour map from which text is white."""


def new_figure(width: float = WIDTH, height: float = HEIGHT) -> Figure:
    """Return an empty figure; raise `MissingPackage` without Matplotlib."""
    must_have("drawing", "pictures", "matplotlib")
    from matplotlib.figure import Figure

    return Figure(figsize=(width, height), dpi=100, facecolor="white")


def save(figure: Figure, path: Path) -> None:
    """Write a figure as PNG, SVG or PDF. The same figure gives the same bytes."""
    import matplotlib
    from matplotlib.text import Text

    known = sorted(figure.canvas.get_supported_filetypes()) if figure.canvas is not None else []
    kind = path.suffix.lstrip(".").lower()
    if kind not in known:
        raise ValueError(f"'{path.name}': unknown picture format; end it with .png, .svg or .pdf")
    stamp: dict[str, Any] = {"svg": {"Date": None}, "pdf": {"CreationDate": None}}.get(kind, {})
    for text in figure.findobj(Text):
        # Values may hold anything: what XML can't, and what would be read as a formula.
        text.set_text("\n".join(visible_lines(text.get_text(), LONGEST_LABEL)))
        text.set_parse_math(False)
    with warnings.catch_warnings(), matplotlib.rc_context({"svg.hashsalt": "fuselatch", "svg.fonttype": "none"}):
        warnings.filterwarnings("ignore", message="Glyph .* missing from")
        figure.savefig(path, metadata=stamp or None)


def behaviour_figure(behaviour: Behaviour) -> Figure:
    """Return controls by events for each form: darker if a handler ran more often."""
    grids = {form: grid for form in behaviour.forms if (grid := handlers_of(behaviour, form))}
    rows = [sum(rows_of(grid).values()) for grid in grids.values()]
    columns = max((len({event for _, event in grid}) for grid in grids.values()), default=1)
    height = max(3.0, 1.6 + 0.42 * sum(rows) + 0.95 * len(rows))
    figure = new_figure(max(9.0, min(2.6 + 2.4 * columns, 20.0)), height)
    title = "Which handlers have run" if grids else "The opened forms have no handlers"
    figure.suptitle(title, x=0.02, y=1 - 0.28 / height, ha="left", fontsize=14, color=INK, fontweight="bold")
    most = max((times for grid in grids.values() for cell in grid.values() for _, times in cell), default=1)
    top = 1 - 1.15 / height
    for (form, grid), count in zip(grids.items(), rows, strict=True):
        tall = 0.42 * count / height
        axes = figure.add_axes((0.2, top - tall, 0.78, tall))
        top -= tall + 0.95 / height
        figure.text(0.02, top + tall + 1.25 / height, form, fontsize=11, fontweight="bold", color=INK)
        draw_grid(axes, grid, max(most, 1), columns)
    note = "Number: how often it ran. Hatched: never ran. Empty: no handler for this event."
    figure.text(0.02, 0.18 / height, note, fontsize=9, color=QUIET)
    return figure


def handlers_of(behaviour: Behaviour, form: str) -> dict[tuple[str, str], list[tuple[str, int]]]:
    """Return a form's handlers and how often each ran, by control and event."""
    grid: dict[tuple[str, str], list[tuple[str, int]]] = {}
    for tried, times in behaviour.counts.items():
        if tried.form == form and tried.kind == "handler":
            event, _, handler = tried.name.partition(" → ")
            grid.setdefault((tried.control or "(the form)", event), []).append((handler.rpartition(".")[2], times))
    return grid


def rows_of(grid: dict[tuple[str, str], list[tuple[str, int]]]) -> dict[str, int]:
    """Return how many rows each control has: one for each handler of one event."""
    rows: dict[str, int] = {}
    for (control, _), cell in grid.items():
        rows[control] = max(rows.get(control, 1), len(cell))
    return rows


def draw_grid(axes: Axes, grid: dict[tuple[str, str], list[tuple[str, int]]], most: int, columns: int) -> None:
    import matplotlib
    from matplotlib.patches import Rectangle

    rows = rows_of(grid)
    tops = dict(zip(rows, accumulate(rows.values(), initial=0), strict=False))
    events = list(dict.fromkeys(event for _, event in grid))
    shades = matplotlib.colormaps["Blues"]
    for (control, event), cell in grid.items():
        left, tall = events.index(event), rows[control] / len(cell)
        for at, (handler, times) in enumerate(cell):
            share = 0.15 + 0.85 * times / most
            top = tops[control] + at * tall
            face = shades(share) if times else "white"
            hatch = None if times else "////"
            axes.add_patch(Rectangle((left, top), 1, tall, facecolor=face, edgecolor="#9aa7b2", hatch=hatch, linewidth=0.8))
            ink = "white" if times and share > DARK else INK
            box = None if times else {"facecolor": "white", "edgecolor": "none", "pad": 1.5}
            axes.text(
                left + 0.5, top + tall / 2, f"{handler}  {times}", ha="center", va="center", fontsize=9, color=ink, bbox=box
            )
    axes.set_xlim(0, columns)
    axes.set_ylim(sum(rows.values()), 0)
    axes.set_xticks([at + 0.5 for at in range(len(events))], events, fontsize=9, color=INK)
    axes.set_yticks([tops[control] + many / 2 for control, many in rows.items()], [*rows], fontsize=9, color=INK)
    axes.xaxis.tick_top()
    axes.tick_params(length=0)
    axes.set_frame_on(False)
    for line in (*tops.values(), sum(rows.values())):
        axes.axhline(line, color="#dde3e8", linewidth=0.8, zorder=0)
