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
    wordless = [
        node
        for node in graph.nodes.values()
        if _ends_here(node, target) and node.id not in flow.varying and node.id not in seen
    ]
    changed = False
    for node in wordless:
        rows, replaced = bakery.rows_of(Part(flow, node.id)), False
        for reader, port in list(flow.readers(node.id)):
            link = reader.links.get(port)
            value = _number(bakery, link, reader, port) if link is not None and link.node == node.id else None
            if value is None:
                continue
            del reader.links[port]
            reader.values[port] = value
            bakery.lead(reader, port, rows)
            replaced = True
        if replaced:
            _tell(rows)
        changed = changed or replaced
    if changed:
        bakery.renew()


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
