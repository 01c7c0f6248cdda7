"""Give a network in MaterialX's words its types: which definition each node is, and what stands between nodes of different types."""

from __future__ import annotations

from durvan.formats.materialx.definitions import KINDS, SIDES, SIZES, Definition, by_category, definitions
from durvan.scene.graph import Graph, Link, Node, Value

PREFIX = "mtlx."
_CATEGORY = {
    "geompropvalue_color3": "geompropvalue", "turned_tangent": "rotate3d", "layer": "mix", "standard_surface_100": "standard_surface",
    "noise2d_color": "noise2d", "noise3d_color": "noise3d", "fractal2d_color": "fractal2d", "fractal3d_color": "fractal3d",
}  # fmt: skip
_OWN = {
    "geompropvalue_color3": "color3", "geompropvalue": "vector2", "noise2d_color": "color3", "noise3d_color": "color3",
    "fractal2d_color": "color3", "fractal3d_color": "color3", "layer": "surfaceshader", "displacement": "displacementshader",
    "image": "color3", "checkerboard": "color3",
}  # fmt: skip
_LAYER = {"top": "fg", "under": "bg", "amount": "mix"}
_CHANNELS = ("outr", "outg", "outb", "outa")
_NUMERIC = ("color3", "vector3", "color4", "vector4", "vector2", "float", "integer")
_BESIDE = (
    "mix",
    "texcoord",
    "amount",
    "mask",
    "which",
    "value1",
    "value2",
    "position",
    "center",
)  # inputs that do not say what a node gives


def input_type(word: str, port: str, output: bool = False) -> str:
    """The type of an input or an output by a definition's name, as the vocabulary calls it; empty where nobody knows."""
    known = definitions().get(word)
    if known is None:
        return ""
    return KINDS.get((known.outputs if output else known.inputs).get(port, ""), "")


class Typist:
    """Gives one network its types, from what feeds to what is fed. Use `run` once."""

    def __init__(self, graph: Graph) -> None:
        self.graph = graph
        self.types: dict[str, str] = {}
        self.wide: dict[str, str] = {}

    def run(self) -> None:
        """Every node gets its definition's name, every value and link the type that it asks for."""
        for name in self.graph.order()[0]:
            self._node(self.graph.nodes[name])

    def _node(self, node: Node) -> None:
        word = node.kind.removeprefix(PREFIX)
        if word == "two_sided":
            node.kind, self.types[node.id] = SIDES, "surfaceshader"
            return
        category = _CATEGORY.get(word, word)
        if word == "layer":
            node.values = {_LAYER.get(port, port): value for port, value in node.values.items()}
            node.links = {_LAYER.get(port, port): link for port, link in node.links.items()}
        if word in ("layer", "mix"):
            node.values.pop("how", None)
        if word == "turned_tangent":
            for port, kind in (("in", "ND_tangent_vector3"), ("axis", "ND_normal_vector3")):
                node.links[port] = Link(self.graph.add(Node(f"{node.id}_{port}", kind)).id)
                self.types[node.links[port].node] = "vector3"
        incoming = {port: self._type_of(link) for port, link in node.links.items()}
        found = self._definition(word, category, node, incoming)
        if found is None:
            self.types[node.id] = "color3"
            return
        for port, link in list(node.links.items()):
            need = found.inputs.get(port, "")
            if link.output == "outa" and not self.graph.nodes[link.node].kind.startswith(("ND_image", "ND_tiledimage")):
                del node.links[port]  # what is worked out from pictures is solid
                node.values[port] = cast(1.0, need)
                continue
            node.links[port] = self._bridge(node, port, link, incoming[port], need)
        for port, value in list(node.values.items()):
            wanted = found.inputs.get(port)
            if wanted is None and port != "colorspace":
                del node.values[port]
            elif wanted is not None:
                node.values[port] = cast(value, wanted)
        node.kind = found.name
        self.types[node.id] = found.type

    def _definition(self, word: str, category: str, node: Node, incoming: dict[str, str]) -> Definition | None:
        if word in definitions():
            return definitions()[word]
        rows = by_category().get(category, [])
        if len(rows) <= 1:
            return rows[0] if rows else None
        own = _OWN.get(word) or self._own(rows, node, incoming)
        fitting = [one for one in rows if one.type == own and one.name.count("_") <= 3] or [rows[0]]
        known = [one for one in fitting if not one.name.endswith(("FA", "_100", "I", "B"))] or fitting
        if category == "normalmap":
            known = [one for one in rows if one.inputs.get("scale") == "float"] or known
        if len(known) > 1:
            wanted = {port: type_ for port, type_ in incoming.items() if type_ in _NUMERIC}
            known = sorted(known, key=lambda one: -sum(one.inputs.get(port) == t for port, t in wanted.items()))
        return known[0]

    def _own(self, rows: list[Definition], node: Node, incoming: dict[str, str]) -> str:
        """The type that a node gives, by what feeds it and what stands in it."""
        possible = {one.type for one in rows}
        if len(possible) == 1:
            return possible.pop()
        found = {kind for port, kind in incoming.items() if port not in _BESIDE}
        sizes = {len(value) for port, value in node.values.items() if isinstance(value, tuple) and port not in _BESIDE}
        for kind, size in (("vector3", 0), ("color3", 3), ("vector2", 2)):
            if kind in possible and (kind in found or (size and size in sizes)):
                return kind
        if "color3" in possible and (found & {"color4", "vector4"} or 4 in sizes):
            return "color3"
        if "color3" in possible and rows[0].category.startswith(("ramp", "split")):
            return "color3"
        return "float" if "float" in possible else "color3" if "color3" in possible else sorted(possible)[0]

    def _type_of(self, link: Link) -> str:
        own = self.types.get(link.node, "color3")
        return own if link.output == "out" or own == "float" else "float"

    def _bridge(self, node: Node, port: str, link: Link, have: str, need: str) -> Link:
        """A link of the wanted type, through as few nodes as it takes."""
        source = self.types.get(link.node, "color3")
        if link.output == "outgrey" and source == "color3":
            grey = self._add(f"{node.id}_{port}_grey", "ND_luminance_color3", "color3", Link(link.node))
            grey.values["lumacoeffs"] = (1 / 3, 1 / 3, 1 / 3)
            link, have = Link(grey.id, "outr"), "float"
        if link.output in _CHANNELS and source not in ("float", "integer"):
            taken = self._alpha if link.output == "outa" else self._channel
            link, have = taken(node, port, link), "float"
        elif source in ("float", "integer"):
            link, have = Link(link.node), source
        if have == need or need not in _NUMERIC or have not in _NUMERIC:
            return link
        if need == "integer" and have != "float":
            link = self._bridge(node, port, link, have, "float")
        if need == "float" and have != "integer":
            return self._bridge(
                node, port, Link(link.node, "outgrey" if have == "color3" else "outr"), "float", "float"
            )
        return Link(self._add(f"{node.id}_{port}_as_{need}", *self._change(have, need), link).id)

    @staticmethod
    def _change(have: str, need: str) -> tuple[str, str]:
        return "ND_round_integer" if need == "integer" else f"ND_convert_{have}_{need}", need

    def _add(self, name: str, kind: str, type_: str, link: Link) -> Node:
        made = self.graph.add(Node(name, kind, {}, {"in": link}))
        self.types[made.id] = type_
        return made

    def _channel(self, node: Node, port: str, link: Link) -> Link:
        """One channel of a colour or a vector."""
        source = self.types.get(self.graph.nodes[link.node].id, "color3")
        number = _CHANNELS.index(link.output)
        size = SIZES.get(source, 3)
        taken = self._add(f"{node.id}_{port}_channel", f"ND_separate{size}_{source}", "float", Link(link.node))
        names = "rgba" if source.startswith("color") else "xyzw"
        return Link(taken.id, f"out{names[min(number, size - 1)]}")

    def _alpha(self, node: Node, port: str, link: Link) -> Link:
        """Alpha is only in a picture's four-channel form, so the picture is read once more as that."""
        picture = self.graph.nodes[link.node]
        again = Node(
            f"{picture.id}_rgba", picture.kind.replace("_color3", "_color4"), dict(picture.values), dict(picture.links)
        )
        again.values.pop("default", None)
        self.graph.add(again)
        self.types[again.id] = "color4"
        taken = self._add(f"{node.id}_{port}_alpha", "ND_separate4_color4", "float", Link(again.id))
        return Link(taken.id, "outa")


def cast(value: Value, need: str) -> Value:
    """A value in a type of MaterialX: a number spread over channels, or channels meant to one number."""
    if need == "boolean":
        return bool(value) if not isinstance(value, str) else value == "true"
    if isinstance(value, str) or need in ("string", "filename", ""):
        return value
    size = SIZES.get(need)
    if size is not None:
        if not isinstance(value, tuple):
            return (float(value),) * size
        return (*value[:size], *(1.0 if need == "color4" and len(value) == 3 else 0.0,) * (size - len(value)))
    if isinstance(value, tuple):
        value = sum(value) / len(value)
    return round(value) if need == "integer" else float(value)
