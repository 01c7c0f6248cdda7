"""Nodes and their links: the one structure for a dialect's networks and for the common ground's graphs.

Ids are unique within a graph and stable: for what was read from a file they are the path below the material.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from itertools import repeat

Value = bool | int | float | str | tuple[float, ...]


def same(one: object, two: object, relative: float = 1e-12, floor: float = 0.0) -> bool:
    """Whether two values are equal but for `relative` of the larger one (or of `floor`); by itself the last bits that
    arithmetic leaves. One number stands for every channel."""
    if one.__class__ is float and two.__class__ is float:
        return one == two or abs(one - two) <= relative * max(floor, abs(one), abs(two))
    if one.__class__ is two.__class__ and one == two:
        return True
    if isinstance(one, tuple):
        if isinstance(two, tuple):
            return len(one) == len(two) and all(map(same, one, two, repeat(relative), repeat(floor)))
        return isinstance(two, int | float) and all(same(part, two, relative, floor) for part in one)
    if isinstance(two, tuple):
        return same(two, one, relative, floor)
    if isinstance(one, bool) or isinstance(two, bool):
        return one is two
    if isinstance(one, int | float) and isinstance(two, int | float):
        return one == two or abs(one - two) <= relative * max(floor, abs(one), abs(two))
    return bool(one == two)


@dataclass(slots=True, frozen=True)
class Link:
    """Where a port gets its value from: a node of the same graph and one of its outputs."""

    node: str
    output: str = "out"


@dataclass(slots=True, frozen=True)
class Problem:
    """What is wrong with a port as the file has it: its value, or where its link leads; in a sentence."""

    said: str
    link: bool = False


@dataclass(slots=True, eq=False)
class Node:
    """One node: its type, the values that were set and the links that were made. What is not set has the default.

    `source` is the prim it was read from and `written` the shader id that it has there.
    `values` may hold a number for a port that is linked too: what the port falls back to.
    """

    id: str
    kind: str
    values: dict[str, Value] = field(default_factory=dict)
    links: dict[str, Link] = field(default_factory=dict)
    source: str = ""
    written: str = ""
    animated: tuple[str, ...] = ()
    problems: dict[str, Problem] | None = None

    def ports(self) -> Iterator[str]:
        """Every port that was set or linked, each once."""
        yield from self.values
        for port in self.links:
            if port not in self.values:
                yield port


@dataclass(slots=True, eq=False)
class Graph:
    """A network of nodes, and which node feeds each of its outputs ("surface", "displacement")."""

    nodes: dict[str, Node] = field(default_factory=dict)
    outputs: dict[str, Link] = field(default_factory=dict)

    @property
    def root(self) -> Node | None:
        """The node that a material's surface comes from; the only node of other things."""
        link = self.outputs.get("surface") or next(iter(self.outputs.values()), None)
        return self.nodes.get(link.node) if link is not None else None

    def copy(self) -> Graph:
        """The same again, to be changed: nodes with values and links of their own."""
        nodes = {n.id: replace(n, values=dict(n.values), links=dict(n.links)) for n in self.nodes.values()}
        return Graph(nodes, dict(self.outputs))

    def add(self, node: Node) -> Node:
        """Put a node in, under its id; an id that is taken gets a number behind it."""
        if node.id in self.nodes:
            number = 2
            while f"{node.id}_{number}" in self.nodes:
                number += 1
            node.id = f"{node.id}_{number}"
        self.nodes[node.id] = node
        return node

    def order(self) -> tuple[list[str], list[tuple[str, str]]]:
        """Node ids with every node after those that feed it, and the links (node, port) that close a cycle.

        Walks without recursion, so that a chain of any depth is fine. Links to nodes that do not exist are
        passed over.
        """
        done: dict[str, bool] = {}
        order: list[str] = []
        closing: list[tuple[str, str]] = []
        roots = [link.node for link in self.outputs.values() if link.node in self.nodes]
        for root in [*roots, *self.nodes]:
            if root in done:
                continue
            done[root] = False
            stack = [(root, iter(self.nodes[root].links.items()))]
            while stack:
                name, links = stack[-1]
                for port, link in links:
                    target = link.node
                    if target not in self.nodes:
                        continue
                    state = done.get(target)
                    if state is None:
                        done[target] = False
                        stack.append((target, iter(self.nodes[target].links.items())))
                        break
                    if state is False:
                        closing.append((name, port))
                else:
                    done[name] = True
                    order.append(name)
                    stack.pop()
        return order, closing

    def reachable(self) -> set[str]:
        """Ids of the nodes that some output depends on."""
        found: set[str] = set()
        waiting = [link.node for link in self.outputs.values()]
        while waiting:
            name = waiting.pop()
            if name in found or name not in self.nodes:
                continue
            found.add(name)
            waiting.extend(link.node for link in self.nodes[name].links.values())
        return found

    def consumers(self) -> dict[str, int]:
        """How many links (of nodes and of outputs) each node feeds."""
        counts = dict.fromkeys(self.nodes, 0)
        for node in self.nodes.values():
            for link in node.links.values():
                if link.node in counts:
                    counts[link.node] += 1
        for link in self.outputs.values():
            if link.node in counts:
                counts[link.node] += 1
        return counts
