"""Parts of a network that end in one node: what feeds them, what they depend on, and themselves as a network of their own."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import islice

from durvan.scene.graph import Graph, Link, Node
from durvan.scene.vocabulary import common_ground

VIEW = {
    "facingratio": 0.75,
    "ambientocclusion": 1.0,
}  # what depends on the view or on what stands about, and what is painted of it
IN_SPACE = ("noise3d", "noise3d_color", "fractal3d", "fractal3d_color", "cellnoise3d", "worleynoise3d")
PLACED = ("position", *IN_SPACE)
VARYING = (
    "image", "ramplr", "ramptb", "ramp4", "splitlr", "splittb", "checkerboard", "position", "geompropvalue", "geompropvalue_color3",
    "noise2d", "noise2d_color", "fractal2d", "fractal2d_color", "cellnoise2d", "worleynoise2d", *IN_SPACE,
)  # fmt: skip
REPEATS = 4.0  # how often a picture is repeated within one at most


class Flow:
    """What feeds what in a network, looked up once: asking node by node would take the square of their number.

    Nodes that come later are taken in as soon as something is asked. Where nodes have gone, or links of old ones lead elsewhere,
    a new one is needed; who only lost a reader is told right.
    """

    def __init__(self, graph: Graph) -> None:
        self.graph = graph
        self._feeds: dict[str, list[tuple[str, str]]] = {}
        self._known = 0
        self._reached: dict[frozenset[str], set[str]] = {}
        self._kinds: dict[tuple[str, ...], set[str]] = {}

    def readers(self, name: str) -> list[tuple[Node, str]]:
        """The nodes and ports that a node feeds now."""
        self._catch_up()
        nodes = self.graph.nodes
        found = [(nodes[other], port) for other, port in self._feeds.get(name, ()) if other in nodes]
        return [(node, port) for node, port in found if port in node.links and node.links[port].node == name]

    @property
    def varying(self) -> set[str]:
        """The nodes that differ from place to place of a surface."""
        return self.of(VARYING)

    @property
    def placed(self) -> set[str]:
        """The nodes that depend on places."""
        return self.of(PLACED)

    def of(self, kinds: tuple[str, ...]) -> set[str]:
        """The nodes of some categories, and all that they feed; what was of one of them when it was first asked for stays."""
        self._catch_up()
        found = self._kinds.get(kinds)
        if found is None:
            found = self._kinds[kinds] = self._spread(
                node.id for node in self.graph.nodes.values() if node.kind in kinds
            )
        return found

    def downstream(self, names: Iterable[str]) -> set[str]:
        """Some nodes, and all that they feed."""
        self._catch_up()
        starts = frozenset(names)
        found = self._reached.get(starts)
        if found is None:
            found = self._reached[starts] = self._spread(starts)
        return found

    def _spread(self, names: Iterable[str]) -> set[str]:
        waiting = list(names)
        found = set(waiting)
        while waiting:
            for other, _ in self._feeds.get(waiting.pop(), ()):
                if other not in found:
                    found.add(other)
                    waiting.append(other)
        return found

    def _catch_up(self) -> None:
        """Take in the nodes that have come since, into every answer that was given."""
        nodes = self.graph.nodes
        if len(nodes) == self._known:
            return
        fresh = list(islice(nodes.values(), self._known, None))
        self._known = len(nodes)
        for node in fresh:
            for port, link in node.links.items():
                self._feeds.setdefault(link.node, []).append((node.id, port))
        for kinds, found in self._kinds.items():
            self._extend(found, fresh, kinds)
        for found in self._reached.values():
            self._extend(found, fresh)

    def _extend(self, found: set[str], fresh: list[Node], kinds: tuple[str, ...] = ()) -> None:
        for node in fresh:
            if node.id not in found and (node.kind in kinds or any(one.node in found for one in node.links.values())):
                found |= self._spread([node.id])


class Part:
    """A node and all that feeds it."""

    def __init__(self, flow: Flow, name: str) -> None:
        self.flow, self.graph, self.name = flow, flow.graph, name
        graph = self.graph
        self.names = Graph(graph.nodes, {"": Link(name)}).reachable()

    def nodes(self) -> list[Node]:
        """All of them."""
        return [self.graph.nodes[name] for name in sorted(self.names)]

    def has(self, kinds: tuple[str, ...]) -> bool:
        """Whether it has a node of some category."""
        return any(node.kind in kinds for node in self.nodes())

    def alone(self, name: str) -> bool:
        """Whether a node of it feeds nothing else."""
        return name == self.name or all(other.id in self.names for other, _ in self.flow.readers(name))

    def _placed(self) -> list[tuple[Node, str]]:
        return [
            (node, port)
            for node in self.nodes()
            for port, parameter in common_ground().types[node.kind].parameters.items()
            if port == "texcoord" and node.kind not in ("place2d", "geompropvalue") and parameter.type == "vector2"
        ]

    def shared_place(self) -> Link | None:
        """The placement that everything in it has, which then stays outside the picture; None where there is none, or several."""
        links = [node.links.get(port) for node, port in self._placed()]
        first = links[0] if links else None
        if first is None or any(link != first for link in links) or self.has(PLACED):
            return None
        place = self.graph.nodes.get(first.node)
        return first if place is not None and place.kind in ("place2d", "geompropvalue") else None

    def copy(self, place: Link | None) -> Graph:
        """The part by itself, without a placement that stays outside, and with what depends on the view as it is painted."""
        out = Graph()
        for node in self.nodes():
            links = {port: link for port, link in node.links.items() if place is None or link != place}
            out.nodes[node.id] = Node(node.id, node.kind, dict(node.values), links, node.source)
        for node in list(out.nodes.values()):
            for port, link in list(node.links.items()):
                seen = out.nodes.get(link.node)
                if seen is not None and seen.kind in VIEW:
                    del node.links[port]
                    faced = VIEW[seen.kind]
                    node.values[port] = 1.0 - faced if seen.values.get("invert") else faced
        out.outputs[""] = Link(self.name)
        kept = out.reachable()
        out.nodes = {name: node for name, node in out.nodes.items() if name in kept}
        return out

    def repeats(self, image: Node, most: float = REPEATS) -> float:
        """How often a picture is repeated along a side, at most so often."""
        link = image.links.get("texcoord")
        place = self.graph.nodes.get(link.node) if link is not None else None
        scale = place.values.get("scale", (1.0, 1.0)) if place is not None and place.kind == "place2d" else (1.0, 1.0)
        found = max((1.0 / abs(part) for part in scale if part), default=1.0) if isinstance(scale, tuple) else 1.0
        return min(max(found, 1.0), most)

    def frequency(self, noise: Node) -> float:
        """The largest features of a noise a metre."""
        link = noise.links.get("position")
        scale = self.graph.nodes.get(link.node) if link is not None else None
        value = scale.values.get("in2", 1.0) if scale is not None and scale.kind == "multiply" else 1.0
        return max(map(abs, value)) if isinstance(value, tuple) else abs(float(value))
