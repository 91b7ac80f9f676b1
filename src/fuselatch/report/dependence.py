"""The dependencies in a form: as edges, in Graphviz DOT, and as a figure."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.kinds.lines import Lines
from fuselatch.core.model.cells import Derived
from fuselatch.report.anatomy import Anatomy, anatomy, read_by
from fuselatch.report.figures import INK, QUIET, WIDTH, new_figure
from fuselatch.report.needed import must_have

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure
    from matplotlib.text import Text
    from matplotlib.transforms import Bbox

SHAPES: Final = {"control": "box", "handler": "ellipse", "prompt": "note", "dialog": "component", "form": "folder"}
"""The DOT shape of each kind of node."""
FACES: Final = {"control": "#e8f0f7", "handler": "#fdf3d8", "prompt": "#f6e3e0", "dialog": "#e4f0e4", "form": "#ececec"}
COLUMNS: Final = {"form": 0, "control": 0, "handler": 1, "prompt": 2, "dialog": 2}
LINES: Final = {"follows": ("#33658a", "solid"), "raises": (INK, "solid"), "sets": ("#8a5a00", "dashed")}
"""The colour and line of each kind of edge."""
SHARES: Final = {"raises": 0.25, "sets": 0.5, "follows": 0.5}
"""The position of an edge's label, as a share of its length."""


class Edge(NamedTuple):
    """`target` depends on `source`. `kind`: follows, raises, sets, asks or opens."""

    source: tuple[str, str]
    target: tuple[str, str]
    kind: str
    label: str


def edges(form: type[Form]) -> Iterator[Edge]:
    """Yield the edges between a form's parts; a part is a kind and a name."""
    plan = plan_of(form)
    yield from followed(plan, form)
    for path, control in plan.controls.items():
        if isinstance(control.decl, Lines):
            line = control.decl.line
            for edge in followed(plan_of(line), line):
                source, target = ((kind, f"{path}[].{name}") for kind, name in (edge.source, edge.target))
                yield Edge(source, target, edge.kind, edge.label)
    for handler in anatomy(form).handlers:
        node = ("handler", handler.name)
        for heard in handler.events:
            owner, _, event = heard.rpartition(".")
            yield Edge(source_of(owner, plan), node, "raises", event.removeprefix("form: "))
        for what in handler.sets:
            path, _, prop = what.rpartition(".")
            yield Edge(node, ("control", path), "sets", prop)
        yield from (Edge(node, ("prompt", name), "asks", "") for name in handler.asks)
        yield from (Edge(node, ("dialog", name), "opens", "") for name in handler.opens)


def followed(plan: FormPlan, form: type) -> Iterator[Edge]:
    """Yield which property depends on which control."""
    for path, control in {**plan.groups, **plan.controls}.items():
        for prop, rule in control.decl.rules.items():
            known = control.inputs.get(prop, ()) if isinstance(rule, Derived) or prop in control.inputs else None
            for source in known if known is not None else read_by(rule, plan, form) if callable(rule) else ():
                if source != path:
                    yield Edge(("control", source), ("control", path), "follows", prop)
        for check in control.checks:
            for source in check.controls:
                if source != check.at:
                    yield Edge(("control", source), ("control", check.at), "follows", check.name)


def source_of(owner: str, plan: FormPlan) -> tuple[str, str]:
    """Return what raises an event: a control, the form, or another form."""
    if not owner:
        return "form", plan.name
    return ("control", owner) if plan.placed(owner) or "[]" in owner else ("dialog", owner)


def dot(form: type[Form]) -> str:
    """Return the graph in Graphviz DOT."""
    all_edges = list(edges(form))
    nodes = dict.fromkeys(
        [("control", path) for path in plan_of(form).controls] + [end for edge in all_edges for end in edge[:2]]
    )
    lines = [f"digraph {quoted(form.__name__)} {{", "  rankdir=LR;"]
    lines += [f"  {quoted(name)} [shape={SHAPES[kind]}];" for kind, name in nodes]
    for edge in all_edges:
        more = ", style=dashed" if edge.kind == "sets" else ""
        label = edge.label or edge.kind
        lines.append(f"  {quoted(edge.source[1])} -> {quoted(edge.target[1])} [label={quoted(label)}{more}];")
    return "\n".join([*lines, "}", ""])


def quoted(name: str) -> str:
    """Return a name as DOT text."""
    escaped = name.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'


def dependence_figure(form: type[Form]) -> Figure:
    """Return the graph as a figure: controls, then handlers, then prompts and dialogs."""
    must_have("drawing", "pictures", "matplotlib")
    parts = anatomy(form)
    all_edges = list(edges(form))
    places = placed(parts, all_edges)
    tall = max((sum(COLUMNS[kind] == column for kind, _ in places) for column in range(3)), default=1)
    height = max(4.0, 1.4 + 0.5 * tall)
    figure = new_figure(WIDTH, height)
    axes = figure.add_axes((0.02, 0.4 / height, 0.96, 1 - 1.0 / height))
    axes.set_axis_off()
    # Lanes at the left need room.
    count = 1 + max(
        [lane for lane, _ in lanes(within(all_edges, 0), {node: y for node, (_, y) in places.items()})], default=0
    )
    axes.set_xlim(-0.45 - 0.04 * count, 2.35)
    axes.set_ylim(-0.6, tall - 0.4)
    figure.suptitle(
        f"{parts.name}: dependencies",
        x=0.02,
        y=1 - 0.2 / height,
        ha="left",
        va="center",
        fontsize=14,
        fontweight="bold",
        color=INK,
    )
    boxes = {}
    for (kind, name), (x, y) in places.items():
        box = {"boxstyle": "round,pad=0.4", "facecolor": FACES[kind], "edgecolor": "#8795a1", "linewidth": 0.9}
        text = axes.text(x, y, name, ha="center", va="center", fontsize=10, color=INK, bbox=box, zorder=3)
        boxes[kind, name] = text
    # Arrows end at the edges of boxes, whose sizes are known only after layout.
    figure.draw_without_rendering()
    draw_edges(axes, all_edges, boxes)
    draw_legend(figure, dict.fromkeys(kind for kind, _ in places))
    note = "solid: reads, calls, asks or opens   dashed: sets   blue: a property depends on another control"
    figure.text(0.02, 0.15 / height, note, fontsize=9, color=QUIET)
    return figure


def draw_legend(figure: Figure, kinds: Iterable[str]) -> None:
    """Draw what each colour means, at the right of the title."""
    at = 0.98
    for kind in reversed([*kinds]):
        box = {"boxstyle": "round,pad=0.3", "facecolor": FACES[kind], "edgecolor": "#8795a1", "linewidth": 0.9}
        figure.text(at, 1 - 0.2 / figure.get_figheight(), kind, fontsize=9, color=INK, ha="right", va="center", bbox=box)
        at -= 0.03 + 0.0075 * len(kind)


def placed(parts: Anatomy, found: list[Edge]) -> dict[tuple[str, str], tuple[float, float]]:
    """Return the position of each part that has an edge."""
    ends = dict.fromkeys(end for edge in found for end in edge[:2])
    order = [("control", control.path) for control in parts.controls] + [("form", parts.name)]
    order += [("handler", handler.name) for handler in parts.handlers]
    order += [("prompt", prompt.name) for prompt in parts.prompts] + [("dialog", dialog.name) for dialog in parts.dialogs]
    order += [end for end in ends if end not in order]
    shown = [node for node in order if node in ends]
    columns = [[node for node in shown if COLUMNS[node[0]] == column] for column in range(3)]
    tall = max((len(column) for column in columns), default=1)
    places: dict[tuple[str, str], tuple[float, float]] = {}
    for x, column in enumerate(columns):
        for at, node in enumerate(column):
            places[node] = (float(x), tall - 1 - (at + 0.5) * tall / len(column) + 0.5 if column else 0.0)
    return places


def draw_edges(axes: Axes, found: list[Edge], boxes: Mapping[tuple[str, str], Text]) -> None:
    """Draw the edges, and their labels beside each other."""
    labels = Labels(axes, [outline(box) for box in boxes.values()])
    for column in range(3):
        draw_lanes(axes, within(found, column), boxes, labels)
    for edge in found:
        if COLUMNS[edge.source[0]] == COLUMNS[edge.target[0]]:
            continue
        color, style = LINES.get(edge.kind, LINES["raises"])
        source, target = outline(boxes[edge.source]), outline(boxes[edge.target])
        forward = source.x0 < target.x0
        # It leaves and comes in level, so that it passes none of the boxes above and below.
        start = (source.x1 if forward else source.x0, (source.y0 + source.y1) / 2 + PORT)
        end = (target.x0 if forward else target.x1, (target.y0 + target.y1) / 2 - PORT)
        pull = (end[0] - start[0]) * 0.4
        curve = [start, (start[0] + pull, start[1]), (end[0] - pull, end[1]), end]
        draw_arrow(axes, curve, [1, 4, 4, 4], color, style)
        if edge.label:
            usual = SHARES.get(edge.kind, 0.5)
            shares = sorted((at / 20 for at in range(3, 18)), key=lambda share: abs(share - usual))
            labels.place([along(curve, share) for share in shares], edge.label, color)


def draw_arrow(axes: Axes, points: list[tuple[float, float]], codes: list[int], color: str, style: str) -> None:
    """Draw an arrow along a path: pixels, and Matplotlib's codes for paths."""
    from matplotlib.patches import FancyArrowPatch
    from matplotlib.path import Path

    path = Path(axes.transData.inverted().transform(points), codes)
    how: dict[str, Any] = {"arrowstyle": "-|>", "linewidth": 1.1, "mutation_scale": 12, "zorder": 1}
    axes.add_patch(FancyArrowPatch(path=path, color=color, linestyle=style, **how))


LANE: Final = 15
"""Pixels from one lane to the next."""
PORT: Final = 4
"""Pixels by which what leaves a box is above its middle, and what comes to it below."""


def within(found: Iterable[Edge], column: int) -> list[Edge]:
    """Return the edges within a column."""
    return [edge for edge in found if COLUMNS[edge.source[0]] == column == COLUMNS[edge.target[0]]]


def lanes(found: Iterable[Edge], rows: Mapping[tuple[str, str], float]) -> list[tuple[int, list[Edge]]]:
    """Return the edges within a column by what they lead to, each with its lane: short ones are nearer to the column."""
    joined: dict[tuple[tuple[str, str], str], list[Edge]] = {}
    for edge in found:
        joined.setdefault((edge.target, edge.label), []).append(edge)

    def span(edges: list[Edge]) -> tuple[float, float]:
        ends = [rows[end] for edge in edges for end in edge[:2]]
        return min(ends), max(ends)

    taken: list[list[tuple[float, float]]] = []
    placed: list[tuple[int, list[Edge]]] = []
    for edges in sorted(joined.values(), key=lambda edges: span(edges)[1] - span(edges)[0]):
        low, high = span(edges)
        free = (at for at, spans in enumerate(taken) if all(high < one or other < low for one, other in spans))
        lane = next(free, len(taken))
        if lane == len(taken):
            taken.append([])
        taken[lane].append((low, high))
        placed.append((lane, edges))
    return placed


def draw_lanes(axes: Axes, found: list[Edge], boxes: Mapping[tuple[str, str], Text], labels: Labels) -> None:
    """Draw the edges within a column, at its left: those that lead to the same property join."""
    if not found:
        return
    column = COLUMNS[found[0].source[0]]
    sides = {node: outline(box) for node, box in boxes.items() if COLUMNS[node[0]] == column}
    left = min(side.x0 for side in sides.values())
    rows = {node: (side.y0 + side.y1) / 2 for node, side in sides.items()}
    for lane, edges in lanes(found, rows):
        color, style = LINES.get(edges[0].kind, LINES["raises"])
        x = left - (lane + 1.5) * LANE
        end = rows[edges[0].target] - PORT
        starts = [rows[edge.source] + PORT for edge in edges]
        for edge, start in zip(edges, starts, strict=True):
            points = [(sides[edge.source].x0, start), (x, start), (x, end), (sides[edge.target].x0, end)]
            draw_arrow(axes, points, [1, 2, 2, 2], color, style)
        if edges[0].label:
            low, high = min([end, *starts]), max([end, *starts])
            shares = sorted((at / 20 for at in range(2, 19)), key=lambda share: abs(share - 0.5))
            labels.place([(x, low + share * (high - low)) for share in shares], edges[0].label, color, rotation=90)


class Labels:
    """The labels of edges: each is where it overlaps no box and no other label, if there is such a place."""

    def __init__(self, axes: Axes, taken: list[Bbox]) -> None:
        self.axes = axes
        self.taken = taken

    def place(self, places: list[tuple[float, float]], label: str, color: str, rotation: float = 0) -> None:
        """Write a label at the first of some places (pixels) that is free, or else at the one that overlaps least."""
        halo = {"facecolor": "white", "edgecolor": "none", "pad": 0.8, "alpha": 0.9}
        text = self.axes.text(
            0, 0, label, fontsize=8, color=color, ha="center", va="center", bbox=halo, zorder=2, rotation=rotation
        )
        size = text.get_window_extent()
        best = min(places, key=lambda at: (self.overlap(self.moved(size, at)), places.index(at)))
        x, y = self.axes.transData.inverted().transform(best)
        text.set_position((float(x), float(y)))
        self.taken.append(self.moved(size, best))

    def moved(self, size: Bbox, at: tuple[float, float]) -> Bbox:
        """Return the outline of a label at a place."""
        from matplotlib.transforms import Bbox

        x, y = at
        return Bbox.from_bounds(x - size.width / 2 - 1, y - size.height / 2 - 1, size.width + 2, size.height + 2)

    def overlap(self, one: Bbox) -> float:
        """Return how many square pixels are taken."""
        from matplotlib.transforms import Bbox

        shared = (Bbox.intersection(one, other) for other in self.taken)
        return sum(each.width * each.height for each in shared if each is not None)


def outline(box: Text) -> Bbox:
    """Return the outline of a box in pixels."""
    edge = box.get_bbox_patch()
    return edge.get_window_extent() if edge is not None else box.get_window_extent()


def along(curve: list[tuple[float, float]], share: float) -> tuple[float, float]:
    """Return the point of a cubic Bézier curve at a share of its parameter, from its four points."""
    rest = 1 - share
    weights = (rest**3, 3 * rest**2 * share, 3 * rest * share**2, share**3)
    x, y = (sum(weight * point[way] for weight, point in zip(weights, curve, strict=True)) for way in (0, 1))
    return x, y
