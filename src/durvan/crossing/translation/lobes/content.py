"""What the parts of a surface say, and what a surface is that lacks some of them."""

from __future__ import annotations

from functools import cache

from durvan.scene.vocabulary import common_ground

SURFACE, LAYER, SIDES, STACK, SHAPED = "open_pbr_surface", "layer", "two_sided", "stack", "shaped"
MATT, MIRROR, METAL, GLASS, PANE = "part_matt", "part_mirror", "part_metal", "part_glass", "part_pane"
DEEP, LEAF, COAT, FUZZ, GLOW = "part_deep", "part_leaf", "part_coat", "part_fuzz", "part_glow"
BASES = (MATT, DEEP, LEAF, METAL, GLASS, PANE)  # that light does not pass; what lies below one is not seen
LYING = (GLOW, FUZZ, COAT, MIRROR)  # that may lie on others, from the top down
CLEAR = (GLASS, PANE)
HIGHLIGHT = ("specular_roughness", "specular_roughness_anisotropy", "geometry_tangent")
BENDING = ("specular_weight", "specular_ior", "specular_color")
SHAPE = ("geometry_opacity", "geometry_normal")


@cache
def ports_of(part: str) -> frozenset[str]:
    """What a part says."""
    return frozenset(common_ground().types[part].parameters)


def is_part(kind: str) -> bool:
    """Whether a node of the common ground is a part of a surface, or puts parts together."""
    found = common_ground().types.get(kind)
    return found is not None and found.role == "part"


def absences(parts: frozenset[str]) -> dict[str, float | bool]:
    """What a whole surface has to say, besides what its parts do, to have these parts alone."""
    said: dict[str, float | bool] = {}
    bases = parts.intersection(BASES)
    if MIRROR not in parts and not bases.intersection((METAL, *CLEAR)):
        said["specular_weight"] = 0.0
    if not bases or bases == {LEAF}:
        said["base_weight"] = 0.0
    if bases == {METAL}:
        said["base_metalness"] = 1.0
    if bases and bases <= set(CLEAR):
        said["transmission_weight"] = 1.0
    if bases and bases <= {DEEP, LEAF}:
        said["subsurface_weight"] = 1.0
    if parts.intersection((PANE, LEAF)):
        said["geometry_thin_walled"] = True
    return said
