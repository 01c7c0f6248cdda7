"""Backs of their own within layers, brought to the outside: a pile with a two-sided surface in it is a two-sided pair of piles."""

from __future__ import annotations

from dataclasses import replace

from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.lobes.content import LAYER, SIDES
from durvan.scene.graph import Graph, Link, Node

_PORTS = ("top", "under")


def bring_outside(inward: Inward) -> None:
    """Make the root the only node with another back. Changes the thing on the common ground."""
    graph = inward.graph
    root = graph.root
    if root is None or not _inner(graph, root):
        return
    inward.order = []
    front, back = (_side(inward, root, side, {}) for side in ("front", "back"))
    sides = graph.add(Node(f"{root.id}_sides", SIDES))
    sides.links = {port: link for port, link in (("front", front), ("back", back)) if link is not None}
    graph.outputs["surface"] = Link(sides.id)
    kept = graph.reachable()
    for name in [name for name, node in graph.nodes.items() if node.kind in (LAYER, SIDES) and name not in kept]:
        del graph.nodes[name]


def _inner(graph: Graph, root: Node) -> list[Node]:
    """The nodes with another back that layers below the root lead to, or another such node."""
    found: list[Node] = []
    waiting, seen = [root], {root.id}
    while waiting:
        node = waiting.pop()
        ports = _PORTS if node.kind == LAYER else ("front", "back") if node.kind == SIDES else ()
        for link in (node.links[port] for port in ports if port in node.links):
            below = graph.nodes.get(link.node)
            if below is not None and below.id not in seen:
                seen.add(below.id)
                waiting.append(below)
                found += [below] if below.kind == SIDES else []
    return found


def _side(inward: Inward, root: Node, side: str, made: dict[str, Link | None]) -> Link | None:
    """One side of a surface: its layers again, where any below them has sides; nothing where it has no such side. No recursion: piles
    may be deep.
    """
    graph = inward.graph
    waiting = [(root.id, False)]
    while waiting:
        name, ready = waiting.pop()
        if name in made:
            continue
        node = graph.nodes[name]
        ports = _PORTS if node.kind == LAYER else (side,) if node.kind == SIDES else ()
        below = {
            port: node.links[port] for port in ports if port in node.links and node.links[port].node in graph.nodes
        }
        if not ready and below:
            waiting += [(name, True), *((link.node, False) for link in below.values())]
        elif node.kind == SIDES:
            made[name] = made.get(below[side].node) if side in below else None
        else:
            made[name] = _again(inward, node, side, {port: made.get(link.node) for port, link in below.items()})
    return made[root.id]


def _again(inward: Inward, node: Node, side: str, below: dict[str, Link | None]) -> Link:
    """A layer with what lies below it on one side; itself where that is the same on both."""
    if all(link is not None and link.node == node.links[port].node for port, link in below.items()):
        return Link(node.id)
    links = {port: link for port, link in node.links.items() if port not in below}
    links |= {port: link for port, link in below.items() if link is not None}
    other = replace(node, id=f"{node.id}_{side}", values=dict(node.values), links=links)
    inward.graph.add(other)
    for port in other.ports():
        places = [(node.id, port), (node.links[port].node, side)] if port in below else [(node.id, port)]
        rows = [row for place in places for row in inward.origins.get(place, ())]
        if rows:
            inward.origins[other.id, port] = rows
    return Link(other.id)
