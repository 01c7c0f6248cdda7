"""What data cannot say of USD Preview Surface: a texture without a place reads its fallback, so it is given one."""

from __future__ import annotations

from durvan.scene.graph import Graph, Link, Node

UVS = "st"


def kind_of(shader_id: str) -> str | None:
    """Every id is in the vocabulary."""
    del shader_id
    return None


def folds(shader_id: str) -> bool:
    """Every node is a word of its own."""
    del shader_id
    return False


def fold(graph: Graph) -> None:
    """Nothing is folded."""
    del graph


def before_reading(graph: Graph, metres_per_unit: float) -> None:
    """A network reads as it stands."""
    del graph, metres_per_unit


def in_file_units(graph: Graph, metres_per_unit: float) -> None:
    """Nothing here is measured in space."""
    del graph, metres_per_unit


def after_writing(graph: Graph, metres_per_unit: float) -> None:
    """Give every texture and every transform that has none a reader of the first UVs."""
    del metres_per_unit
    reader: Node | None = None
    for node in list(graph.nodes.values()):
        port = {"preview.texture": "st", "preview.transform": "in"}.get(node.kind)
        if port is None or port in node.links:
            continue
        if reader is None:
            reader = graph.add(Node("uvs", "preview.reader", {"varname": UVS}))
        node.links[port] = Link(reader.id, "result")
