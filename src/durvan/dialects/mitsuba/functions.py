"""What Mitsuba's formulas call: metals by their indices, and placements whose v runs down there and up on the common ground."""

from __future__ import annotations

import math

from durvan.dialects.gltf.functions import offset_down, offset_up
from durvan.dialects.mitsuba.plastic import coat
from durvan.graph.formula import Vec
from durvan.optics.fresnel import f0_from_index, index_from_f0
from durvan.optics.lobes import layout
from durvan.scene.ready import metals


def named_eta(symbol: str) -> Vec:
    """The real part of a metal's index by its symbol; of none, nought."""
    found = metals().get(symbol)
    return Vec(found[0]) if found else Vec((0.0, 0.0, 0.0))


def named_k(symbol: str) -> Vec:
    """The imaginary part."""
    found = metals().get(symbol)
    return Vec(found[1]) if found else Vec((1.0, 1.0, 1.0))


def alpha_along(roughness: float, anisotropy: float) -> float:
    """Alpha along the tangent of OpenPBR's roughness and anisotropy (1.1, microfacet model)."""
    ratio = 1.0 - anisotropy
    return min(roughness * roughness * math.sqrt(2.0 / (1.0 + ratio * ratio)), 1.0)


def alpha_across(roughness: float, anisotropy: float) -> float:
    """Alpha across it."""
    return max((1.0 - anisotropy) * alpha_along(roughness, anisotropy), 1e-4)


def facets_show(alpha: float, index: float, facets: str = "ggx") -> float:
    """What the base of a rough plastic shows, as a part of what it would under a coat that loses nothing."""
    kind = layout.GGX if facets == "ggx" else layout.BECKMANN
    return max(coat(round(min(max(alpha, 0.0), 1.0), 3), round(max(index, 1.0), 3), kind)[0], 0.01)


def plastic_shows(alpha: float, index: float, weight: float) -> float:
    """The same of a coat whose reflection is scaled by a weight."""
    return facets_show(alpha, index if weight == 1.0 else index_from_f0(min(weight * f0_from_index(index), 0.99)))


FUNCTIONS = {
    "facets_show": facets_show, "plastic_shows": plastic_shows,
    "named_eta": named_eta, "named_k": named_k, "alpha_along": alpha_along, "alpha_across": alpha_across,
    "attribute_name": lambda name: name.removeprefix("vertex_").removeprefix("face_"), "is_metal": lambda symbol: symbol in metals(), "offset_up": offset_up, "offset_down": offset_down,
}  # fmt: skip
