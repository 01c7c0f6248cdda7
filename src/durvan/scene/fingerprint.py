"""Networks by what they say, whatever their nodes are called."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable

from durvan.scene.graph import Graph, Node, Value


def same_text(text: str) -> str:
    """A text as it is."""
    return text


def fingerprint(graph: Graph, text: Callable[[str], str] = same_text, *more: object) -> str:
    """The same for networks that say the same, in whatever order they do, without what nothing reads; `text` gives what a text in
    them stands for, `more` is said besides.
    """
    kept = graph.reachable()
    nodes = {
        name: Node(name, node.kind, node.values, dict(sorted(node.links.items())))
        for name, node in graph.nodes.items()
        if name in kept
    }
    graph = Graph(nodes, dict(sorted(graph.outputs.items())))
    number = {node: n for n, node in enumerate(graph.order()[0])}

    def value(one: Value) -> str:
        return text(one) if isinstance(one, str) else repr(one)

    said = [
        (
            number[node.id], node.kind, sorted((port, value(one)) for port, one in node.values.items()),
            sorted((port, number.get(link.node, -1), link.output) for port, link in node.links.items()),
        )
        for node in sorted(graph.nodes.values(), key=lambda node: number[node.id])
    ]  # fmt: skip
    ends = sorted((output, number.get(link.node, -1), link.output) for output, link in graph.outputs.items())
    told = json.dumps([said, ends, [str(one) for one in more]])
    return hashlib.sha256(told.encode("utf-8", "surrogatepass")).hexdigest()
