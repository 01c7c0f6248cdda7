"""Units of MaterialX: what a value is multiplied by that states its unit, to be in that of the port that it is for.

The libraries say units of few ports; those of surfaces stand in their specifications. A length of any other port counts in the scene's unit.
"""

from __future__ import annotations

import math

METRES = 0.01  # what a document that states no unit is read in, as USD does
_LENGTHS = {
    "nanometer": 1e-9, "micron": 1e-6, "micrometer": 1e-6, "millimeter": 1e-3, "centimeter": 1e-2, "inch": 0.0254, "foot": 0.3048,
    "yard": 0.9144, "meter": 1.0, "kilometer": 1000.0, "mile": 1609.344,
}  # fmt: skip
_ANGLES = {"degree": 1.0, "radian": math.degrees(1.0), "turn": 360.0}
# Ports with a unit of their own: OpenPBR 1.1, Standard Surface 1.0.1, glTF PBR 2.0.1
_OWN = {
    ("open_pbr_surface", "thin_film_thickness"): "micron",
    ("standard_surface", "thin_film_thickness"): "nanometer",
    ("gltf_pbr", "iridescence_thickness"): "nanometer",
    ("gltf_pbr", "anisotropy_rotation"): "radian",
    ("standard_surface", "specular_rotation"): "turn",
    ("standard_surface", "coat_rotation"): "turn",
    ("dielectric_bsdf", "thinfilm_thickness"): "nanometer",
    ("conductor_bsdf", "thinfilm_thickness"): "nanometer",
    ("generalized_schlick_bsdf", "thinfilm_thickness"): "nanometer",
    **{
        (category, "rotate"): "degree"
        for category in ("place2d", "gltf_image", "gltf_colorimage", "gltf_normalmap", "gltf_anisotropy_image")
    },
    **{(category, "amount"): "degree" for category in ("rotate2d", "rotate3d")},
    ("latlongimage", "rotation"): "degree",
}


def in_units_of(unit: str, category: str, port: str) -> float | None:
    """The factor from a stated unit to that of a node's port; None where it is none, or measures something else."""
    own = _OWN.get((category, port), "")
    if unit in _LENGTHS:
        return None if own in _ANGLES else _LENGTHS[unit] / _LENGTHS.get(own, METRES)
    if unit in _ANGLES:
        return None if own in _LENGTHS else _ANGLES[unit] / _ANGLES.get(own, 1.0)
    return None
