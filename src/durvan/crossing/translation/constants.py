"""Networks that are the same all over: where a target has no word for what they end in, a number stands in their place, exactly."""

from __future__ import annotations

from durvan.crossing.translation.bakery import Bakery
from durvan.crossing.translation.parts import VIEW, Part
from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.graph.formula import plain, wrap
from durvan.scene.fate import Fate
from durvan.scene.graph import Link, Node, Value
from durvan.scene.vocabulary import common_ground

_WHY = Why(Cause.FOLDED, "It is the same all over, so the number that it comes to stands in its place.")


def become_numbers(bakery: Bakery, target: Pack) -> None:
    """Put numbers in the place of all that a target cannot say and that does not vary."""
    graph, flow = bakery.graph, bakery.flow
    seen = flow.downstream([node.id for node in graph.nodes.values() if node.kind in VIEW])
    kept = {link.node for link in graph.outputs.values()}
    # what nothing reads any more: what feeds that need not be looked at, which may be a long chain
    gone: set[str] = set()
    changed = False
    for node in [graph.nodes[name] for name in reversed(graph.order()[0])]:  # the readers first
        readers = flow.readers(node.id)
        if readers and node.id not in kept and all(reader.id in gone for reader, _ in readers):
            gone.add(node.id)
            continue
        if not _ends_here(node, target) or node.id in flow.varying or node.id in seen:
            continue
        ended = [
            (reader, port) for reader, port in readers if reader.id not in gone and _end(bakery, node, reader, port)
        ]
        if not ended:
            continue
        rows = bakery.rows_of(Part(flow, node.id))
        for reader, port in ended:
            bakery.lead(reader, port, rows)
        _tell(rows)
        changed = True
        if node.id not in kept and all(reader.id in gone for reader, _ in flow.readers(node.id)):
            gone.add(node.id)
    if changed:
        bakery.renew()


def _end(bakery: Bakery, node: Node, reader: Node, port: str) -> bool:
    """Put the number that a node comes to in its place at a port of a reader; whether there is one."""
    value = _number(bakery, reader.links[port], reader, port)
    if value is None:
        return False
    del reader.links[port]
    reader.values[port] = value
    return True


def _ends_here(node: Node, target: Pack) -> bool:
    kind = common_ground().types[node.kind]
    return kind.role == "node" and node.kind not in target.by_category and kind.outputs.get("out") in ("color", "float")


def _number(bakery: Bakery, link: Link, reader: Node, port: str) -> Value | None:
    """What a link comes to, in the form that the reader's port takes; None where nobody can say."""
    parameter = common_ground().types[reader.kind].parameters.get(port)
    steady = bakery.steady(link)
    if steady is None or parameter is None or parameter.type not in ("color", "float", "any", "vector3"):
        return None
    if parameter.type == "float":
        return sum(steady[:3]) / len(steady[:3])
    if parameter.type == "any" and len(steady) == 1:
        return float(steady[0])
    found: Value = plain(wrap((steady * 3)[:3]))
    return found


def _tell(rows: list[Row]) -> None:
    for row in rows:
        row.meet(Fate.RECAST, _WHY)
