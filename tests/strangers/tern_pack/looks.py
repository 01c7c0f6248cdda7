"""What Tern's paint looks like, from its own definition: a matt base under a GGX shine of index 1.5."""

from __future__ import annotations

from durvan.dialects.look import Inputs, Lamp, Lobe, Surface
from durvan.dialects.shared import usd_looks
from durvan.dialects.shared.looks import measured
from durvan.graph.expression import Field
from durvan.optics.lobes import layout

camera, settings = usd_looks.camera, usd_looks.settings


def light(kind: str, get: Inputs) -> Lamp | None:
    """A beacon shines as its profile was measured; other lights are USD's."""
    if kind != "tern.beacon":
        return usd_looks.light(kind, get)
    tint = get.numbers("tint")
    return measured(get, get.word("file"), 0.0, 0.0, (tint[0], tint[1], tint[2]))


def surface(kind: str, get: Inputs) -> Surface:
    """The paint."""
    rough = get("dullness") / 100.0
    shine = Lobe(layout.REFLECT, 1.0, rough * rough, fresnel=layout.DIELECTRIC, first=1.5, cover=layout.SCALED)
    return Surface([shine, Lobe(layout.DIFFUSE, get("pigment"), under=shine)])


def node(kind: str, get: Inputs) -> dict[str, Field] | None:
    """There is no other node."""
    return None
