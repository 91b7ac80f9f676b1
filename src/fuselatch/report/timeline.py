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
FAILED: Final = "#9b1c1c"
SHORT: Final = 48
LETTER: Final = 0.06
"""The width of a letter of a label, in inches."""
APART: Final = 0.17
"""How far apart the labels of two gestures are at least, in inches."""
USUAL, WIDEST = 12.8, 48.0


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
    # Each gesture has room for its label, up to a page that can still be opened.
    count = sum(1 for _ in gestures(trace))
    width = min(max(USUAL, APART * count + 3), WIDEST)
    figure = new_figure(width, height)
    figure.text(0.015, 1 - 0.35 / height, title, fontsize=14, fontweight="bold", color=INK, parse_math=False)
    left = (0.77 + 0.087 * max((len(form) for form in forms), default=0)) / width
    right = 1 - 0.64 / width
    axes = figure.add_axes((left, 0.75 / height, right - left, (height - 2.75) / height))
    inches = (right - left) * width
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
    per_inch = (trace[-1].number + 1) / inches
    draw_gestures(axes, trace, per_inch)
    draw_lanes(axes, trace, forms, per_inch)
    draw_failures(axes, trace, forms, per_inch)
    note = "tick: event   bar: handler, up to its last effect   hatched: handler waiting for the user or a slow call"
    if any(entry.kind in FAILURES for entry in trace):
        note += "   x: failure   red: undone"
    figure.text(0.015, 0.14 / height, note, fontsize=9, color=QUIET)
    return figure


FAILURES: Final = ("error", "fuse", "undo")


def draw_failures(axes: Axes, trace: Sequence[TraceEntry], forms: Sequence[str], per_inch: float) -> None:
    """Draw what failed, and from where on it was undone."""
    starts = {entry.number: entry for entry in trace}
    for entry in trace:
        if entry.kind == "undo":
            start = entry
            while start.cause:
                start = starts[start.cause]
            axes.axvspan(start.number, entry.number, color=FAILED, alpha=0.12, zorder=1.5, linewidth=0)
        elif entry.kind in FAILURES:
            at = forms.index(entry.form) if entry.form in forms else 0
            axes.plot([entry.number], [LANE * at + ROWS["handlers"]], "x", color=FAILED, markersize=8, zorder=4)
            label = f"{entry.name} {entry.new}"[:SHORT]
            end = entry.number + LETTER * per_inch * len(label) > trace[-1].number
            plain: dict[str, Any] = {"fontsize": 7.5, "color": FAILED, "parse_math": False, "zorder": 5}
            face = {"facecolor": "white", "edgecolor": FAILED, "pad": 1.5, "linewidth": 0.5}
            y = LANE * (at + 1) - 0.2
            axes.text(entry.number, y, label, ha="right" if end else "left", va="bottom", bbox=face, **plain)


def draw_gestures(axes: Axes, trace: Sequence[TraceEntry], per_inch: float) -> None:
    """Draw the gestures as lines through all lanes. Labels that would lie on one another are left out."""
    drawn = list(gestures(trace))
    last = -APART * per_inch
    before = ""
    bottom, top = axes.get_ylim()
    axes.vlines([number for number, _, _ in drawn], top, bottom, color="#b7c3cd", linewidth=0.8, zorder=1)
    for number, label, time in drawn:
        clock = time[11:16] if time[:16] != before else ""
        if number - last >= APART * per_inch:
            before, last = time[:16], number
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


def draw_lanes(axes: Axes, trace: Sequence[TraceEntry], forms: Sequence[str], per_inch: float) -> None:
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
            room = LETTER * per_inch * (len(label) + 2)
            plain: dict[str, Any] = {"fontsize": 7.5, "color": INK, "parse_math": False, "zorder": 3}
            if room < wide:
                face_of = {"facecolor": "white", "edgecolor": "none", "pad": 1}
                axes.text(span.start + wide / 2, y, label, ha="center", va="center", bbox=face_of, **plain)
                continue
            begins = max(0.0, min(span.start, trace[-1].number - room))
            if begins >= last.get(span.form, -1.0):
                axes.text(begins, y - 0.32, label, ha="left", va="bottom", **plain)
                last[span.form] = begins + room


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
    """Return the waits: prompts until answered, dialogs until closed, slow calls until they end."""
    spans: list[Span] = []
    open_prompts: list[TraceEntry] = []
    dialogs: dict[str, tuple[str, TraceEntry]] = {}
    calls: dict[tuple[str, str], TraceEntry] = {}
    opened_by = {entry.number: entry for entry in trace if entry.kind == "handler"}
    for entry in trace:
        if entry.kind == "prompt":
            open_prompts.append(entry)
        elif entry.kind == "answer" and open_prompts:
            asked = open_prompts.pop()
            spans.append(Span(asked.form, asked.number, entry.number, f"{asked.name}: {entry.new}{took(asked, entry)}"))
        elif entry.kind == "slow_call":
            calls[entry.form, entry.name] = entry
        elif entry.kind == "call_end" and (entry.form, entry.name) in calls:
            called = calls.pop((entry.form, entry.name))
            spans.append(Span(called.form, called.number, entry.number, f"{entry.name}: {entry.new}{took(called, entry)}"))
        elif entry.kind == "open" and entry.cause in opened_by and entry.new != "shown":
            dialogs[entry.form] = (opened_by[entry.cause].form, entry)
        elif entry.kind == "close" and entry.form in dialogs:
            opener, opened = dialogs.pop(entry.form)
            spans.append(Span(opener, opened.number, entry.number, f"{entry.form}: {entry.name}{took(opened, entry)}"))
    last = trace[-1]
    spans += [Span(asked.form, asked.number, last.number, f"{asked.name}: not answered") for asked in open_prompts]
    spans += [Span(opener, opened.number, last.number, f"{form}: still open") for form, (opener, opened) in dialogs.items()]
    spans += [Span(form, called.number, last.number, f"{name}: still waits") for (form, name), called in calls.items()]
    return sorted(spans, key=lambda span: span.start)


def took(start: TraceEntry, end: TraceEntry) -> str:
    """Return how long something took by the session's clock."""
    if not (start.time and end.time and start.time != end.time):
        return ""
    passed = datetime.fromisoformat(end.time) - datetime.fromisoformat(start.time)
    return f" ({passed})" if passed > timedelta(0) else ""
