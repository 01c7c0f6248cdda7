"""What MaterialX's glTF PBR looks like: glTF's material, fed by MaterialX's nodes."""

from __future__ import annotations

import math

from durvan.dialects.look import Inputs, Surface
from durvan.dialects.shared import gltf_looks, usd_looks
from durvan.dialects.shared.materialx import looks as shared
from durvan.graph.expression import Field

node = shared.node
light, camera, settings = usd_looks.light, usd_looks.camera, usd_looks.settings


def surface(kind: str, get: Inputs) -> Surface:
    """glTF's surfaces, and what all of MaterialX's packs share."""
    return gltf_looks.surface(get, _turn(get)) if kind.startswith("mtlx.gltf_pbr") else shared.surface(kind, get)


def _turn(get: Inputs) -> Field:
    own = get("anisotropy_rotation")
    return own + get("tangent")[0] * (math.pi / 180.0) if get.linked("tangent") else own
