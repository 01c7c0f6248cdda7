"""Ready values on a target's material: as notes by hand, whole or in part, with chosen maps kept."""

from __future__ import annotations

from enum import StrEnum

from durvan.crossing.translation.choices import Note
from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.inward import carry_in
from durvan.crossing.translation.outward import carry_out
from durvan.crossing.translation.result import Translation
from durvan.dialects.pack import Pack
from durvan.scene.graph import Graph, Link, Node, Value, same
from durvan.scene.model import Thing
from durvan.scene.ready import Ready
from durvan.scene.vocabulary import NodeType

_SURFACE = "open_pbr_surface"


class Part(StrEnum):
    """What of a material is taken."""

    WHOLE = "whole"
    REFLECTION = "reflection"
    TRANSPARENCY = "transparency"


def values_in(ready: Ready, target: Pack, metres_per_unit: float) -> tuple[NodeType, dict[str, Value]] | None:
    """Ready values in a target's words: its surface, and the values of it; None where it has no such surface."""
    graph = Graph({"r": Node("r", _SURFACE, dict(ready.values))}, {"surface": Link("r")})
    out = carry_out("", Inward(graph), target, {"metres_per_unit": metres_per_unit}, metres_per_unit).graph
    link = out.outputs.get("surface")
    kind = target.type(out.nodes[link.node].kind) if link is not None else None
    return (kind, dict(out.nodes[link.node].values)) if link is not None and kind is not None else None


def notes_of(
    ready: Ready, translation: Translation, target: Pack, metres_per_unit: float, part: Part = Part.WHOLE, keep_maps: bool = True
) -> tuple[Note, ...]:  # fmt: skip
    """The notes that put ready values onto the surface of a material of the target. What the whole of it does not say goes back to
    its default, of the parameters that a look depends on; a parameter with a map keeps it, or loses it.
    """
    found, link = values_in(ready, target, metres_per_unit), translation.graph.outputs.get("surface")
    node = translation.graph.nodes.get(link.node) if link is not None else None
    if found is None or node is None or target.type(node.kind) is not found[0]:
        return ()
    kind, values = found
    out = []
    for name, parameter in kind.parameters.items():
        family = kind.family_of(name)
        if part is not Part.WHOLE and family != part.value:
            continue
        value = values.get(name, parameter.default if name in node.values or name in node.links else None)
        if isinstance(value, str) and parameter.type != "token":  # a file or a name says nothing of a look by itself
            continue
        if value is None or (name in node.links and (keep_maps or name not in values)):
            continue
        if name in node.links or not same(node.values.get(name, parameter.default), value):
            out.append(Note(thing=translation.thing, node=node.id, parameter=name, value=value))
    return tuple(out)


def said_by(thing: Thing, target: Pack, metres_per_unit: float) -> dict[str, Value]:
    """What a material in a target's words says on the common ground's surface, without its maps."""
    graph = carry_in(thing, target, metres_per_unit).graph
    link = graph.outputs.get("surface")
    node = graph.nodes.get(link.node) if link is not None else None
    return dict(node.values) if node is not None and node.kind == _SURFACE else {}
