"""A `Wire` stands for a map in a formula: arithmetic on it grows nodes in the graph instead of numbers.

Scaling and shifting by constants is gathered first and becomes one `remap` node; a remap that the wire already
comes from is folded in, so that a formula and its inverse leave nothing behind.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from durvan.graph.formula import Vec
from durvan.scene.graph import Graph, Link, Node, Value

TINY = 1e-9
CHANNELS = ("outr", "outg", "outb")
SOLID = "outa"  # what a picture says of where it is solid; arithmetic on colours leaves it alone


def _all(value: Any, wanted: float) -> bool:
    parts = value if isinstance(value, tuple) else (value,)
    return all(abs(part - wanted) < TINY for part in parts)


def affine_of(node: Node) -> tuple[Any, Any] | None:
    """The gain and shift of a `remap` node whose ends are constants; None when it is something else."""
    if node.kind != "remap" or any(port != "in" for port in node.links):
        return None
    ends: list[Any] = []
    for port, default in (("inlow", 0.0), ("inhigh", 1.0), ("outlow", 0.0), ("outhigh", 1.0)):
        value = node.values.get(port, default)
        ends.append(Vec(value) if isinstance(value, tuple) else value)
    low, high, out_low, out_high = ends
    width = high - low
    if any(part == 0 for part in (width if isinstance(width, tuple) else (width,))):
        return None
    gain = (out_high - out_low) / width
    return gain, out_low - low * gain


@dataclass(frozen=True, slots=True)
class Wire:
    """A link into a graph, times `gain`, plus `shift`."""

    graph: Graph
    link: Link
    stem: str
    gain: Any = 1.0
    shift: Any = 0.0

    def _scaled(self, factor: Any, offset: Any = 0.0) -> Wire:
        return Wire(self.graph, self.link, self.stem, self.gain * factor, self.shift * factor + offset)

    def __add__(self, other: Any) -> Wire:
        return self._pair("add", self, other) if isinstance(other, Wire) else self._scaled(1.0, other)

    def __radd__(self, other: Any) -> Wire:
        return self._scaled(1.0, other)

    def __sub__(self, other: Any) -> Wire:
        if isinstance(other, Wire):
            return self._pair("subtract", self, other)
        return self._scaled(1.0, -other)

    def __rsub__(self, other: Any) -> Wire:
        return self._scaled(-1.0, other)

    def __mul__(self, other: Any) -> Wire:
        return self._pair("multiply", self, other) if isinstance(other, Wire) else self._scaled(other)

    def __rmul__(self, other: Any) -> Wire:
        return self._scaled(other)

    def __truediv__(self, other: Any) -> Wire:
        if isinstance(other, Wire):
            return self._pair("divide", self, other)
        return self._scaled(1.0 / other)

    def __rtruediv__(self, other: Any) -> Wire:
        flat = self.settled()
        node = Node(f"{self.stem}_divide", "divide", {"in1": _value(other)}, {"in2": flat})
        return Wire(self.graph, Link(self.graph.add(node).id), self.stem)

    def __neg__(self) -> Wire:
        return self._scaled(-1.0)

    def __pow__(self, exponent: Any) -> Wire:
        if isinstance(exponent, Wire):
            return self._pair("power", self, exponent)
        if _all(exponent, 1.0):
            return self
        flat = self.settled(before_channel=False)  # a power of a mean is no mean of powers
        before = self.graph.nodes.get(flat.node)
        if before is not None and before.kind == "power" and "in2" not in before.links and "in1" in before.links:
            earlier = before.values.get("in2", 1.0)
            if isinstance(earlier, int | float) and isinstance(exponent, int | float):
                together = earlier * exponent
                inner = Wire(self.graph, before.links["in1"], self.stem)
                return inner if abs(together - 1.0) < TINY else inner**together
        node = Node(f"{self.stem}_power", "power", {"in2": _value(exponent)}, {"in1": flat})
        return Wire(self.graph, Link(self.graph.add(node).id), self.stem)

    def _pair(self, kind: str, first: Wire, second: Wire) -> Wire:
        node = Node(f"{self.stem}_{kind}", kind, {}, {"in1": first.settled(), "in2": second.settled()})
        return Wire(self.graph, Link(self.graph.add(node).id), self.stem)

    def as_normal(self) -> Wire:
        """This map, between −1 and 1, as a normal; a normal already is left as it is."""
        before = self.graph.nodes.get(self.link.node)
        if before is not None and before.kind in ("normalmap", "bump"):
            return self
        node = Node(f"{self.stem}_normal", "normalmap", {}, {"in": (self * 0.5 + 0.5).settled()})
        return Wire(self.graph, Link(self.graph.add(node).id), self.stem)

    def from_normal(self) -> Wire:
        """The map behind a normal map of full strength, between −1 and 1. Raises ValueError for other relief."""
        before = self.graph.nodes.get(self.link.node)
        if before is None or before.kind != "normalmap" or "in" not in before.links:
            raise ValueError("only a normal map can be read as a picture")
        if abs(float(before.values.get("scale", 1.0)) - 1.0) > TINY:  # type: ignore[arg-type] # a float port
            raise ValueError("the normal map's strength is not 1")
        return Wire(self.graph, before.links["in"], self.stem) * 2.0 - 1.0

    def settled(self, before_channel: bool = True) -> Link:
        """The link that carries this wire's value, after growing the `remap` node that it still needs.

        Where one channel is read and every channel would be scaled alike, the node may come before the channel is
        taken out: a picture can then say it itself. Not so before solidity.
        """
        gain, shift, link = self.gain, self.shift, self.link
        if _all(gain, 1.0) and _all(shift, 0.0):
            return link
        before = self.graph.nodes.get(link.node)
        inner = affine_of(before) if before is not None else None
        if before is not None and inner is not None and "in" in before.links and link.output != SOLID:
            inner_gain, inner_shift = inner
            if link.output == "out" or (_is_scalar(inner_gain) and _is_scalar(inner_shift)):
                gain, shift = gain * inner_gain, shift + gain * inner_shift
                upstream = before.links["in"]
                link = Link(upstream.node, link.output if upstream.output == "out" else upstream.output)
                if _all(gain, 1.0) and _all(shift, 0.0):
                    return link
        channel = "out"
        if before_channel and link.output not in ("out", SOLID) and _is_scalar(gain) and _is_scalar(shift):
            channel, link = link.output, Link(link.node)
        node = Node(f"{self.stem}_remap", "remap")
        node.links["in"] = link
        node.values["outlow"] = _value(shift)
        node.values["outhigh"] = _value(shift + gain)
        return Link(self.graph.add(node).id, channel)


def _is_scalar(value: Any) -> bool:
    return not isinstance(value, tuple) or len(set(value)) == 1


def _value(value: Any) -> Value:
    if isinstance(value, tuple):
        return tuple(float(part) for part in value)
    return float(value)
