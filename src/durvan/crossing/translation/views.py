"""What depends on the view, or on what stands about, where a target has no word for it: it stands as it is seen from most sides."""

from __future__ import annotations

from durvan.crossing.translation.bakery import Bakery
from durvan.crossing.translation.parts import VIEW, Part
from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.graph.formula import plain, wrap
from durvan.scene.fate import Fate
from durvan.scene.graph import Node
from durvan.scene.vocabulary import common_ground

_WHY = Why(
    Cause.RULE, "It depends on the view or on what stands about; how it is seen from most sides, in the open, stands in its place.", "view"
)  # fmt: skip


def stand_still(bakery: Bakery, target: Pack) -> None:
    """Put numbers in the place of what a target cannot say of the view; what is a number then, all over a surface, stands as one."""
    graph = bakery.graph
    seen = [node for node in graph.nodes.values() if node.kind in VIEW and node.kind not in target.by_category]
    if not seen or bakery.making.ground is None:
        return
    fed = bakery.flow.downstream([node.id for node in seen])
    for node in seen:
        rows = bakery.rows_of(Part(bakery.flow, node.id))
        faced = VIEW[node.kind]
        value = 1.0 - faced if node.values.get("invert") else faced
        for reader, port in bakery.flow.readers(node.id):
            del reader.links[port]
            reader.values[port] = value
            bakery.lead(reader, port, rows)
        _tell(rows)
    bakery.renew()
    for node in [node for node in graph.nodes.values() if common_ground().types[node.kind].role == "surface"]:
        for port in [port for port, link in node.links.items() if link.node in fed]:
            _settle(bakery, node, port)


def _settle(bakery: Bakery, node: Node, port: str) -> None:
    """A number in the place of what is the same all over now."""
    link = node.links[port]
    steady = bakery.steady(link)
    parameter = common_ground().types[node.kind].parameters.get(port)
    if steady is None or parameter is None or parameter.type not in ("color", "float"):
        return
    part = Part(bakery.flow, link.node)
    rows = bakery.rows_of(part)
    del node.links[port]
    node.values[port] = plain(wrap((steady * 3)[:3])) if parameter.type == "color" else steady[0]
    bakery.forget(part)
    bakery.lead(node, port, rows)
    _tell(rows)


def _tell(rows: list[Row]) -> None:
    for row in rows:
        row.meet(Fate.FITTED, _WHY)
