"""Whole surfaces become parts that lie on and beside each other, for dialects that build surfaces up of lobes.

What folding makes of the result is the surface again. A part that is not there is not made; what was said of it has no effect.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.lobes import content
from durvan.crossing.translation.lobes.content import (
    COAT,
    DEEP,
    FUZZ,
    GLASS,
    GLOW,
    LAYER,
    LEAF,
    MATT,
    METAL,
    MIRROR,
    PANE,
    SHAPED,
    STACK,
    SURFACE,
)  # fmt: skip
from durvan.dialects.pack import Pack
from durvan.dialects.said import IDLE
from durvan.scene.fate import Fate
from durvan.scene.graph import Link, Node, Value
from durvan.scene.vocabulary import common_ground

_SUFFIX = "part_"


def unfold(inward: Inward, target: Pack) -> None:
    """Take the surfaces of a thing apart where a target builds them up of parts."""
    if not any(kind.roles[kind.main] == STACK for kind in target.compiled.values()):
        return
    reached = inward.graph.reachable()
    for node in [node for node in inward.graph.nodes.values() if node.kind == SURFACE and node.id in reached]:
        _Unfolding(inward, node).run()


@dataclass
class _Unfolding:
    inward: Inward
    whole: Node

    def run(self) -> None:
        """Put the parts into the graph; who read the surface reads what lies uppermost."""
        graph = self.inward.graph
        root = self._shaped(self._lying(self._base()))
        for node in graph.nodes.values():
            for port, link in node.links.items():
                if link.node == self.whole.id and node is not root:
                    node.links[port] = Link(root.id)
        for output, link in graph.outputs.items():
            if link.node == self.whole.id:
                graph.outputs[output] = Link(root.id)
        for port in list(self.whole.ports()):
            for row in self.inward.origins.pop((self.whole.id, port), ()):
                if not any(
                    row in rows for key, rows in self.inward.origins.items() if key[0].startswith(self.whole.id)
                ):
                    row.meet(Fate.RECAST, IDLE)
        del graph.nodes[self.whole.id]

    # what there is

    def _value(self, port: str) -> Any:
        value = self.whole.values.get(port)
        return common_ground().types[SURFACE].parameters[port].default if value is None else value

    def _some(self, port: str) -> bool:
        """Whether there is anything of what a weight is for."""
        return port in self.whole.links or float(self._value(port)) > 0.0

    def _all(self, port: str) -> bool:
        """Whether there is nothing beside it."""
        return port not in self.whole.links and float(self._value(port)) >= 1.0

    def _base(self) -> Node | None:
        """Metal, clear body and what is matt under its reflection, each beside the others by its weight."""
        if self._all("base_metalness"):
            return self._part(METAL)
        thin = bool(self._value("geometry_thin_walled"))
        clear = PANE if thin else GLASS
        if self._all("transmission_weight"):
            base: Node | None = self._part(clear)
        else:
            base = self._matt(thin)
            if self._some("specular_weight"):
                base = self._stack(self._part(MIRROR), base)
            if self._some("transmission_weight"):
                base = self._beside(base, self._part(clear), "transmission_weight")
        if self._some("base_metalness"):
            base = self._beside(base, self._part(METAL), "base_metalness")
        return base

    def _matt(self, thin: bool) -> Node | None:
        if self._all("subsurface_weight"):
            return self._leaf() if thin else self._part(DEEP)
        matt = self._part(MATT) if self._some("base_weight") else None
        if not self._some("subsurface_weight"):
            return matt
        return self._beside(matt, self._leaf() if thin else self._part(DEEP), "subsurface_weight")

    def _leaf(self) -> Node:
        """What a sheet scatters: forward through it, and the rest back, as what is matt does."""
        leaf, port = self._part(LEAF), "subsurface_scatter_anisotropy"
        forward = 0.5 * (1.0 + float(self._value(port)))
        if port in self.whole.links or forward >= 1.0:
            return leaf
        back = self._node("part_back", MATT)
        self._take(back, "subsurface_color", "base_color")
        back.values.setdefault("base_color", common_ground().types[SURFACE].parameters["subsurface_color"].default)  # type: ignore[arg-type]
        leaf.values[port] = 1.0
        both = self._node("by_forward", LAYER, under=back, top=leaf)
        both.values["amount"] = forward
        self._take_rows(both, port, "amount")
        return both

    def _lying(self, base: Node | None) -> Node:
        for part, weight in ((COAT, "coat_weight"), (FUZZ, "fuzz_weight"), (GLOW, "emission_luminance")):
            if self._some(weight):
                base = self._stack(self._part(part), base)
        return base if base is not None else self._part(MATT)

    def _shaped(self, root: Node) -> Node:
        for port in ("geometry_normal", "geometry_opacity"):
            if port in self.whole.links or (port == "geometry_opacity" and float(self._value(port)) < 1.0):
                node = self._node(f"{_SUFFIX}{port.removeprefix('geometry_')}", SHAPED, under=root)
                self._take(node, port)
                root = node
        return root

    # making

    def _node(self, name: str, kind: str, **links: Node) -> Node:
        node = Node(f"{self.whole.id}_{name.removeprefix(_SUFFIX)}", kind, source=self.whole.source)
        node.links = {port: Link(one.id) for port, one in links.items()}
        return self.inward.graph.add(node)

    def _part(self, part: str) -> Node:
        node = self._node(part, part)
        for port in content.ports_of(part):
            self._take(node, port)
        return node

    def _stack(self, upper: Node, lower: Node | None) -> Node:
        return self._node("stack", STACK, upper=upper, lower=lower) if lower is not None else upper

    def _beside(self, under: Node | None, top: Node, weight: str) -> Node:
        node = self._node(f"by_{weight.removesuffix('_weight').removeprefix('base_')}", LAYER, top=top)
        if under is not None:
            node.links["under"] = Link(under.id)
        self._take(node, weight, "amount")
        return node

    def _take(self, node: Node, port: str, new: str = "") -> None:
        """Have a part say what the surface says, with its rows."""
        new = new or port
        link = self.whole.links.get(port)
        value: Value | None = self.whole.values.get(port)
        if link is not None:
            node.links[new] = link
        elif value is not None:
            node.values[new] = value
        self._take_rows(node, port, new)

    def _take_rows(self, node: Node, port: str, new: str) -> None:
        rows = self.inward.origins.get((self.whole.id, port))
        if rows:
            self.inward.origins.setdefault((node.id, new), []).extend(rows)
        if (self.whole.id, port) in self.inward.defaults:
            self.inward.defaults[node.id, new] = self.inward.defaults[self.whole.id, port]
