"""What USD's preview surface looks like in MaterialX: the same surface, fed by MaterialX's nodes."""

from __future__ import annotations

from durvan.dialects.look import Inputs, Surface
from durvan.dialects.shared import preview_looks, usd_looks
from durvan.dialects.shared.materialx import looks as shared

node = shared.node
light, camera, settings = usd_looks.light, usd_looks.camera, usd_looks.settings


def surface(kind: str, get: Inputs) -> Surface:
    """The preview surface, and what all of MaterialX's packs share."""
    return preview_looks.surface(get) if kind == "mtlx.UsdPreviewSurface" else shared.surface(kind, get)
