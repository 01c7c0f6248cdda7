"""MaterialX's words in files: node ids carry their types, and channels are taken out by nodes of their own.

The hooks of every pack whose words are MaterialX's; how a network is given its types again stands in `typing`.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

from durvan.dialects.shared.materialx.rest import COLOURED, by_itself
from durvan.dialects.shared.materialx.typing import Typist, input_type
from durvan.formats.materialx.definitions import SIDES, definitions
from durvan.scene.graph import Graph, Link, Node, Problem, Value
from durvan.scene.vocabulary import common_ground

PREFIX = "mtlx."
# Definitions that are another word than their category
_SPECIAL = {
    "ND_mix_surfaceshader": "layer",
    SIDES: "two_sided",
    "ND_displacement_float": "displacement",
    "ND_rotate3d_vector3": "turned_tangent",
    "ND_normalmap_vector2": "normalmap_vector2",
    "ND_standard_surface_surfaceshader_100": "standard_surface_100",
}
# Words that are others where they give colours
_COLOURED = {
    **{name: f"{name}_color" for name in ("noise2d", "noise3d", "fractal2d", "fractal3d")},
    "geompropvalue": "geompropvalue_color3",
    "UsdPrimvarReader": "UsdPrimvarReader_color",
}
LAYER = {"fg": "top", "bg": "under", "mix": "amount"}  # what MaterialX calls the ports of a layer
_LUMINANCE = (0.2722287, 0.6740818, 0.0536895)  # of a luminance node that says nothing (MaterialX 1.39, ACEScg)
_AXES = ("ND_tangent_vector3", "ND_normal_vector3")
_FOLDED = ("ND_separate", "ND_extract", "ND_convert", "ND_luminance_", "ND_dot_", *_AXES)
_CHANNELS = {"outx": "outr", "outy": "outg", "outz": "outb", "outw": "outa"}
_OF_THE_SURFACE = ("normal", "geometry_normal", "geometry_coat_normal", "coat_normal", "clearcoat_normal", "tangent", "geometry_tangent",
                   "geometry_coat_tangent")  # ports that have the surface's own direction where nothing feeds them  # fmt: skip


@cache
def _categories() -> tuple[str, ...]:
    names = [name for name, kind in common_ground().types.items() if kind.role in ("surface", "node")]
    return tuple(sorted(names, key=len, reverse=True))


@cache
def kind_of(shader_id: str) -> str | None:
    """The word of an id: its category, where MaterialX has it for numbers or colours; else the id itself as a word."""
    if not shader_id.startswith("ND_") or folds(shader_id):
        return None
    if shader_id in _SPECIAL:
        return PREFIX + _SPECIAL[shader_id]
    known = definitions().get(shader_id)
    if known is None:  # files have ids that no library has
        rest = shader_id[3:]
        found = next((name for name in _categories() if rest == name or rest.startswith(f"{name}_")), None)
        return PREFIX + found if found is not None else None
    plain_surface = known.type == "surfaceshader" and known.category != "convert"
    if by_itself(known) and not plain_surface and len(known.outputs) == 1:
        return PREFIX + shader_id
    coloured = _COLOURED.get(known.category) if known.type in COLOURED else None
    return PREFIX + (coloured or known.category)


def folds(shader_id: str) -> bool:
    """Nodes that only take a channel out or change a type say nothing of their own."""
    return shader_id.startswith(_FOLDED) and not shader_id.endswith("_surfaceshader")


def fold(graph: Graph) -> None:
    """Fold nodes that only take a channel out into the links that read them; a weighted grey keeps its weights."""
    for node in list(graph.nodes.values()):
        if node.kind.startswith("ND_luminance") and "in" in node.links:
            _weighed(graph, node)
        elif node.kind == f"{PREFIX}turned_tangent":
            _plain_tangent(graph, node)
        elif node.kind == f"{PREFIX}layer":
            renamed(node, LAYER)
    _own_directions(graph)
    taken = {node.id: node.links["in"] for node in graph.nodes.values() if folds(node.kind) and "in" in node.links}
    for node in graph.nodes.values():
        for port, link in list(node.links.items()):
            node.links[port] = _past(graph, link, taken)
    for name in taken:
        del graph.nodes[name]
    _constants(graph)


def _weighed(graph: Graph, node: Node) -> None:
    """Put the weights of a grey, where they are not even, on a node before it: grey is the even mean here."""
    weights = node.values.get("lumacoeffs", _LUMINANCE)
    if not isinstance(weights, tuple) or max(abs(3.0 * weight - 1.0) for weight in weights) < 1e-5:
        return
    tripled = tuple(3.0 * weight for weight in weights)
    made = graph.add(Node(f"{node.id}_weighed", f"{PREFIX}multiply", {"in2": tripled}, {"in1": node.links["in"]}))
    node.links["in"] = Link(made.id)


def _plain_tangent(graph: Graph, node: Node) -> None:
    """A turn of the surface's own tangent about its own normal needs to name neither; any other turn is no such word."""
    for port, wanted in (("in", "ND_tangent_vector3"), ("axis", "ND_normal_vector3")):
        link = node.links.get(port)
        if link is not None and link.node in graph.nodes and graph.nodes[link.node].kind == wanted:
            del node.links[port]
        elif port in node.links or port in node.values:
            node.kind = f"{PREFIX}rotate3d"
            return
    _drop_unread(graph, _AXES)


def _own_directions(graph: Graph) -> None:
    """A surface that is given its own normal or tangent has them anyway."""
    axes = {node.id for node in graph.nodes.values() if node.kind in _AXES and not node.links}
    if not axes:
        return
    for node in graph.nodes.values():
        for port in [port for port, link in node.links.items() if link.node in axes and port in _OF_THE_SURFACE]:
            del node.links[port]
    _drop_unread(graph, _AXES)


def _drop_unread(graph: Graph, kinds: tuple[str, ...]) -> None:
    used = {link.node for other in graph.nodes.values() for link in other.links.values()}
    for name in [n.id for n in graph.nodes.values() if n.kind in kinds]:
        if name not in used:
            del graph.nodes[name]


def _constants(graph: Graph) -> None:
    """What is folded and fed by nothing has a value of its own, which goes to who reads it."""
    still = {node.id: node.values["in"] for node in graph.nodes.values() if folds(node.kind) and "in" in node.values}
    for node in graph.nodes.values() if still else ():
        for port in [port for port, link in node.links.items() if link.node in still]:
            link = node.links.pop(port)
            feeder = graph.nodes[link.node]
            value = _channel_of(still[link.node], feeder, link.output)
            if isinstance(value, str) and not feeder.kind.startswith(
                "ND_dot_"
            ):  # a matrix, which is kept as it is written
                node.problems = {**(node.problems or {}), port: Problem("A part of a matrix feeds it.")}
            else:
                node.values[port] = value
    for name in still:
        del graph.nodes[name]


def _channel_of(value: Value, node: Node, output: str) -> Value:
    if not isinstance(value, tuple):
        return value
    if node.kind.startswith("ND_extract"):
        index = node.values.get("index", 0)
        return value[int(index) % len(value)] if isinstance(index, int | float) else value[0]
    output = _CHANNELS.get(output, output)
    if output in ("outr", "outg", "outb", "outa"):
        return value["rgba".index(output[-1]) % len(value)]
    return value


def renamed(node: Node, names: Mapping[str, str]) -> None:
    """Other names for a node's ports."""
    node.values = {names.get(port, port): value for port, value in node.values.items()}
    node.links = {names.get(port, port): link for port, link in node.links.items()}


def before_reading(graph: Graph, metres_per_unit: float) -> None:
    """Measure places in metres."""
    _scale_places(graph, 1.0 / metres_per_unit)


def in_file_units(graph: Graph, metres_per_unit: float) -> None:
    """MaterialX measures places in the stage's unit, the common ground in metres; and it blends by nodes of their own."""
    _scale_places(graph, metres_per_unit)
    for node in list(graph.nodes.values()):
        if node.kind == f"{PREFIX}mix" and node.values.get("how", "over") != "over":
            _blended(graph, node)


def _blended(graph: Graph, node: Node) -> None:
    """A blend by its mode, as a mix with what the mode makes of both."""
    how = str(node.values.pop("how"))

    def said(port: str) -> tuple[dict[str, Value], dict[str, Link]]:
        link = node.links.get(port)
        return ({}, {port: link}) if link is not None else ({port: node.values.get(port, 0.0)}, {})

    def made(kind: str, first: str, second: str) -> Node:
        (v1, l1), (v2, l2) = said(first), said(second)
        values = {new: value for new, one in (("in1", v1), ("in2", v2)) for value in one.values()}
        links = {new: link for new, one in (("in1", l1), ("in2", l2)) for link in one.values()}
        return graph.add(Node(f"{node.id}_{kind}", PREFIX + kind, values, links))

    def turned_round(port: str, link: Link | None, value: Value | None) -> Link:
        fresh = Node(f"{node.id}_{port}_rest", f"{PREFIX}remap", {"outlow": 1.0, "outhigh": 0.0})
        if link is not None:
            fresh.links["in"] = link
        elif value is not None:
            fresh.values["in"] = value
        return Link(graph.add(fresh).id)

    if how == "screen":
        first = turned_round("fg", node.links.get("fg"), node.values.get("fg", 0.0))
        second = turned_round("bg", node.links.get("bg"), node.values.get("bg", 0.0))
        both = graph.add(Node(f"{node.id}_multiply", f"{PREFIX}multiply", {}, {"in1": first, "in2": second}))
        result = turned_round("both", Link(both.id), None)
    elif how == "difference":
        one, two = made("subtract", "fg", "bg"), made("subtract", "bg", "fg")
        result = Link(
            graph.add(Node(f"{node.id}_max", f"{PREFIX}max", {}, {"in1": Link(one.id), "in2": Link(two.id)})).id
        )
    else:
        kind = {"add": "add", "multiply": "multiply", "lighter": "max", "darker": "min"}[how]
        result = Link(made(kind, "fg", "bg").id)
    node.values.pop("fg", None)
    node.links["fg"] = result


def _scale_places(graph: Graph, factor: float) -> None:
    """Multiply every place that is read by a factor, in the node that scales it already where there is one."""
    for node in list(graph.nodes.values()):
        for port, link in list(node.links.items()):
            place = graph.nodes.get(link.node)
            if place is None or place.kind != f"{PREFIX}position" or abs(factor - 1.0) < 1e-12:
                continue
            scale = node.values.get("in2")
            if node.kind == f"{PREFIX}multiply" and port == "in1" and scale is not None and "in2" not in node.links:
                node.values["in2"] = (
                    tuple(part * factor for part in scale) if isinstance(scale, tuple) else float(scale) * factor
                )
            else:
                made = Node(f"{place.id}_scaled", f"{PREFIX}multiply", {"in2": factor}, {"in1": link})
                node.links[port] = Link(graph.add(made).id)


def _past(graph: Graph, link: Link, taken: dict[str, Link]) -> Link:
    """Where a link leads once the nodes that are folded are gone, and which channel it then reads."""
    for _ in range(len(taken) + 1):
        onward = taken.get(link.node)
        if onward is None:
            break
        through = graph.nodes[link.node]
        output = link.output
        if through.kind.startswith("ND_extract"):
            index = through.values.get("index", 0)
            output = f"out{'rgba'[int(index) % 4]}" if isinstance(index, int | float) else "outr"
        elif through.kind.startswith("ND_luminance"):
            output = "outgrey"
        output = _CHANNELS.get(output, output)
        link = Link(onward.node, output if onward.output == "out" else onward.output)
    source = graph.nodes.get(link.node)
    if link.output == "out" and source is not None and source.written.startswith("ND_image_float"):
        return Link(link.node, "outr")
    return link


def after_writing(graph: Graph, metres_per_unit: float) -> None:
    """Give every node its typed id, and put nodes where a channel is taken or a type changes."""
    del metres_per_unit
    Typist(graph).run()


def typed(word: str, port: str, output: bool = False) -> str:
    """The type of an input (or output) of a node by its id, as files call it; empty where nobody knows."""
    return input_type(word, port, output)
