"""What stands on Facing's two pages: slips, lines, links and bands, as plain places.

Pure geometry in points, so that it can be tested without painting. Both pages go outward from the gutter: `u` is how far out
something is, whichever side it is on; `y` goes down and is the same for both.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Node, Value
from durvan.scene.vocabulary import NodeType
from durvan.ui.stations.facing.arrange import STRAIGHT, Arranged, Box, arrange
from durvan.ui.stations.facing.folding import Folds, Shown, shown

ROW, HEAD, FOOT = 22, 26, 44
SURFACE, OUTER, GUTTER = 196, 184, 124
TOP, MARGIN = 18, 14
CHANNEL, TURN, TRACK = 30, 12, 5  # between columns: at least, before the first track, and from one to the next
BRACKET = 6  # how far the line of a stacked chain stands out
_NOT_SET = ("surface", "normal")  # what only a link can give
_NAME = 80  # letters of a name that are ever drawn; measuring an endless one takes seconds

Place = tuple[str, str]  # a node and one of its parameters


@dataclass(slots=True, eq=False)
class Line:
    """One parameter on a slip. `y` is its middle; at its `default` nothing was said of it."""

    node: str
    parameter: str
    value: Value | None
    linked: bool
    unit: str
    y: float = 0.0
    row: Row | None = None
    default: bool = False


@dataclass(slots=True, eq=False)
class Slip:
    """A node: its box, its lines from top to bottom. `hidden` is how many nodes are folded into it; it can be folded if it `folds`.
    `more` values are at their defaults, `listed` or not."""

    node: Node
    side: str
    title: str
    note: str
    column: int = 0
    u: float = 0.0
    y: float = 0.0
    width: float = OUTER
    foot: float = 0.0
    hidden: int = 0
    folds: bool = False
    more: int = 0
    listed: bool = False
    pictured: bool = False
    lines: list[Line] = field(default_factory=list)

    @property
    def height(self) -> float:
        """Head, lines, and room for a picture."""
        return HEAD + ROW * len(self.lines) + self.foot


@dataclass(slots=True, eq=False)
class Page:
    """One side: its slips by node, its links as right-angled lines of (u, y), and how far out it goes."""

    side: str
    slips: dict[str, Slip] = field(default_factory=dict)
    wires: list[list[tuple[float, float]]] = field(default_factory=list)
    columns: list[float] = field(default_factory=list)
    extent: float = 0.0
    crossings: int = 0

    def lines(self) -> Iterator[tuple[Slip, Line]]:
        """Every line, slip by slip."""
        return ((slip, line) for slip in self.slips.values() for line in slip.lines)

    def line(self, node: str, parameter: str) -> tuple[Slip, Line] | None:
        """A line by its place."""
        slip = self.slips.get(node)
        return next(((slip, line) for line in slip.lines if line.parameter == parameter), None) if slip else None


@dataclass(slots=True, eq=False)
class Band:
    """A row over the gutter: where it starts and ends, as slip and line. A side that it does not reach is None."""

    row: Row
    left: tuple[Slip, Line] | None
    right: tuple[Slip, Line] | None
    main: bool = True


@dataclass(slots=True, eq=False)
class Drawn:
    """Everything that is drawn."""

    source: Page = field(default_factory=lambda: Page("source"))
    target: Page = field(default_factory=lambda: Page("target"))
    bands: list[Band] = field(default_factory=list)
    height: float = 0.0

    @property
    def pages(self) -> tuple[Page, Page]:
        """Both sides."""
        return self.source, self.target

    @property
    def slips(self) -> list[Slip]:
        """Those of both sides, the source's first."""
        return [*self.source.slips.values(), *self.target.slips.values()]

    @property
    def extent(self) -> float:
        """How far out the farther page goes."""
        return max(page.extent for page in self.pages)


def lay_out(
    source: Graph, target: Graph, rows: list[Row], packs: tuple[Pack | None, Pack], fate: Fate | None = None,
    folds: Folds | None = None, pictured: bool = False,
) -> Drawn:  # fmt: skip
    """Lay out both networks and the rows between them; with `fate`, only rows of that fate. `folds` are the nodes of each side into
    which what feeds them is folded; where networks are `pictured`, slips have room for a picture of what they give.
    """
    folds = folds or Folds.of(source, target)
    left_rows = {(row.node, row.parameter): row for row in rows if row.node and (fate is None or row.fate is fate)}
    right_rows: dict[Place, Row] = {}
    for row in rows:
        for place in row.targets if fate is None or row.fate is fate else ():
            right_rows.setdefault(place, row)
    left = _Maker(packs[0], "source", left_rows, fate, pictured, folds.listed).page(shown(source, folds.source))
    order = _order(rows, left)
    made = _Maker(packs[1], "target", right_rows, fate, pictured, folds.listed, order)
    right = made.page(shown(target, folds.target))
    out = Drawn(left, right, _bands([row for row in rows if fate is None or row.fate is fate], left, right))
    out.height = max((slip.y + slip.height for slip in out.slips), default=0.0) + TOP
    return out


def _order(rows: list[Row], left: Page) -> dict[Place, float]:
    """Target parameters in the order of the source's lines, so that bands run side by side and seldom cross."""
    heights = {(slip.node.id, line.parameter): line.y for slip, line in left.lines()}
    out: dict[Place, float] = {}
    for row in rows:
        y = heights.get((row.node, row.parameter), 1e9)
        for place in row.targets:
            out[place] = min(out.get(place, 1e9), y)
    return out


@dataclass
class _Maker:
    """Makes one page."""

    pack: Pack | None
    side: str
    rows: Mapping[Place, Row]
    fate: Fate | None
    pictured: bool
    listed: frozenset[tuple[str, str]] = frozenset()
    order: Mapping[Place, float] | None = None

    def page(self, what: Shown) -> Page:
        """The page of a network, or of what is shown of it."""
        out = Page(self.side)
        for name in what.nodes:
            slip = out.slips[name] = self._slip(what.graph.nodes[name], name in what.unused)
            slip.hidden, slip.folds = what.hidden.get(name, 0), name in what.foldable
            slip.pictured = self.pictured and name not in what.roots
            slip.foot = FOOT if slip.pictured else ROW if slip.more else 0.0
        boxes = {name: self._box(slip, what) for name, slip in out.slips.items()}
        arranged = arrange(boxes, what.roots, TOP)
        out.crossings = arranged.crossings
        _place(out, arranged, what.roots)
        for name, box in boxes.items():
            for number, (below, feeder) in enumerate(box.ports):
                if feeder in boxes:
                    out.wires.append(_wire(out, arranged, name, number, below, feeder))
        return out

    def _box(self, slip: Slip, what: Shown) -> Box:
        places = {line.parameter: HEAD + ROW * (n + 0.5) for n, line in enumerate(slip.lines)}
        links = [
            (places.get(port, HEAD / 2.0), link.node) for port, link in slip.node.links.items()
            if link.node in what.nodes and (slip.node.id, port) not in what.closing
        ]  # fmt: skip
        return Box(slip.height, HEAD / 2.0, tuple(sorted(links, key=lambda link: link[0])))

    def _slip(self, node: Node, unused: bool) -> Slip:
        kind = self.pack.type(node.kind) if self.pack is not None else None
        note = "not used" if unused else node.id.rpartition("/")[2][:_NAME]
        slip = Slip(node, self.side, node.kind.rpartition(".")[2][:_NAME], note)
        for port in self._ports(node):
            row = self.rows.get((node.id, port))
            if self.fate is not None and row is None:
                continue
            parameter = kind.parameters.get(port) if kind is not None else None
            unit = parameter.unit if parameter else ""
            slip.lines.append(Line(node.id, port, node.values.get(port), port in node.links, unit, 0.0, row))
        self._defaults(slip, kind)
        return slip

    def _defaults(self, slip: Slip, kind: NodeType | None) -> None:
        """Count the values at their defaults, and list them where that is wanted."""
        if kind is None or self.fate is not None:
            return
        said = set(slip.node.ports())
        rest = {name: one for name, one in kind.parameters.items() if name not in said and one.type not in _NOT_SET}
        slip.more, slip.listed = len(rest), (self.side, slip.node.id) in self.listed
        if slip.listed:
            slip.lines += [
                Line(slip.node.id, name, one.default, False, one.unit, 0.0, self.rows.get((slip.node.id, name)), True)
                for name, one in rest.items()
            ]

    def _ports(self, node: Node) -> list[str]:
        """In the order of the source's lines, or of the dialect's own words."""
        order = self.order
        if order is not None:
            return sorted(node.ports(), key=lambda port: order.get((node.id, port), 1e9))
        kind = self.pack.type(node.kind) if self.pack is not None else None
        ranks = {name: number for number, name in enumerate(kind.parameters)} if kind is not None else {}
        return sorted(node.ports(), key=lambda port: ranks.get(port, 10_000))


def _place(page: Page, arranged: Arranged, roots: list[str]) -> None:
    """Put slips where they were arranged to, and columns as far out as the lines between them need."""
    near = SURFACE if roots else OUTER
    u = 0.0
    for number, tracks in enumerate(arranged.tracks):
        page.columns.append(u)
        u += (near if number == 0 else OUTER) + max(float(CHANNEL), TURN + TRACK * tracks + TURN)
    for name, slip in page.slips.items():
        slip.column, slip.y = arranged.column[name], arranged.top[name]
        slip.u, slip.width = page.columns[slip.column], near if slip.column == 0 else OUTER
        page.extent = max(page.extent, slip.u + slip.width + MARGIN)
        for number, line in enumerate(slip.lines):
            line.y = slip.y + HEAD + ROW * (number + 0.5)


def _wire(
    page: Page, arranged: Arranged, name: str, number: int, below: float, feeder: str
) -> list[tuple[float, float]]:  # fmt: skip
    """The line between a parameter and the slip that feeds it."""
    slip, other = page.slips[name], page.slips[feeder]
    runs = arranged.runs.get((name, number))
    edge = slip.u + slip.width
    if runs is None:  # one below the other
        start, end = slip.y + below, other.y + HEAD / 2.0
        return [(edge, start), (edge + BRACKET, start), (edge + BRACKET, end), (edge, end)]
    points = [(edge, runs[0].start)]
    for run in runs:
        far = page.columns[run.column] + (slip.width if run.column == slip.column else OUTER)
        if abs(run.start - run.end) >= STRAIGHT:
            turn = far + TURN + TRACK * run.track
            points += [(turn, run.start), (turn, run.end)]
        points.append((page.columns[run.column + 1], points[-1][1]))
    return points


def _bands(rows: list[Row], left: Page, right: Page) -> list[Band]:
    """A band for every row that has a line on a page; of those that end in one line, one is the main one."""
    out: list[Band] = []
    taken: set[Place] = set()
    for row in rows:
        start = left.line(row.node, row.parameter) if row.node else None
        ends = [(place, found) for place in row.targets if (found := right.line(*place)) is not None]
        if start is None and not ends:
            continue
        if not ends:
            out.append(Band(row, start, None))
            continue
        # A value that several others over there come from has one line of its own; the rest show when it is chosen.
        first = next((place for place, _ in ends if place not in taken), ends[0][0])
        out += [Band(row, start, found, place == first) for place, found in ends]
        taken.add(first)
    return out
