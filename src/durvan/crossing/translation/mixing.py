"""Two open surfaces as one: every parameter by the share of both, as far as each of them says anything."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from durvan.crossing.translation.ground import Inward
from durvan.dialects.said import Why
from durvan.graph.formula import plain, wrap
from durvan.graph.wire import Wire
from durvan.scene.fate import Fate
from durvan.scene.graph import Node, same
from durvan.scene.vocabulary import Parameter, common_ground

_SURFACE = "open_pbr_surface"
# Which weight says whether a parameter counts
_BY = {
    "coat_": "coat_weight", "fuzz_": "fuzz_weight", "subsurface_": "subsurface_weight", "transmission_": "transmission_weight",
    "thin_film_": "thin_film_weight", "emission_color": "emission_luminance", "specular_color": "specular_weight",
    "specular_ior": "specular_weight",
}  # fmt: skip
_RELIEF = ("geometry_normal", "geometry_coat_normal", "geometry_tangent", "geometry_coat_tangent")


@dataclass
class Side:
    """A surface, asked port by port."""

    inward: Inward
    node: Node

    def get(self, port: str) -> Any:
        """A number, a colour or a wire."""
        link = self.node.links.get(port)
        if link is not None:
            return Wire(self.inward.graph, link, f"{self.node.id}_{port}")
        parameter = _parameters()[port]
        value = self.node.values.get(port, parameter.default)
        return wrap(value)

    def says_nothing(self, port: str) -> bool:
        """Whether the parameter does not count, because its weight is 0."""
        weight = _weight_of(port)
        return bool(weight) and not isinstance(found := self.get(weight), Wire) and found == 0.0


def _weight_of(port: str) -> str:
    """The weight that says whether a parameter counts; empty for one that always does."""
    return next((weight for start, weight in _BY.items() if port.startswith(start) and weight != port), "")


def _parameters() -> dict[str, Parameter]:
    return common_ground().types[_SURFACE].parameters


def merged(inward: Inward, under: Node, top: Node, amount: Wire | float, how: str, why: Why) -> Node:
    """The surface that stands for `top` on `under` by an amount; it takes the place of `under`, and the rows of both end in it."""
    low, high = Side(inward, under), Side(inward, top)
    out: dict[str, Any] = {}
    touched = {*under.ports(), *top.ports()}
    for port, parameter in _parameters().items():
        if port in touched:
            out[port] = _mixed(port, parameter, low, high, amount) if how == "over" else _added(port, low, high, amount)
    if how == "add":
        out |= _highlight(low, high, amount)
    fresh = Node(under.id, _SURFACE, source=under.source)
    for port, value in out.items():
        if isinstance(value, Wire):
            fresh.links[port] = value.settled()
        elif value is not None and not same(plain(value), _parameters()[port].default):
            fresh.values[port] = plain(value)
    _move_rows(inward, under, top, fresh, why)
    inward.graph.nodes[under.id] = fresh
    inward.graph.nodes.pop(top.id, None)
    return fresh


def _mixed(port: str, parameter: Parameter, low: Side, high: Side, amount: Any) -> Any:
    one, two = low.get(port), high.get(port)
    if port in _RELIEF:
        return two if one is None or (isinstance(two, Wire) and not isinstance(amount, Wire) and amount > 0.5) else one
    if parameter.type == "bool":
        counts = high if low.says_nothing("transmission_color") and low.says_nothing("subsurface_color") else low
        return counts.get(port)
    if one is None or two is None or low.says_nothing(port):
        return two
    if high.says_nothing(port):
        return one
    if not isinstance(one, Wire) and not isinstance(two, Wire) and same(plain(one), plain(two)):
        return one
    share = amount
    weight = _weight_of(port)
    if weight and not isinstance(amount, Wire):
        a, b = low.get(weight), high.get(weight)
        if not isinstance(a, Wire) and not isinstance(b, Wire):
            share = b * amount / max(a * (1.0 - amount) + b * amount, 1e-9)
    return blended(one, two, share)


def blended(one: Any, two: Any, share: Any) -> Any:
    """Two numbers, colours or wires by the share of the second."""
    if isinstance(share, Wire) and not isinstance(one, Wire):
        return one + (two - one) * share
    return one * (1.0 - share) + two * share


def _added(port: str, low: Side, high: Side, amount: Any) -> Any:
    """What lies below stays; matt light and glow of what is added come on top."""
    one = low.get(port)
    if port == "base_color" and not isinstance(one, Wire):
        more = high.get(port)
        metal = high.get("base_metalness")
        if isinstance(more, Wire) or isinstance(amount, Wire) or isinstance(metal, Wire):
            return one
        sum_ = one + more * (amount * (1.0 - metal))
        return wrap(tuple(min(part, 1.0) for part in sum_))
    if port in ("emission_luminance", "emission_color"):
        return high.get(port) if low.says_nothing("emission_color") else one
    return one


def _highlight(low: Side, high: Side, amount: Any) -> dict[str, Any]:
    """The highlight of what is added, as a coat, where there is none yet."""
    if not isinstance(low.get("coat_weight"), Wire) and low.get("coat_weight") != 0.0:
        return {}
    weight = high.get("specular_weight")
    strength = amount * weight if not (isinstance(amount, Wire) and isinstance(weight, Wire)) else amount
    if not isinstance(strength, Wire):
        strength = min(strength, 1.0)
    return {
        "coat_weight": strength, "coat_roughness": high.get("specular_roughness"), "coat_ior": high.get("specular_ior"),
        "coat_darkening": 0.0,
    }  # fmt: skip


def _move_rows(inward: Inward, under: Node, top: Node, fresh: Node, why: Why) -> None:
    """Rows that led to a port of one of both lead to that port now; those of what counts no more end here."""
    for port in {*under.ports(), *top.ports()}:
        rows = [row for node in (under, top) for row in inward.origins.pop((node.id, port), ())]
        for row in rows:
            row.meet(Fate.FITTED, why)
        for node in (under, top):
            inward.defaults.pop((node.id, port), None)
        inward.origins.setdefault((fresh.id, port), []).extend(dict.fromkeys(rows))
    for key in [key for key in inward.defaults if key[0] in (under.id, top.id)]:
        del inward.defaults[key]
