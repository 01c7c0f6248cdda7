"""Mitsuba as the outside judge: ten small scenes that both can express exactly."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

import small
from durvan.dialects.look import Fog, Lists, Lobe, Surface, View, record
from durvan.engine import mitsuba
from durvan.engine.build import Ball, build
from durvan.graph import expression as ex
from durvan.optics.lobes import layout as L
from durvan.scene.shapes import Mesh

BOUNCES, SIZE, SAMPLES = 12, (64, 64), 768  # enough that none is missed: Mitsuba counts what a mask lets through
GREY = small.matt(0.5, 0.45, 0.4)


def _sky() -> np.ndarray:
    """Smooth, so that it does not matter how pixels are joined; a bright patch, and dark below."""
    height, width = 128, 256
    v, u = np.meshgrid((np.arange(height) + 0.5) / height, (np.arange(width) + 0.5) / width, indexing="ij")
    patch = np.exp(-(((u - 0.2) / 0.04) ** 2 + ((v - 0.25) / 0.08) ** 2))
    base = 0.3 + 0.7 * (1.0 + np.cos(np.pi * v)) / 2.0
    return np.stack(
        [base + 20.0 * patch, base * 0.9 + 16.0 * patch, base * (1.0 + 0.3 * np.sin(2 * np.pi * u)) + 9.0 * patch], -1
    )


SKY = _sky()
POLE_Z = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]])  # where Mitsuba's spheres have theirs
RECT = small.lamp("rect", 8.0, (1.5, 1.5), small.towards(-1, 1.5, 1, 3.5))
DISK = small.lamp("disk", (8.0, 7.0, 6.0), (0.8, 0.0), small.towards(1, 1.5, 1, 3.5))
BULB = small.lamp("sphere", 20.0, (0.3, 0.0), small.towards(1, 1, 0.5, 2.5))
POINT = small.lamp("point", 9.0, at=small.towards(1, 1, 0.5, 2.5))
SPOT = small.lamp("point", 30.0, at=small.towards(0.5, 1, 0.6, 3.0), inner=15.0, outer=30.0, profile="linear")
SUN = small.lamp("far", 3.0, at=small.towards(-1, 1, 0.6, 1.0))
TUBE = small.lamp("cylinder", (9.0, 8.0, 6.0), (0.08, 1.6), small.towards(0.2, 1, 0.7, 2.2))
SLIDE = small.lamp("rect", (9.0, 8.0, 7.0), (1.6, 1.2), small.towards(-1, 1.2, 1, 3.0), picture=ex.Lookup("sky"))
MIST = Fog(0.25, (0.9, 0.8, 0.7), 0.4)
EVEN = small.lamp("dome", 1.0)
PICTURED = small.lamp("dome", 1.0, picture=ex.Lookup("sky"))


def glass(alpha: float) -> list[Lobe]:
    return [
        Lobe(L.REFLECT, 1.0, alpha, fresnel=L.DIELECTRIC, first=1.5),
        Lobe(L.REFRACT, 1.0, alpha, fresnel=L.DIELECTRIC, first=1.5),
    ]


def plastic(alpha: float) -> list[Lobe]:
    top = Lobe(L.REFLECT, 1.0, alpha, fresnel=L.DIELECTRIC, first=1.5, cover=L.RECIPROCAL)
    return [top, Lobe(L.DIFFUSE, (0.2, 0.3, 0.6), under=top)]


METAL = Lobe(L.REFLECT, 1.0, 0.2, fresnel=L.CONDUCTOR, first=(0.2, 0.9, 1.1), second=(3.9, 2.4, 2.2))
WALL = [Lobe(L.REFLECT, 1.0, fresnel=L.WALL, first=1.5), Lobe(L.STRAIGHT, 1.0, fresnel=L.WALL, first=1.5)]
SCENES = {
    "matt under a panel and a disk": ([Lobe(L.DIFFUSE, (0.5, 0.45, 0.4))], [RECT, DISK], {}),
    "matt under a bulb": ([Lobe(L.DIFFUSE, (0.5, 0.45, 0.4))], [BULB], {}),
    "a rough conductor": ([METAL], [RECT], {}),
    "a stretched Beckmann lobe": ([Lobe(L.REFLECT, (0.9, 0.8, 0.7), 0.3, 0.15, facets=L.BECKMANN)], [EVEN], {}),
    "plastic": (plastic(0.0), [EVEN, POINT], {}),
    "clear glass": (glass(0.0), [EVEN], {}),
    "rough glass under a pictured sky": (glass(0.3), [PICTURED], {}),
    "a thin wall in the sun": (WALL, [SUN, EVEN], {}),
    "a thin wall under a bulb": (WALL, [BULB], {}),
    "a mask, not all there": ([Lobe(L.DIFFUSE, (0.6, 0.1, 0.1))], [EVEN], {"opacity": 0.4}),
    "a spot on polished metal": ([Lobe(L.REFLECT, 1.0, 0.15)], [SPOT, PICTURED], {}),
    "matt under a tube": ([Lobe(L.DIFFUSE, (0.5, 0.45, 0.4))], [TUBE], {}),
    "a picture on a panel": ([Lobe(L.DIFFUSE, (0.5, 0.45, 0.4))], [SLIDE], {}),
    "a mesh that glows": ([METAL], [], {}),
    "fog about a bulb": ([Lobe(L.DIFFUSE, (0.5, 0.45, 0.4))], [BULB], {}),
}


def shard() -> Mesh:
    """A small closed wedge above the ball, whose faces look outwards."""
    p = np.array([[-0.6, 1.4, -0.2], [0.6, 1.4, -0.2], [0.0, 1.4, 0.5], [0.1, 2.0, 0.1]])
    t = np.array([[0, 1, 2], [0, 3, 1], [1, 3, 2], [2, 3, 0]], np.int32)
    return Mesh("shard", p, t, None, None, np.full(4, 2, np.int32))


def blocks(picture: np.ndarray) -> np.ndarray:
    """Mean luminance of 8 × 8 pixels."""
    light = picture @ np.array([0.2126, 0.7152, 0.0722])
    return light.reshape(8, 8, 8, 8).mean(axis=(1, 3))


@pytest.mark.slow
@pytest.mark.parametrize("name", SCENES)
def test_both_renderers_agree(name: str, tmp_path: Path) -> None:
    lobes, lights, more = SCENES[name]
    look, ball = record(Surface(list(lobes), **more)), (Ball((0.0, 0.0, 0.0), 1.0, 0, POLE_Z),)
    meshes, looks, fog = [small.floor(1)], [look, GREY], MIST if "fog" in name else None
    if "glows" in name:
        meshes.append(shard())
        looks.append(small.matt(0.0, glow=(30.0, 24.0, 12.0)))
    built = build(
        meshes, looks, lights, lambda _: np.dstack([SKY, np.ones((128, 256))]).astype(np.float32), ball, fog=fog
    )
    film = small.render(built, SAMPLES, SIZE, bounces=BOUNCES)
    sky = SKY if any(light.lamp.picture for light in lights) else None
    haze = mitsuba.haze_of(built, fog) if fog is not None else None
    asked = mitsuba.scene(meshes, looks, lights, small.VIEW, small.EYE, SIZE, tmp_path, BOUNCES, ball, sky, haze)
    judged = mitsuba.judge(asked, 48, 16)
    assert film.picture.mean() == pytest.approx(judged.picture.mean(), rel=0.01)
    ours, theirs = blocks(film.picture), blocks(judged.picture)
    spread = np.sqrt(np.array([blocks(run) for run in judged.runs]).var(axis=0, ddof=1) / len(judged.runs))
    own = np.sqrt((film.error() ** 2).reshape(8, 8, 8, 8).sum(axis=(1, 3))) / 64.0
    # a thousandth of the value is left to single precision and to how a sky's pixels are joined
    apart = np.abs(ours - theirs) / np.maximum(np.hypot(spread, own), 1e-3 * theirs + 1e-7)
    assert (apart < 3.0).mean() >= 0.95


def test_what_cannot_be_said_exactly_is_refused() -> None:
    blinn = record(Surface([Lobe(L.REFLECT, 1.0, 0.2, facets=L.BLINN)]))
    with pytest.raises(mitsuba.NotExpressibleError, match="Blinn"):
        mitsuba.material(blinn)
    varied = record(Surface([Lobe(L.DIFFUSE, ex.point("u"))]))
    with pytest.raises(mitsuba.NotExpressibleError, match="varies"):
        mitsuba.material(varied)
    with pytest.raises(mitsuba.NotExpressibleError, match="decay"):
        mitsuba.lamp(small.lamp("point", 1.0, decay=1))
    for more in ({"focus": 3.0}, {"reach": 2.0}, {"lists": Lists(not_lit=("/floor",))}):
        with pytest.raises(mitsuba.NotExpressibleError, match="beam, a profile"):
            mitsuba.lamp(small.lamp("point", 1.0, **more))
    with pytest.raises(mitsuba.NotExpressibleError, match="shifted"):
        mitsuba.sensor(View(36.0, 50.0, (1.0, 0.0)), np.eye(4), (8, 8))
