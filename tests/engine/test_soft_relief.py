"""Relief as Mitsuba has it, held against its own plugin: bent the other way where it would be met from behind, and shadowed softly."""

from __future__ import annotations

import mitsuba as mi
import numpy as np
import pytest

from durvan.dialects.look import Lobe, Surface, View, record
from durvan.graph.expression import field
from durvan.optics.lobes import layout as L
from small import floor, lamp, render, towards, world


@pytest.fixture(scope="module", autouse=True)
def _ready(kernels: None) -> None:
    mi.set_variant("scalar_rgb")


def by_the_plugin(normal: np.ndarray, eye: np.ndarray, light: np.ndarray) -> float:
    """What a matt half gives the eye of a light that lights a plane at right angles with 1, as the plugin has it."""
    colour = ((normal + 1.0) / 2.0).astype(np.float32)
    picture = mi.Bitmap(np.tile(colour, (2, 2, 1)))
    bsdf = mi.load_dict({
        "type": "normalmap", "normalmap": {"type": "bitmap", "bitmap": picture, "raw": True},
        "bsdf": {"type": "diffuse", "reflectance": {"type": "rgb", "value": [0.5] * 3}},
    })  # fmt: skip
    at = mi.SurfaceInteraction3f()
    at.n, at.uv, at.wi = [0, 0, 1], [0.5, 0.5], eye.tolist()
    at.sh_frame = mi.Frame3f(mi.Vector3f(1, 0, 0), mi.Vector3f(0, 1, 0), mi.Vector3f(0, 0, 1))
    at.dp_du, at.dp_dv = [1, 0, 0], [0, 1, 0]
    return float(bsdf.eval(mi.BSDFContext(), at, mi.Vector3f(*light.tolist()))[0])


@pytest.mark.parametrize("tilt", [(0.2, 0.1), (0.6, 0.0), (-0.9, 0.3), (0.3, -0.92), (-0.97, -0.1)])
@pytest.mark.parametrize("low", [0.35, 0.9])
def test_relief_is_met_as_the_plugin_meets_it(tilt: tuple[float, float], low: float) -> None:
    """The floor's tangents are x and −z, so its (x, y, z) of a tangent-space normal are (x, z, −y) of the world."""
    normal = np.array([*tilt, np.sqrt(1.0 - tilt[0] ** 2 - tilt[1] ** 2)])
    look = record(Surface([Lobe(L.DIFFUSE, (0.5,) * 3)], relief=("normal", field(tuple(normal))), soft_relief=True))
    eye, light = towards(0.5, low, 0.6, 5.0), towards(-0.4, 0.8, 0.5, 5.0)
    sun = lamp("far", 1.0, at=light)
    narrow = {"size": (8, 8), "view": View(1.0, 40.0), "eye": eye, "bounces": 1}
    looks = (look, record(Surface([Lobe(L.DIFFUSE, (0.5,) * 3)])))
    found, level = (render(world([floor(0, 0.0, 20.0)], [one], [sun]), 64, **narrow).picture.mean() for one in looks)
    in_its_frame = [np.array([one[2, 0], -one[2, 2], one[2, 1]]) for one in (eye, light)]
    flat = by_the_plugin(np.array([0.0, 0.0, 1.0]), *in_its_frame)
    meant = by_the_plugin(normal, *in_its_frame) / flat
    assert found / level == pytest.approx(meant, rel=0.03, abs=2e-3)
