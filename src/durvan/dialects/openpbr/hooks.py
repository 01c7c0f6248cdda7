"""What data cannot say of MaterialX in USD: node ids carry their types, and channels are taken out by nodes."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.vocabulary import common_ground

PREFIX = "mtlx."
SURFACE = "ND_open_pbr_surface_surfaceshader"
_FIXED = {
    "open_pbr_surface": SURFACE,
    "place2d": "ND_place2d_vector2",
    "geompropvalue": "ND_geompropvalue_vector2",
    "hsvadjust": "ND_hsvadjust_color3",
    "fractal3d": "ND_fractal3d_float",
    "position": "ND_position_vector3",
    "facingratio": "ND_facingratio_float",
    "bump": "ND_bump_vector3",
    "normalmap": "ND_normalmap_float",
    "layer": "ND_mix_surfaceshader",
    "displacement": "ND_displacement_float",
    "geompropvalue_color3": "ND_geompropvalue_color3",
    "checkerboard": "ND_checkerboard_color3",
    "turned_tangent": "ND_rotate3d_vector3",
}
_LAYER = {"fg": "top", "bg": "under", "mix": "amount"}  # what MaterialX calls the ports of a layer
_CHANNELS = {"outr": "outr", "outg": "outg", "outb": "outb", "outa": "outa"}


_LUMINANCE = (0.2722287, 0.6740818, 0.0536895)  # of a luminance node that says nothing (MaterialX 1.39, ACEScg)
_FOLDED = ("ND_separate", "ND_extract", "ND_convert", "ND_luminance_", "ND_tangent_vector3", "ND_normal_vector3")


@cache
def _categories() -> tuple[str, ...]:
    names = [name for name, kind in common_ground().types.items() if kind.role in ("surface", "node")]
    return tuple(sorted(names, key=len, reverse=True))


def kind_of(shader_id: str) -> str | None:
    """ND_<category>_<types> → the category, where the common ground has it."""
    if not shader_id.startswith("ND_"):
        return None
    known = next((category for category, written in _FIXED.items() if written == shader_id), None)
    if known is not None:
        return PREFIX + known
    rest = shader_id[3:]
    for category in _categories():
        if rest == category or rest.startswith(f"{category}_"):
            return PREFIX + category
    return None


def folds(shader_id: str) -> bool:
    """Nodes that only take a channel out or change a type say nothing of their own."""
    return shader_id.startswith(_FOLDED)


def fold(graph: Graph) -> None:
    """Fold nodes that only take a channel out into the links that read them; a weighted grey keeps its weights."""
    for node in list(graph.nodes.values()):
        if node.kind.startswith("ND_luminance") and "in" in node.links:
            _weighed(graph, node)
        elif node.kind == f"{PREFIX}turned_tangent":
            _plain_tangent(graph, node)
        elif node.kind == f"{PREFIX}layer":
            _renamed(node, _LAYER)
    taken = {node.id: node.links["in"] for node in graph.nodes.values() if folds(node.kind) and "in" in node.links}
    for node in graph.nodes.values():
        for port, link in list(node.links.items()):
            node.links[port] = _past(graph, link, taken)
    for name in taken:
        del graph.nodes[name]


def _weighed(graph: Graph, node: Node) -> None:
    """Put the weights of a grey, where they are not even, on a node before it: grey is the even mean here."""
    weights = node.values.get("lumacoeffs", _LUMINANCE)
    if not isinstance(weights, tuple) or max(abs(3.0 * weight - 1.0) for weight in weights) < 1e-5:
        return
    tripled = tuple(3.0 * weight for weight in weights)
    made = graph.add(Node(f"{node.id}_weighed", f"{PREFIX}multiply", {"in2": tripled}, {"in1": node.links["in"]}))
    node.links["in"] = Link(made.id)


def _plain_tangent(graph: Graph, node: Node) -> None:
    """A turn of the surface's own tangent about its own normal needs to name neither."""
    for port, wanted in (("in", "ND_tangent_vector3"), ("axis", "ND_normal_vector3")):
        link = node.links.get(port)
        if link is not None and link.node in graph.nodes and graph.nodes[link.node].kind == wanted:
            del node.links[port]
    used = {link.node for other in graph.nodes.values() for link in other.links.values()}
    for name in [n.id for n in graph.nodes.values() if n.kind in ("ND_tangent_vector3", "ND_normal_vector3")]:
        if name not in used:
            del graph.nodes[name]


def _renamed(node: Node, names: Mapping[str, str]) -> None:
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
        link = Link(onward.node, output if onward.output == "out" else onward.output)
    source = graph.nodes.get(link.node)
    if link.output == "out" and source is not None and source.written.startswith("ND_image_float"):
        return Link(link.node, "outr")
    return link


def after_writing(graph: Graph, metres_per_unit: float) -> None:
    """Give every node its typed id, and put nodes where a channel is taken or a type changes."""
    del metres_per_unit
    order, _ = graph.order()
    types: dict[str, str] = {}
    for name in order:
        _typed(graph, graph.nodes[name], types)


def _typed(graph: Graph, node: Node, types: dict[str, str]) -> None:
    category = node.kind.removeprefix(PREFIX)
    if category == "layer":
        _as_mix(graph, node, types)
        return
    if category == "turned_tangent":
        for port, kind in (("in", "ND_tangent_vector3"), ("axis", "ND_normal_vector3")):
            node.links[port] = Link(graph.add(Node(f"{node.id}_{port}", kind)).id)
            types[node.links[port].node] = "vector3"
    wanted = {name: parameter.type for name, parameter in common_ground().types[category].parameters.items()}
    incoming = {port: _type_of(link, types) for port, link in node.links.items()}
    own = _own_type(category, node, incoming)
    for port, link in list(node.links.items()):
        need = {"color": "color3", "normal": "vector3", "any": own}.get(wanted.get(port, "any"), wanted.get(port, own))
        if link.output == "outa" and not graph.nodes[link.node].kind.startswith("ND_image"):
            del node.links[port]  # what is worked out from pictures is solid
            node.values[port] = _widened(1.0, need)
            continue
        node.links[port] = _bridge(graph, node, port, link, incoming[port], need, types)
    node.values.pop("how", None)
    if category in ("remap", "power", "add", "subtract", "multiply", "divide", "mix", "ramplr", "ramptb", "max", "min"):
        for port, value in list(node.values.items()):
            if wanted.get(port) == "any":
                node.values[port] = _widened(value, own)
    node.kind = _FIXED.get(category) or f"ND_{category}_{own}"
    types[node.id] = own


def _as_mix(graph: Graph, node: Node, types: dict[str, str]) -> None:
    """A layer is a mix of two surfaces."""
    link = node.links.get("amount")
    if link is not None:
        node.links["amount"] = _bridge(graph, node, "amount", link, _type_of(link, types), "float", types)
    node.values.pop("how", None)
    _renamed(node, {ours: theirs for theirs, ours in _LAYER.items()})
    node.kind = _FIXED["layer"]
    types[node.id] = "surface"


def _own_type(category: str, node: Node, incoming: dict[str, str]) -> str:
    if category in ("image", "checkerboard", "geompropvalue_color3"):
        return "color3"
    if category in ("place2d", "geompropvalue"):
        return "vector2"
    if category in ("fractal3d", "facingratio"):
        return "float"
    if category in ("position", "bump", "normalmap", "turned_tangent"):
        return "vector3"
    if category == "hsvadjust":
        return "color3"
    found = {kind for port, kind in incoming.items() if port not in ("mix", "texcoord")}
    sizes = {len(value) for value in node.values.values() if isinstance(value, tuple)}
    if "vector3" in found:
        return "vector3"
    return "color3" if "color3" in found or 3 in sizes or category.startswith("ramp") else "float"


def _type_of(link: Link, types: dict[str, str]) -> str:
    own = types.get(link.node, "color3")
    return own if link.output == "out" or own == "float" else "float"


def _bridge(graph: Graph, node: Node, port: str, link: Link, have: str, need: str, types: dict[str, str]) -> Link:
    """A link of the wanted type, through as few nodes as it takes."""
    source = types.get(link.node, "color3")
    if link.output == "outgrey" and source == "color3":
        grey = graph.add(Node(f"{node.id}_{port}_grey", "ND_luminance_color3", {"lumacoeffs": (1 / 3, 1 / 3, 1 / 3)}))
        grey.links["in"] = Link(link.node)
        link, have = Link(grey.id, "outr"), "float"
        types[grey.id] = "color3"
    if link.output in _CHANNELS and source != "float":
        if link.output == "outa":
            return _alpha(graph, node, port, link)
        taken = graph.add(Node(f"{node.id}_{port}_channel", "ND_separate3_color3", {}, {"in": Link(link.node)}))
        types[taken.id] = "float"
        link, have = Link(taken.id, link.output), "float"
    elif source == "float":
        link, have = Link(link.node), "float"
    if have == need or need not in ("color3", "vector3", "float", "vector2"):
        return link
    if need == "float":
        return _bridge(graph, node, port, Link(link.node, "outgrey"), "float", "float", types)
    change = graph.add(Node(f"{node.id}_{port}_as_{need}", f"ND_convert_{have}_{need}", {}, {"in": link}))
    types[change.id] = need
    return Link(change.id)


def _alpha(graph: Graph, node: Node, port: str, link: Link) -> Link:
    """Alpha is only in a picture's four-channel form, so the picture is read once more as that."""
    picture = graph.nodes[link.node]
    again = Node(f"{picture.id}_rgba", "ND_image_color4", dict(picture.values), dict(picture.links))
    again.values.pop("default", None)
    graph.add(again)
    taken = graph.add(Node(f"{node.id}_{port}_alpha", "ND_separate4_color4", {}, {"in": Link(again.id)}))
    return Link(taken.id, "outa")


def _widened(value: Value, own: str) -> Value:
    size = {"color3": 3, "vector3": 3, "vector2": 2}.get(own)
    if size and isinstance(value, int | float):
        return (float(value),) * size
    if own == "float" and isinstance(value, tuple):
        return sum(value) / len(value)
    return value
