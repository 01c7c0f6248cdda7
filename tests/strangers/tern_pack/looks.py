"""What Tern's paint looks like, from its own definition: a matt base under a GGX shine of index 1.5."""

from __future__ import annotations

from durvan.dialects.look import Inputs, Lobe, Surface
from durvan.dialects.shared import usd_looks
from durvan.graph.expression import Field
from durvan.optics.lobes import layout

light, camera, settings = usd_looks.light, usd_looks.camera, usd_looks.settings


def surface(kind: str, get: Inputs) -> Surface:
    """The paint."""
    rough = get("dullness") / 100.0
    shine = Lobe(layout.REFLECT, 1.0, rough * rough, fresnel=layout.DIELECTRIC, first=1.5, cover=layout.SCALED)
    return Surface([shine, Lobe(layout.DIFFUSE, get("pigment"), under=shine)])


def node(kind: str, get: Inputs) -> dict[str, Field] | None:
    """There is no other node."""
    return None
