"""Nodes of the source that are nowhere in the target: what becomes of them is what becomes of what they feed.

A picture whose last reader could not be said is lost with it, however well its own values would have gone over; one that
a formula took up in another node goes on there.
"""

from __future__ import annotations

from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import IDLE, TAKEN_UP, Cause, Why
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, same
from durvan.scene.model import Thing


def prune(graph: Graph) -> set[str]:
    """Take away what was written and nothing reads any more; gives the names that went."""
    if not graph.outputs:
        return set()
    gone = set(graph.nodes) - graph.reachable()
    for name in gone:
        del graph.nodes[name]
    return gone


def settle(thing: Thing, source: Pack, inward: Inward, graph: Graph) -> None:
    """Give the rows of what is not in the target `graph` the fate of what they feed, and take what was pruned from rows."""
    gone = prune(graph)
    if gone:
        _forget(inward.rows, gone)
    if len(thing.graph.nodes) < 2:
        return
    by_node: dict[str, list[Row]] = {}
    by_port: dict[tuple[str, str], Row] = {}
    for row in inward.rows:
        if row.why == IDLE:
            _not_idle(thing, source, row)
        by_node.setdefault(row.node, []).append(row)
        by_port[row.node, row.parameter] = row
    readers: dict[str, list[Row]] = {}
    for node in thing.graph.nodes.values():
        for port, link in node.links.items():
            if (node.id, port) in by_port:
                readers.setdefault(link.node, []).append(by_port[node.id, port])
    for name in reversed(inward.order or thing.graph.order()[0]):
        if name in readers:
            rows = by_node.get(name, [])
            absent = not any(row.targets for row in rows)
            _follow(
                [row for row in rows if absent or (not row.targets and row.why.cause is Cause.FOLDED)], readers[name]
            )


def _forget(rows: list[Row], gone: set[str]) -> None:
    for row in rows:
        if any(node in gone for node, _ in row.targets):
            kept = [k for k, (node, _) in enumerate(row.targets) if node not in gone]
            row.target_values = tuple(row.target_values[k] for k in kept)
            row.targets = tuple(row.targets[k] for k in kept)
    rows[:] = [row for row in rows if row.node or row.targets]  # what was only added for them went with them


def _follow(rows: list[Row], readers: list[Row]) -> None:
    least = min(readers, key=lambda row: row.fate)
    for row in rows:
        if least.fate >= Fate.LOST:
            cause = Cause.IDLE if all(one.why.cause is Cause.IDLE for one in readers) else Cause.FEED
            row.meet(least.fate, Why(cause, f"It goes with {least.parameter} of {_said(least.node)}, which it feeds."))
        elif row.fate is Fate.KEPT:
            row.meet(Fate.RECAST, TAKEN_UP)


def _said(node: str) -> str:
    return node.rpartition("/")[2]


def _not_idle(thing: Thing, source: Pack, row: Row) -> None:
    """Only a value that is its default does nothing; another one was taken up."""
    if row.node in thing.graph.nodes:
        parameter = source.parameter(thing.graph.nodes[row.node].kind, row.parameter)
        if row.linked or (parameter is not None and not same(row.value, parameter.default)):
            row.why = TAKEN_UP
