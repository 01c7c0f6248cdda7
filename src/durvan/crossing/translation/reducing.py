"""A material is reduced to maps: colour, metalness, roughness and normal, and opacity, glow and height where they are used.

What is laid on or below the base goes into its colour and roughness as far as it can; what varies and is none of these stands at
its default; what is the same all over stays a number.
"""

from __future__ import annotations

from typing import Any

from durvan.crossing.translation.bakery import WAITS_FOR_SHAPES, Bakery, use_of
from durvan.crossing.translation.ground import Inward, lets_light_pass
from durvan.crossing.translation.matching import Matcher
from durvan.crossing.translation.mixing import Side, blended
from durvan.crossing.translation.parts import Part
from durvan.crossing.translation.reliefs import is_plain, of_port
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.graph.formula import plain, wrap
from durvan.graph.wire import Wire
from durvan.optics.fresnel import f0_from_index
from durvan.scene.fate import Fate
from durvan.scene.graph import Link, Node, same
from durvan.scene.vocabulary import common_ground

_SURFACE = "open_pbr_surface"
_MAPS = (
    "base_color",
    "base_metalness",
    "specular_roughness",
    "geometry_opacity",
    "emission_color",
    "emission_luminance",
)
_NORMAL = "geometry_normal"
_PLACES = ("place2d", "geompropvalue")
_SEE_THROUGH = 0.02  # of what passes, from where on a material is no opaque one
_METAL = 0.7  # reflected by a metal whose colour is a map
_FOLDS = ("coat_", "subsurface_", "base_weight")
_GONE = ("coat_", "fuzz_", "subsurface_", "thin_film_", "transmission_")
_GONE_TOO = (
    "base_weight", "specular_roughness_anisotropy", "geometry_coat_normal", "geometry_tangent", "geometry_coat_tangent",
)  # fmt: skip
_FOLDED = Why(
    Cause.MERGED, "Reduced to maps: it is in the colour and the roughness, as far as they can say it.", "maps"
)
_LEFT = Why(Cause.MERGED, "Reduced to maps: none of them can say it, so it stands at its default.", "maps")


def reduce(inward: Inward, bakery: Bakery, target: Pack) -> tuple[Why, ...]:
    """Reduce every surface of a thing, which has no layers any more; why it was not, where that cannot be."""
    surfaces = [node for node in inward.graph.nodes.values() if node.kind == _SURFACE]
    if not surfaces:
        return (_unmet("it has no surface that can be reduced."),)
    if any(lets_light_pass(node, _SEE_THROUGH) for node in surfaces):
        return (_unmet("light passes through it, and that cannot be in maps of an opaque one."),)
    found = dict.fromkeys(why for node in surfaces for why in _Reduction(inward, bakery, node, target).run())
    moved = _height(inward, bakery, target)
    return tuple(found | ({moved: None} if moved is not None else {}))


def _unmet(what: str, topic: str = "") -> Why:
    waits = topic == WAITS_FOR_SHAPES
    return Why(Cause.NO_WORD, f"Not reduced to maps: {what}", topic if waits else "maps:unmet")


def _height(inward: Inward, bakery: Bakery, target: Pack) -> Why | None:
    """The height that moves the surface becomes a map as well."""
    link = inward.graph.outputs.get("displacement")
    node = inward.graph.nodes.get(link.node) if link is not None else None
    if node is None or "displacement" not in node.links:
        return None
    return _Reduction(inward, bakery, node, target).to_map("displacement")


class _Reduction:
    """Reduces one node's ports."""

    def __init__(self, inward: Inward, bakery: Bakery, node: Node, target: Pack) -> None:
        self.matcher = Matcher(inward.graph, target, {})
        self.inward, self.bakery, self.node, self.graph = inward, bakery, node, inward.graph
        self.side = Side(inward, node)

    def run(self) -> list[Why]:
        """Fold, leave out, and bake; why something could not be baked."""
        before = len(self.graph.nodes)
        colour, roughness = self._colour(), self._roughness()
        self._leave_out()
        self._set("base_color", colour)
        self._set("specular_roughness", roughness)
        self.inward.learn_grown(before, [])
        self.bakery.renew()
        found = [self.to_map(port) for port in _MAPS]
        link = self.node.links.get(_NORMAL)
        if link is not None and not is_plain(self.graph, link):
            found.append(of_port(self.bakery, link))
        return [_unmet(why.said[:1].lower() + why.said[1:], why.topic) for why in found if why is not None]

    # folding

    def _colour(self) -> Any:
        """The base's colour with what lies below its surface, as its coat lets it be seen."""
        get = self.side.get
        colour, weight, coat = get("base_color"), get("base_weight"), get("coat_weight")
        if isinstance(weight, Wire) or weight != 1.0:
            colour = colour * weight
        if not self.side.says_nothing("subsurface_color"):
            colour = blended(colour, get("subsurface_color"), get("subsurface_weight"))
        tint = get("coat_color")
        if not self.side.says_nothing("coat_color") and (isinstance(tint, Wire) or min(tint) < 1.0):
            colour = blended(wrap((1.0, 1.0, 1.0)), tint, coat) * colour
        return colour

    def _roughness(self) -> Any:
        """The base's roughness, and its coat's by the coat's part of what is reflected."""
        roughness = self.side.get("specular_roughness")
        if self.side.says_nothing("coat_roughness"):
            return roughness
        return blended(roughness, self.side.get("coat_roughness"), self.side.get("coat_weight") * self._coat_share())

    def _coat_share(self) -> float:
        """The coat's part of all that is reflected when faced, with maps at their defaults."""
        over, colour = f0_from_index(self._number("coat_ior")), self.side.get("base_color")
        metal = self._number("base_metalness")
        bright = _METAL if isinstance(colour, Wire) else max(colour)
        base = f0_from_index(self._number("specular_ior")) * self._number("specular_weight")
        return float(over / max(over + (1.0 - metal) * base + metal * bright, 1e-6))

    def _number(self, port: str) -> float:
        value = self.side.get(port)
        if isinstance(value, Wire):
            value = common_ground().types[_SURFACE].parameters[port].default
        return float(value)

    def _set(self, port: str, value: Any) -> None:
        self.node.values.pop(port, None)
        self.node.links.pop(port, None)
        if isinstance(value, Wire):
            self.node.links[port] = value.settled()
        elif not same(plain(value), common_ground().types[self.node.kind].parameters[port].default):
            self.node.values[port] = plain(value)

    def _leave_out(self) -> None:
        """What no map can say stands at its default; of the rest what varies does."""
        kept = (*_MAPS, _NORMAL)
        gone = [
            port
            for port in dict.fromkeys(self.node.ports())
            if port.startswith(_GONE) or port in _GONE_TOO or (port in self.node.links and port not in kept)
        ]
        idle = {port for port in gone if self.side.says_nothing(port)}
        for port in gone:
            why = (Fate.FITTED, _FOLDED) if port.startswith(_FOLDS) else (Fate.LOST, _LEFT)
            for row in self.inward.origins.get((self.node.id, port), ()) if port not in idle else ():
                row.meet(*why)
            self.node.links.pop(port, None)
            self.node.values.pop(port, None)

    # baking

    def to_map(self, port: str) -> Why | None:
        """Have a map feed a port that varies, and a number one that does not; why not, where that cannot be."""
        link = self.node.links.get(port)
        source = self.graph.nodes.get(link.node) if link is not None else None
        if link is None or source is None or self._is_map(source):
            return None
        steady = self.bakery.steady(link)
        if steady is not None:
            self._steady(port, steady)
            return None
        why = self.bakery.against(link.node)
        if why is not None:
            return why
        part = Part(self.bakery.flow, link.node)
        rows = self.bakery.rows_of(part)
        rows += [row for row in self.inward.origins.get((self.node.id, port), ()) if row not in rows]
        use = use_of(self.node.kind, port)
        image = self.bakery.picture(f"{self.node.id}_{port}_map", part, part.shared_place(), link, use, rows)
        self.bakery.put(image, rows)
        self.node.links[port] = Link(image.id)
        return None

    def _is_map(self, source: Node) -> bool:
        """Whether it is one picture that the target reads as it is."""
        match = self.matcher.match(source)
        if match is None:
            return False
        taken = {node.id for node in match.roles.values()}
        others = [node for node in Part(self.bakery.flow, source.id).nodes() if node.id not in taken]
        return any(node.kind == "image" for node in match.roles.values()) and all(
            node.kind in _PLACES for node in others
        )

    def _steady(self, port: str, value: tuple[float, ...]) -> None:
        """A number in the place of a network that is the same all over."""
        parameter = common_ground().types[self.node.kind].parameters[port]
        wide = parameter.type in ("color", "vector3")
        self._set(port, wrap((value * 3)[:3]) if wide else value[0])
