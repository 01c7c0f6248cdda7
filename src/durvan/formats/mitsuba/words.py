"""What stands in Mitsuba's scene files: which tags are objects, which properties, and names that stand for numbers."""

from __future__ import annotations

import numpy as np

OBJECTS = (
    "bsdf", "texture", "shape", "emitter", "sensor", "film", "integrator", "sampler", "rfilter", "medium", "phase", "volume",
    "scene",
)  # fmt: skip
PROPERTIES = (
    "float", "integer", "boolean", "string", "rgb", "spectrum", "vector", "point", "transform", "ref", "path", "default",
    "include", "alias",
)  # fmt: skip
PREFIX = "mitsuba."
HALF_TURN = np.diag([-1.0, 1.0, -1.0, 1.0])  # a sensor looks along +Z with +X on its left, a camera here along −Z
WRAPPERS = ("twosided", "mask", "normalmap", "bumpmap")
# Indices of refraction by the names that scene files may have for them (Mitsuba 3, documentation of the dielectric BSDFs).
INDICES = {
    "vacuum": 1.0, "helium": 1.000036, "hydrogen": 1.000132, "air": 1.000277, "carbon dioxide": 1.00045, "water": 1.333,
    "acetone": 1.36, "ethanol": 1.361, "carbon tetrachloride": 1.461, "glycerol": 1.4729, "benzene": 1.501,
    "silicone oil": 1.52045, "bromine": 1.661, "water ice": 1.31, "fused quartz": 1.458, "pyrex": 1.47, "acrylic glass": 1.49,
    "polypropylene": 1.49, "bk7": 1.5046, "sodium chloride": 1.544, "amber": 1.55, "pet": 1.575, "diamond": 2.419,
}  # fmt: skip
SHAPES_WITH_LIGHT = {
    "rectangle": "area_rectangle",
    "disk": "area_disk",
    "sphere": "area_sphere",
    "cylinder": "area_cylinder",
}
# Ports that take one number; a picture on them counts by its luminance.
GREY = frozenset({
    "opacity", "alpha", "alpha_v", "roughness", "anisotropic", "metallic", "spec_trans", "spec_tint", "sheen", "sheen_tint", "flatness",
    "clearcoat", "clearcoat_gloss", "diff_trans", "weight", "height",
})  # fmt: skip
SENSORS = ("mitsuba.perspective", "mitsuba.thinlens", "mitsuba.orthographic")
AROUND = ("mitsuba.constant", "mitsuba.envmap")
