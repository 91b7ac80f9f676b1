"""The dependencies in a form: as edges, in Graphviz DOT, and as a figure."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from fuselatch.core.forms.form import Form, plan_of
from fuselatch.core.forms.lines import Lines
from fuselatch.core.forms.plans import FormPlan
from fuselatch.core.model.cells import Derived
from fuselatch.report.anatomy import Anatomy, anatomy, read_by
from fuselatch.report.figures import INK, QUIET, WIDTH, new_figure
from fuselatch.report.needed import must_have

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure
    from matplotlib.text import Text

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


def followed(plan: FormPlan, form: type[Any]) -> Iterator[Edge]:
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
    found = list(edges(form))
    nodes = dict.fromkeys(
        [("control", path) for path in plan_of(form).controls] + [end for edge in found for end in edge[:2]]
    )
    lines = [f"digraph {quoted(form.__name__)} {{", "  rankdir=LR;"]
    lines += [f"  {quoted(name)} [shape={SHAPES[kind]}];" for kind, name in nodes]
    for edge in found:
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
    must_have("drawing", "pictures", "matplotlib", "networkx")
    import networkx as nx

    parts = anatomy(form)
    graph: Any = nx.MultiDiGraph()
    places = placed(parts, list(edges(form)))
    for edge in edges(form):
        graph.add_edge(edge.source, edge.target, kind=edge.kind, label=edge.label)
    tall = max((sum(COLUMNS[kind] == column for kind, _ in places) for column in range(3)), default=1)
    figure = new_figure(WIDTH, max(4.0, 1.4 + 0.5 * tall))
    axes = figure.add_axes((0.02, 0.06, 0.96, 0.84))
    axes.set_axis_off()
    axes.set_xlim(-0.8, 2.35)
    axes.set_ylim(-0.6, tall - 0.4)
    figure.suptitle(f"{parts.name}: dependencies", x=0.02, ha="left", fontsize=14, fontweight="bold", color=INK)
    boxes = {}
    for (kind, name), (x, y) in places.items():
        box = {"boxstyle": "round,pad=0.4", "facecolor": FACES[kind], "edgecolor": "#8795a1", "linewidth": 0.9}
        text = axes.text(x, y, name, ha="center", va="center", fontsize=10, color=INK, bbox=box, zorder=3)
        boxes[kind, name] = text
    # Arrows end at the edges of boxes, whose sizes are known only after layout.
    figure.draw_without_rendering()
    draw_edges(axes, graph, boxes)
    draw_legend(figure, dict.fromkeys(kind for kind, _ in places))
    note = "solid: reads, calls, asks or opens   dashed: sets   blue: a property depends on another control"
    figure.text(0.02, 0.02, note, fontsize=9, color=QUIET)
    return figure


def draw_legend(figure: Figure, kinds: Iterable[str]) -> None:
    """Draw what each colour means, at the right of the title."""
    at = 0.98
    for kind in reversed([*kinds]):
        box = {"boxstyle": "round,pad=0.3", "facecolor": FACES[kind], "edgecolor": "#8795a1", "linewidth": 0.9}
        figure.text(at, 0.965, kind, fontsize=9, color=INK, ha="right", va="top", bbox=box)
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


def draw_edges(axes: Axes, graph: Any, boxes: Mapping[tuple[str, str], Text]) -> None:
    for source, target, parts in graph.edges(data=True):
        color, style = LINES.get(parts["kind"], LINES["raises"])
        same = COLUMNS[source[0]] == COLUMNS[target[0]]
        start, end = boxes[source].get_position(), boxes[target].get_position()
        if same:
            start, end = (left_of(axes, boxes[source]), start[1]), (left_of(axes, boxes[target]), end[1])
        bend = -0.4 if same and start[1] > end[1] else 0.4 if same else 0.1
        arrow: dict[str, Any] = {
            "arrowstyle": "-|>",
            "color": color,
            "linestyle": style,
            "connectionstyle": f"arc3,rad={-bend}",
        }
        if not same:
            arrow |= {"patchA": boxes[source].get_bbox_patch(), "patchB": boxes[target].get_bbox_patch()}
        axes.annotate("", xy=end, xytext=start, arrowprops={**arrow, "linewidth": 1.1, "mutation_scale": 12}, zorder=1)
        if parts["label"]:
            at = along(axes, start, end, -bend, SHARES.get(parts["kind"], 0.5))
            halo = {"facecolor": "white", "edgecolor": "none", "pad": 0.8, "alpha": 0.9}
            axes.text(*at, parts["label"], fontsize=8, color=color, ha="center", va="center", bbox=halo, zorder=2)


def left_of(axes: Axes, box: Text) -> float:
    edge = box.get_bbox_patch()
    where = edge.get_window_extent() if edge is not None else box.get_window_extent()
    return float(axes.transData.inverted().transform((where.x0, where.y0))[0])


def along(
    axes: Axes, start: tuple[float, float], end: tuple[float, float], bend: float, share: float
) -> tuple[float, float]:
    """Return a point of a curve that is bent by a share of its length."""
    (x, y), (u, v) = axes.transData.transform([start, end])
    pull = ((x + u) / 2 + bend * (v - y), (y + v) / 2 - bend * (u - x))
    weights = ((1 - share) ** 2, 2 * share * (1 - share), share**2)
    point = [
        sum(weight * at for weight, at in zip(weights, each, strict=True)) for each in ((x, pull[0], u), (y, pull[1], v))
    ]
    found = axes.transData.inverted().transform(point)
    return float(found[0]), float(found[1])
