"""What the common ground's looks make of a network on it."""

from __future__ import annotations

from durvan.dialects.look import Facts, Tracer
from durvan.dialects.pack import Pack
from durvan.graph.expression import Field
from durvan.scene.graph import Graph, Link, Node


class Worth:
    """What links of one network on the common ground give, with the pack that has its looks; lengths are in metres."""

    def __init__(self, graph: Graph, ground: Pack, facts: Facts) -> None:
        self.graph, self.ground = graph, ground
        self.facts = Facts(1.0, facts.find, facts.profile, facts.mean)

    def of(self, link: Link) -> Field | None:
        """The field of a link; None where nothing is known of it."""
        if self.ground.looks is None:
            return None
        kept = Graph(self.graph.nodes, {"": link}).reachable()
        nodes = {
            name: Node(name, self.ground.identity.prefix + node.kind, node.values, node.links, node.source)
            for name, node in self.graph.nodes.items()
            if name in kept
        }
        return Tracer(Graph(nodes, {"": link}), self.ground.vocabulary, self.ground.looks, self.facts).field(link)
