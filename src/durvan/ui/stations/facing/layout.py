"""Where everything stands on Facing's two pages: slips, rows, links and bands, as plain rectangles.

Pure geometry in pixels, so that it can be tested without painting. The source's page fans out to the left of the
gutter, the target's to the right, mirrored.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Node, Value

ROW, HEAD, GAP = 22, 26, 14
SURFACE, OUTER, CHANNEL, GUTTER = 192, 166, 30, 128
INDENT, TOP, MARGIN = 8, 18, 12
_NAME = 80  # letters of a name that are ever drawn; measuring an endless one takes seconds


@dataclass(slots=True)
class Line:
    """One parameter on a slip. `y` is its middle."""

    node: str
    parameter: str
    value: Value | None
    linked: bool
    unit: str
    y: float = 0.0
    row: Row | None = None


@dataclass(slots=True)
class Slip:
    """A node: its box, its lines from top to bottom."""

    node: Node
    side: str
    title: str
    note: str
    x: float
    y: float
    width: float
    depth: int
    lines: list[Line] = field(default_factory=list)

    @property
    def height(self) -> float:
        """Head and lines."""
        return HEAD + ROW * len(self.lines)


@dataclass(slots=True)
class Wiring:
    """A right-angled line between a parameter and the slip that feeds it."""

    points: list[tuple[float, float]]
    side: str


@dataclass(slots=True)
class Band:
    """A row over the gutter. A side that it does not reach is None."""

    row: Row
    left: float | None
    right: float | None
    main: bool = True


@dataclass(slots=True)
class Drawn:
    """Everything that is drawn."""

    slips: list[Slip] = field(default_factory=list)
    wires: list[Wiring] = field(default_factory=list)
    bands: list[Band] = field(default_factory=list)
    width: float = 0.0
    height: float = 0.0
    left_edge: float = 0.0
    right_edge: float = 0.0


def lay_out(source: Graph, target: Graph, rows: list[Row], packs: tuple[Pack | None, Pack], fate: Fate | None) -> Drawn:
    """Lay out both networks and the rows between them; with `fate`, only rows of that fate."""
    shown = [row for row in rows if fate is None or row.fate is fate]
    out = Drawn()
    half = MARGIN + OUTER + 3 * INDENT + CHANNEL + SURFACE
    out.width = 2 * half + GUTTER
    out.left_edge, out.right_edge = half, half + GUTTER
    by_source = {(row.node, row.parameter): row for row in shown if row.node}
    by_target: dict[tuple[str, str], Row] = {}
    for row in shown:
        for place in row.targets:
            by_target.setdefault(place, row)
    left = _page(source, packs[0], "source", by_source, out, fate)
    order = _order(rows, left)
    right = _page(target, packs[1], "target", by_target, out, fate, order)
    _bands(shown, left, right, out)
    out.height = max((slip.y + slip.height for slip in out.slips), default=0.0) + TOP
    return out


def _order(rows: list[Row], left: dict[str, Slip]) -> dict[tuple[str, str], float]:
    """Target parameters in the order of the source's lines, so that bands run side by side and seldom cross."""
    heights = {(slip.node.id, line.parameter): line.y for slip in left.values() for line in slip.lines}
    out: dict[tuple[str, str], float] = {}
    for row in rows:
        y = heights.get((row.node, row.parameter), 1e9)
        for place in row.targets:
            out[place] = min(out.get(place, 1e9), y)
    return out


def _root(graph: Graph) -> str:
    for link in graph.outputs.values():
        if link.node in graph.nodes:
            return link.node
    return next(iter(graph.nodes), "")


def _page(
    graph: Graph, pack: Pack | None, side: str, rows: dict[tuple[str, str], Row], out: Drawn, fate: Fate | None,
    order: dict[tuple[str, str], float] | None = None,
) -> dict[str, Slip]:  # fmt: skip
    slips: dict[str, Slip] = {}
    root = _root(graph)
    if not root:
        return slips
    first = _slip(graph.nodes[root], pack, side, 0, rows, fate, order)
    first.x = out.left_edge - SURFACE if side == "source" else out.right_edge
    first.y, first.width = TOP, SURFACE
    slips[root] = first
    y = float(TOP)
    feeds: list[tuple[str, str, str]] = []
    for name, depth, parent, port in _walk(graph, root):
        if name not in slips:
            slip = _slip(graph.nodes[name], pack, side, depth, rows, fate, order)
            inset = MARGIN + INDENT * max(3 - depth, 0)
            slip.width = OUTER
            slip.x = inset if side == "source" else out.width - inset - OUTER
            slip.y = y
            y += slip.height + GAP
            slips[name] = slip
        feeds.append((parent, port, name))
    for slip in slips.values():
        for number, line in enumerate(slip.lines):
            line.y = slip.y + HEAD + ROW * number + ROW / 2
    for number, (parent, port, name) in enumerate(feeds):
        out.wires.append(_wire(slips[parent], port, slips[name], side, number))
    out.slips.extend(slips.values())
    return slips


def _walk(graph: Graph, root: str) -> list[tuple[str, int, str, str]]:
    """Upstream nodes, deep first, each with its depth, its consumer and the port that it feeds; unused ones last."""
    out: list[tuple[str, int, str, str]] = []
    seen = {root}
    stack = [(link.node, 1, root, port) for port, link in reversed(graph.nodes[root].links.items())]
    while stack:
        name, depth, parent, port = stack.pop()
        if name not in graph.nodes:
            continue
        out.append((name, depth, parent, port))
        if name in seen:
            continue
        seen.add(name)
        stack.extend((link.node, depth + 1, name, p) for p, link in reversed(graph.nodes[name].links.items()))
    return out


def _slip(
    node: Node, pack: Pack | None, side: str, depth: int, rows: dict[tuple[str, str], Row], fate: Fate | None,
    order: dict[tuple[str, str], float] | None,
) -> Slip:  # fmt: skip
    kind = pack.type(node.kind) if pack is not None else None
    title = node.kind.rpartition(".")[2][:_NAME]
    slip = Slip(node, side, title, node.id.rpartition("/")[2][:_NAME], 0.0, 0.0, OUTER, min(depth, 3))
    ports = (
        sorted(node.ports(), key=lambda port: order.get((node.id, port), 1e9))
        if order is not None
        else list(node.ports())
    )
    if order is None and kind is not None:
        ranks = {name: number for number, name in enumerate(kind.parameters)}
        ports.sort(key=lambda port: ranks.get(port, 10_000))
    for port in ports:
        row = rows.get((node.id, port))
        if fate is not None and row is None:
            continue
        parameter = kind.parameters.get(port) if kind is not None else None
        slip.lines.append(
            Line(
                node.id,
                port,
                node.values.get(port),
                port in node.links,
                parameter.unit if parameter else "",
                0.0,
                row,
            )
        )
    return slip


def _wire(consumer: Slip, port: str, feeder: Slip, side: str, number: int) -> Wiring:
    line = next((line for line in consumer.lines if line.parameter == port), None)
    start = line.y if line is not None else consumer.y + HEAD / 2
    end = feeder.y + HEAD / 2
    if consumer.depth == 0:
        channel = 8 + (number * 5) % (CHANNEL - 14)
        if side == "source":
            x0, x1 = consumer.x, feeder.x + feeder.width
            middle = x0 - channel
        else:
            x0, x1 = consumer.x + consumer.width, feeder.x
            middle = x0 + channel
        return Wiring([(x0, start), (middle, start), (middle, end), (x1, end)], side)
    if side == "source":
        x0, x1 = consumer.x + consumer.width, feeder.x + feeder.width
        middle = max(x0, x1) + 6
    else:
        x0, x1 = consumer.x, feeder.x
        middle = min(x0, x1) - 6
    return Wiring([(x0, start), (middle, start), (middle, end), (x1, end)], side)


def _bands(rows: list[Row], left: dict[str, Slip], right: dict[str, Slip], out: Drawn) -> None:
    near_left = {name: slip for name, slip in left.items() if slip.depth == 0}
    near_right = {name: slip for name, slip in right.items() if slip.depth == 0}
    taken: set[tuple[str, str]] = set()
    for row in rows:
        start = _line_y(near_left, row.node, row.parameter) if row.node else None
        ends = [(node, name) for node, name in row.targets if node in near_right]
        if start is None and not (ends and not row.node):
            continue
        if not ends:
            out.bands.append(Band(row, start, None))
        # A value that several others over there come from has one line of its own; the rest show when it is chosen.
        first = next((place for place in ends if place not in taken), ends[0] if ends else None)
        for place in ends:
            out.bands.append(Band(row, start, _line_y(near_right, *place), place == first))
        if first is not None:
            taken.add(first)


def _line_y(slips: dict[str, Slip], node: str, parameter: str) -> float | None:
    slip = slips.get(node)
    line = next((line for line in slip.lines if line.parameter == parameter), None) if slip else None
    return line.y if line is not None else None
