"""A timeline of a trace: gestures on top, and a lane for each form."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from fuselatch.core.model.names import suggest
from fuselatch.core.model.trace import KINDS, TraceEntry
from fuselatch.report.figures import INK, QUIET, new_figure

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

LANE: Final = 3.0
"""The height of a lane. Its rows are events, handlers and waits."""
ROWS: Final = {"events": 0.45, "handlers": 1.35, "waits": 2.3}
HANDLER, WAIT, EVENT = "#33658a", "#f2d5a0", "#44535f"
MOST_LABELS: Final = 60
SHORT: Final = 48


class Span(NamedTuple):
    """A part of a trace in a form's lane: from one entry to another, with a label."""

    form: str
    start: int
    end: int
    label: str


def read_trace(lines: Iterable[str], name: str) -> list[TraceEntry]:
    """Return the entries of a trace in JSON Lines; raise `ValueError` with the line."""
    entries: list[TraceEntry] = []
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        try:
            entry = json.loads(line)
        except ValueError as error:
            raise ValueError(f"{name}:{number}: not valid JSON ({error}); a trace has one JSON object per line") from None
        missing = [field for field in TraceEntry._fields if not isinstance(entry, dict) or field not in entry]
        if missing:
            raise ValueError(f"{name}:{number}: not a trace entry; missing: {', '.join(missing)}")
        if entry["kind"] not in KINDS:
            raise ValueError(f"{name}:{number}: unknown kind '{entry['kind']}'; {suggest(str(entry['kind']), KINDS)}")
        entries.append(TraceEntry(*(entry[field] for field in TraceEntry._fields)))
    if not entries:
        raise ValueError(f"{name}: the trace is empty")
    return entries


def timeline_figure(trace: Sequence[TraceEntry], title: str) -> Figure:
    """Draw a trace from left to right. Times are shown where the clock moved."""
    forms = list(dict.fromkeys(entry.form for entry in trace if entry.form and entry.kind in ("open", "event", "handler")))
    height = max(4.5, 3.1 + 1.35 * len(forms))
    figure = new_figure(12.8, height)
    figure.text(0.015, 1 - 0.35 / height, title, fontsize=14, fontweight="bold", color=INK, parse_math=False)
    left = 0.06 + 0.0068 * max((len(form) for form in forms), default=0)
    axes = figure.add_axes((left, 0.75 / height, 0.95 - left, (height - 2.75) / height))
    axes.set_xlim(0, trace[-1].number + 1)
    axes.set_ylim(LANE * max(len(forms), 1), 0)
    for at in range(len(forms)):
        axes.axhspan(LANE * at, LANE * (at + 1), color="#f4f6f8" if at % 2 else "white", zorder=0)
        for word, y in ROWS.items():
            axes.text(
                -0.004,
                LANE * at + y,
                word,
                transform=axes.get_yaxis_transform(),
                fontsize=7.5,
                color=QUIET,
                ha="right",
                va="center",
            )
    axes.set_yticks([LANE * at + 0.45 for at in range(len(forms))], forms, fontsize=10, fontweight="bold", color=INK)
    axes.tick_params(axis="y", length=0, pad=46)
    axes.set_xlabel("trace entry", fontsize=9, color=QUIET)
    axes.tick_params(axis="x", labelsize=8, colors=QUIET)
    for spine in axes.spines.values():
        spine.set_color("#c9d2da")
    draw_gestures(axes, trace)
    draw_lanes(axes, trace, forms)
    note = "tick: event   bar: handler, up to its last effect   hatched: handler waiting for the user"
    figure.text(0.015, 0.14 / height, note, fontsize=9, color=QUIET)
    return figure


def draw_gestures(axes: Axes, trace: Sequence[TraceEntry]) -> None:
    """Draw the gestures as lines through all lanes."""
    found = list(gestures(trace))
    every = -(-len(found) // MOST_LABELS)
    before = ""
    bottom, top = axes.get_ylim()
    axes.vlines([number for number, _, _ in found], top, bottom, color="#b7c3cd", linewidth=0.8, zorder=1)
    for at, (number, label, time) in enumerate(found):
        clock = time[11:16] if time[:16] != before else ""
        before = time[:16]
        if at % every == 0 or clock:
            text = f"{clock}  {label}".strip() if clock else label
            above: dict[str, Any] = {"transform": axes.get_xaxis_transform(), "rotation": 50, "parse_math": False}
            axes.text(number, 1.02, text[:SHORT], fontsize=7.5, color=INK, ha="left", va="bottom", **above)


def gestures(trace: Sequence[TraceEntry]) -> Iterator[tuple[int, str, str]]:
    """Yield each gesture with its number and time. Keys of one typing are one."""
    typing = ""
    for entry in trace:
        if entry.kind in ("gesture", "refused"):
            verb = entry.name.partition(" ")[0]
            what = f"{verb} {entry.control}" if verb == "type" else entry.name
            if what != typing:
                yield entry.number, ("refused: " if entry.kind == "refused" else "") + what, entry.time
            typing = what if verb == "type" else ""


def draw_lanes(axes: Axes, trace: Sequence[TraceEntry], forms: Sequence[str]) -> None:
    lanes = {form: LANE * at for at, form in enumerate(forms)}
    ticks = [
        (entry.number, lanes[entry.form] + ROWS["events"])
        for entry in trace
        if entry.kind == "event" and entry.form in lanes
    ]
    xs, ys = [x for x, _ in ticks], [y for _, y in ticks]
    axes.vlines(xs, [y - 0.25 for y in ys], [y + 0.25 for y in ys], color=EVENT, linewidth=1.4, zorder=2)
    for row, spans, face, hatch in (
        ("handlers", handlers(trace), HANDLER, None),
        ("waits", waits(trace), WAIT, "////"),
    ):
        last: dict[str, float] = {}
        drawn = [span for span in spans if span.form in lanes]
        heights = [lanes[span.form] + ROWS[row] for span in drawn]
        wides = [max(span.end - span.start, 0.6) for span in drawn]
        bars: dict[str, Any] = {"height": 0.5, "color": face, "hatch": hatch, "edgecolor": INK, "linewidth": 0.5}
        axes.barh(heights, wides, left=[span.start for span in drawn], zorder=2, **bars)
        for span, y, wide in zip(drawn, heights, wides, strict=True):
            label = span.label[:SHORT]
            room = 0.0064 * trace[-1].number * len(label)
            plain: dict[str, Any] = {"fontsize": 7.5, "color": INK, "parse_math": False, "zorder": 3}
            if room < wide:
                face_of = {"facecolor": "white", "edgecolor": "none", "pad": 1}
                axes.text(span.start + wide / 2, y, label, ha="center", va="center", bbox=face_of, **plain)
            elif span.start >= last.get(span.form, -1.0):
                at_end = span.start + room > trace[-1].number
                x, align = (span.end, "right") if at_end else (span.start, "left")
                axes.text(x, y - 0.32, label, ha=align, va="bottom", **plain)
                last[span.form] = span.start + room


def handlers(trace: Sequence[TraceEntry]) -> list[Span]:
    """Return the handlers' runs, each up to its last effect."""
    ends: dict[int, int] = {}
    above: dict[int, list[int]] = {}
    for entry in trace:
        chain = list(above.get(entry.cause, ()))
        if entry.kind == "handler":
            chain.append(entry.number)
        above[entry.number] = chain
        for number in chain:
            ends[number] = entry.number
    runs = [entry for entry in trace if entry.kind == "handler"]
    return [Span(run.form, run.number, ends.get(run.number, run.number), run.name.rpartition(".")[2]) for run in runs]


def waits(trace: Sequence[TraceEntry]) -> list[Span]:
    """Return the waits: prompts until answered, dialogs until closed."""
    found: list[Span] = []
    open_prompts: list[TraceEntry] = []
    dialogs: dict[str, tuple[str, TraceEntry]] = {}
    opened_by = {entry.number: entry for entry in trace if entry.kind == "handler"}
    for entry in trace:
        if entry.kind == "prompt":
            open_prompts.append(entry)
        elif entry.kind == "answer" and open_prompts:
            asked = open_prompts.pop()
            found.append(Span(asked.form, asked.number, entry.number, f"{asked.name}: {entry.new}{took(asked, entry)}"))
        elif entry.kind == "open" and entry.cause in opened_by:
            dialogs[entry.form] = (opened_by[entry.cause].form, entry)
        elif entry.kind == "close" and entry.form in dialogs:
            opener, opened = dialogs.pop(entry.form)
            found.append(Span(opener, opened.number, entry.number, f"{entry.form}: {entry.name}{took(opened, entry)}"))
    last = trace[-1]
    found += [Span(asked.form, asked.number, last.number, f"{asked.name}: not answered") for asked in open_prompts]
    found += [Span(opener, opened.number, last.number, f"{form}: still open") for form, (opener, opened) in dialogs.items()]
    return sorted(found, key=lambda span: span.start)


def took(start: TraceEntry, end: TraceEntry) -> str:
    """Return how long something took by the session's clock."""
    if not (start.time and end.time and start.time != end.time):
        return ""
    passed = datetime.fromisoformat(end.time) - datetime.fromisoformat(start.time)
    return f" ({passed})" if passed > timedelta(0) else ""
