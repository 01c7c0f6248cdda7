"""One thing from dialect to dialect: inwards, outwards, and the rows that say what happened."""

from __future__ import annotations

from dataclasses import dataclass, field

from durvan.crossing.translation.inward import carry_in
from durvan.crossing.translation.ledger import Row
from durvan.crossing.translation.outward import carry_out
from durvan.dialects.pack import Pack
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Node
from durvan.scene.model import Thing


@dataclass(slots=True, eq=False)
class Translation:
    """What one thing becomes: its graph in the target's words, and its rows of the ledger."""

    thing: str
    source_dialect: str
    target_dialect: str
    graph: Graph
    rows: list[Row] = field(default_factory=list)


def translate(
    thing: Thing,
    source: Pack | None,
    target: Pack,
    metres_per_unit: float,
    readings: dict[str, str] | None = None,
) -> Translation:
    """Carry one thing. Pure: the thing is not changed, and the same arguments give the same result."""
    if source is None:
        return _unreadable(thing, target)
    if source.name == target.name:
        return _same(thing, target)
    inward = carry_in(thing, source, metres_per_unit, readings)
    graph = carry_out(thing.id, inward, target, thing.context, metres_per_unit)
    return Translation(thing.id, source.name, target.name, graph, inward.rows)


def _same(thing: Thing, pack: Pack) -> Translation:
    """Within one dialect there is nothing to translate: every value is kept, known or not."""
    rows = []
    graph = Graph(outputs=dict(thing.graph.outputs))
    for node in thing.graph.nodes.values():
        graph.nodes[node.id] = Node(node.id, node.kind, dict(node.values), dict(node.links), node.source, node.written)
        kind = pack.type(node.kind)
        for port in node.ports():
            parameter = kind.parameters.get(port) if kind else None
            unit = parameter.unit if parameter else ""
            row = Row(
                thing.id, node.id, port, kind.family_of(port) if kind else "procedurals", node.values.get(port),
                unit, port in node.links, Fate.KEPT, "the same dialect", targets=[(node.id, port)],
                target_values=[(node.values.get(port), unit)],
            )  # fmt: skip
            rows.append(row)
        for port, problem in (node.problems or {}).items():
            rows.append(
                Row(
                    thing.id,
                    node.id,
                    port,
                    "geometry",
                    problem,
                    fate=Fate.HELD,
                    rule="no rule",
                    reason=problem,
                )
            )
    return Translation(thing.id, pack.name, pack.name, graph, rows)


def _unreadable(thing: Thing, target: Pack) -> Translation:
    """A thing in no dialect that is known: everything about it is held."""
    rows = [
        Row(
            thing.id,
            node.id,
            port,
            "procedurals",
            node.values.get(port),
            "",
            port in node.links,
            Fate.HELD,
            "no rule",
            reason=f"No dialect knows '{node.kind}'.",
        )
        for node in thing.graph.nodes.values()
        for port in node.ports()
    ]
    return Translation(thing.id, "", target.name, Graph(), rows)
