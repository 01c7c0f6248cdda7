"""Relief as a picture of normals: where a target knows no heights, or where maps are wanted.

Slopes need a length: how long a unit of UVs is on what wears the thing.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from durvan.crossing.translation.bakery import WAITS_FOR_SHAPES, Bakery, Use
from durvan.crossing.translation.parts import Part
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.scene.baking import DATA, Relief
from durvan.scene.graph import Graph, Link, Node, Value, same

PORTS = ("geometry_normal", "geometry_coat_normal")
_SURFACE, _BUMP, _MAP = "open_pbr_surface", "bump", "normalmap"
_USE = Use("normal", DATA, False)
_MAPPED = Why(Cause.NO_WORD, "How strong its relief is, is a map itself, and that cannot be baked.", "bake:relief")
_SHAPES = Why(
    Cause.NO_WORD, "How steep its relief is depends on what wears it, which has not been looked at yet.", WAITS_FOR_SHAPES
)  # fmt: skip


@dataclass
class _Chain:
    """What a normal is made of: heights and normal maps, one below the other."""

    nodes: list[Node] = field(default_factory=list)
    heights: list[tuple[Link, float]] = field(default_factory=list)
    normals: list[tuple[Link, float]] = field(default_factory=list)
    mapped: bool = False


def as_normals(bakery: Bakery, target: Pack) -> None:
    """Where a target knows no heights, have every relief that has some be a picture of normals; why not, is `refused`."""
    if _BUMP in target.by_category:
        return
    for surface in [node for node in bakery.graph.nodes.values() if node.kind == _SURFACE]:
        for port in PORTS:
            chain = _chain(bakery.graph, surface.links.get(port))
            if chain.heights:
                why = picture_of(bakery, chain)
                if why is not None:
                    bakery.refused |= dict.fromkeys((node.id for node in chain.nodes), why)


def _chain(graph: Graph, link: Link | None) -> _Chain:
    chain = _Chain()
    while link is not None and (node := graph.nodes.get(link.node)) is not None and node not in chain.nodes:
        if node.kind not in (_BUMP, _MAP):
            break
        chain.nodes.append(node)
        chain.mapped |= "scale" in node.links
        strength = _number(node.values.get("scale", 1.0))
        if node.kind == _BUMP and "height" in node.links:
            chain.heights.append((node.links["height"], strength))
        elif node.kind == _MAP and "in" in node.links:
            chain.normals.append((node.links["in"], strength))
        link = node.links.get("normal")
    return chain


def is_plain(graph: Graph, link: Link | None) -> bool:
    """Whether a normal is a normal map of full strength that reads a picture, which needs no other one."""
    chain = _chain(graph, link)
    if len(chain.nodes) != 1 or chain.heights or chain.mapped or not chain.normals:
        return False
    (source, strength), reads = chain.normals[0], graph.nodes
    return same(strength, 1.0) and source.node in reads and reads[source.node].kind == "image"


def of_port(bakery: Bakery, link: Link | None) -> Why | None:
    """Have what a normal is made of be a picture of normals, or why that cannot be."""
    chain = _chain(bakery.graph, link)
    return picture_of(bakery, chain) if chain.heights or chain.normals else None


def picture_of(bakery: Bakery, chain: _Chain) -> Why | None:
    """Put a normal map of a picture in the place of a chain; why not, where that cannot be."""
    root = chain.nodes[0]
    body = bakery.making.body
    if chain.mapped:
        return _MAPPED
    why = bakery.against(root.id)
    if why is not None:
        return why
    if chain.heights and body is None:
        return _SHAPES
    part = Part(bakery.flow, root.id)
    place = part.shared_place()
    stretch = _stretch(bakery.graph, place)
    if stretch is None:
        place, stretch = None, (1.0, 1.0)
    metres = body.metres_per_uv if body is not None else 0.0
    relief = Relief(tuple(chain.heights), tuple(chain.normals), (metres * stretch[0], metres * stretch[1]))
    rows = bakery.rows_of(part)
    image = bakery.picture(f"{root.id}_normals", part, place, Link(root.id), _USE, rows, relief)
    bakery.forget(part)
    bakery.graph.nodes[root.id] = Node(root.id, _MAP, {}, {"in": Link(image.id)}, root.source)
    bakery.put(image, rows)
    return None


def _stretch(graph: Graph, place: Link | None) -> tuple[float, float] | None:
    """How many units of UVs a unit of a placement is, along both; None for one that turns or mirrors what is placed."""
    node = graph.nodes.get(place.node) if place is not None else None
    if node is None or node.kind != "place2d":
        return (1.0, 1.0)
    scale = node.values.get("scale", (1.0, 1.0))
    if not isinstance(scale, tuple) or len(scale) != 2 or min(scale) <= 0.0:
        return None
    if not same(node.values.get("rotate", 0.0), 0.0) or set(node.links) - {"texcoord"}:
        return None
    return (float(scale[0]), float(scale[1]))


def _number(value: Value) -> float:
    return float(value) if isinstance(value, int | float) else 1.0
