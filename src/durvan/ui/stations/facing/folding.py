"""What is shown of a network: all of it, or with what feeds some nodes folded into them; and values at their defaults, or not."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass, field, replace

from durvan.scene.graph import Graph

OPEN = 120  # nodes that are shown without folding anything
MOST = 2000  # nodes that are ever shown at once
_UNUSED = 40  # parts that nothing uses, of which more are not shown


@dataclass(frozen=True)
class Folds:
    """The nodes of each side into which what feeds them is folded; and those, with their side, whose values at their defaults are
    listed too."""

    source: frozenset[str] = frozenset()
    target: frozenset[str] = frozenset()
    listed: frozenset[tuple[str, str]] = frozenset()

    @classmethod
    def of(cls, source: Graph, target: Graph, most: int = OPEN) -> Folds:
        """What is folded at first: nothing of small networks; of large ones what lies farthest out."""
        return cls(farthest(source, most), farthest(target, most))

    @classmethod
    def closed(cls, source: Graph, target: Graph) -> Folds:
        """All that can be folded: what feeds the nodes that feed the surfaces."""
        return cls(frozenset(_next(source)), frozenset(_next(target)))

    def side(self, side: str) -> frozenset[str]:
        """The folded nodes of a side."""
        return self.source if side == "source" else self.target

    def turned(self, side: str, node: str) -> Folds:
        """The same with one node folded or unfolded."""
        return self._with(side, self.side(side) ^ {node})

    def _with(self, side: str, folded: frozenset[str]) -> Folds:
        return Folds(folded, self.target, self.listed) if side == "source" else Folds(self.source, folded, self.listed)

    def nearer(self, graph: Graph, side: str, node: str) -> Folds:
        """The same where what comes out of a node is folded in its turn, as far as there is much of it."""
        return self._with(side, self.side(side) | _edge(graph, _reach(graph, [node], most=OPEN)))

    def opened_to(self, graph: Graph, side: str, node: str) -> Folds:
        """The same with everything unfolded that a node is folded into."""
        hiding = {name for name in self.side(side) if name != node and node in _reach(graph, [name])}
        return self._with(side, self.side(side) - hiding)

    def listing(self, side: str, node: str, on: bool | None = None) -> Folds:
        """The same with one node's values at their defaults listed, or not; None turns it round."""
        one = frozenset({(side, node)})
        wanted = not one <= self.listed if on is None else on
        return replace(self, listed=self.listed | one if wanted else self.listed - one)


@dataclass
class Shown:
    """The nodes that are shown and their roots; how many nodes are `hidden` in each that is folded, which are `foldable`, which
    links close a circle, and which roots nothing uses."""

    graph: Graph
    nodes: dict[str, None] = field(default_factory=dict)
    roots: list[str] = field(default_factory=list)
    hidden: dict[str, int] = field(default_factory=dict)
    foldable: set[str] = field(default_factory=set)
    closing: set[tuple[str, str]] = field(default_factory=set)
    unused: set[str] = field(default_factory=set)


def _reach(graph: Graph, names: Iterable[str], past: Collection[str] = (), most: int = -1) -> dict[str, None]:
    """Nodes that are come to from some, nearest first, without going on behind those in `past`; `most` of them where that is not −1."""
    found = dict.fromkeys(name for name in names if name in graph.nodes)
    waiting = list(found)
    for name in waiting:
        if len(found) == most:
            break
        if name in past:
            continue
        for link in graph.nodes[name].links.values():
            if link.node in graph.nodes and link.node not in found and len(found) != most:
                found[link.node] = None
                waiting.append(link.node)
    return found


def roots_of(graph: Graph) -> tuple[list[str], list[str]]:
    """The nodes that a network's outputs come from, and the heads of what nothing uses (of a circle, one node)."""
    used = list(dict.fromkeys(link.node for link in graph.outputs.values() if link.node in graph.nodes))
    reached = graph.reachable()
    rest = [name for name in graph.nodes if name not in reached]
    fed = {link.node for name in rest for link in graph.nodes[name].links.values()}
    loose = [name for name in rest if name not in fed]
    covered = _reach(graph, loose)
    for name in rest:
        if name not in covered:
            loose.append(name)
            covered |= _reach(graph, [name])
    return used, loose[:_UNUSED]


def farthest(graph: Graph, most: int) -> frozenset[str]:
    """The nodes behind which to fold so that no more than so many are shown: those nearest to the surface stay."""
    if len(graph.nodes) <= most:
        return frozenset()
    used, loose = roots_of(graph)
    return _edge(graph, _reach(graph, [*used, *loose], most=most))


def _edge(graph: Graph, near: Collection[str]) -> frozenset[str]:
    """The nodes among some that are fed by others than those."""
    return frozenset(
        name for name in near
        if any(link.node not in near and link.node in graph.nodes for link in graph.nodes[name].links.values())
    )  # fmt: skip


def _next(graph: Graph) -> list[str]:
    """The nodes that feed roots, and are fed themselves."""
    roots = {name for names in roots_of(graph) for name in names}
    fed = dict.fromkeys(link.node for name in roots for link in graph.nodes[name].links.values())
    return [name for name in fed if name in graph.nodes and name not in roots and graph.nodes[name].links]


def shown(graph: Graph, folded: Collection[str]) -> Shown:
    """What is shown of a network with some nodes folded; never more than `MOST` nodes."""
    used, loose = roots_of(graph)
    out = Shown(graph, roots=[*used, *loose], unused=set(loose))
    out.nodes = _reach(graph, out.roots, folded, MOST)
    out.closing = set(graph.order()[1])
    for name in out.nodes:
        feeders = [link.node for link in graph.nodes[name].links.values() if link.node in graph.nodes]
        if feeders and name not in used:
            out.foldable.add(name)
        if any(feeder not in out.nodes for feeder in feeders):
            out.hidden[name] = len(_reach(graph, feeders).keys() - out.nodes.keys())
    return out
