"""A clear sky with its sun: luminance by direction, for a turbidity, a ground and a height of the sun.

L. Hosek and A. Wilkie, "An Analytic Model for Full Spectral Sky-Dome Radiance" (ACM Trans. Graph. 31, 2012) and "Adding a Solar
Radiance Function to the Hosek Skylight Model" (IEEE CG&A 33, 2013), with the authors' coefficients: see data/clear_sky.LICENSE.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from durvan.optics.colour import luminance

Floats = NDArray[np.float64]
HAZE = (1.0, 10.0)  # turbidities that are known
_SEGMENTS = 45
SUN_DIAMETER = 0.533


@cache
def _data() -> tuple[Floats, Floats, Floats]:
    with resources.files("durvan.optics").joinpath("data/clear_sky.npz").open("rb") as file, np.load(file) as tables:
        shape, radiance, sun = (tables[name].astype(np.float64) for name in ("shape", "radiance", "sun"))
    return shape, radiance, sun


def _mixed(turbidity: float) -> tuple[int, int, float]:
    """The tables on both sides of a turbidity, and how far it is from the first."""
    held = min(max(turbidity, HAZE[0]), HAZE[1])
    first = min(int(held) - 1, 8)
    return first, first + 1, held - 1.0 - first


def _by_height(table: Floats, elevation: float) -> Floats:
    """A table of six control points at a height of the sun in radians (Bézier of the fifth degree)."""
    x = (max(elevation, 0.0) / (math.pi / 2.0)) ** (1.0 / 3.0)
    weights = [math.comb(5, k) * x**k * (1.0 - x) ** (5 - k) for k in range(6)]
    return np.asarray(np.tensordot(np.array(weights), table, axes=1))


@dataclass(frozen=True)
class Sky:
    """A sky as the model has it: nine numbers and a level for each channel; the sun's elevation in degrees."""

    numbers: tuple[tuple[float, ...], ...]
    level: tuple[float, float, float]
    elevation: float

    def __call__(self, upward: Floats, towards_sun: Floats) -> Floats:
        """Luminance in nit as linear Rec.709 [..., 3] by the cosines of the angles from the zenith and from the sun.

        Dark below the horizon.
        """
        up = np.maximum(upward, 0.0)
        near = np.clip(towards_sun, -1.0, 1.0)
        gamma = np.arccos(near)
        out = np.zeros((*np.shape(upward), 3))
        for channel, (a, b, c, d, e, f, g, i, h) in enumerate(self.numbers):
            halo = (1.0 + near * near) / (1.0 + h * h - 2.0 * h * near) ** 1.5
            far = 1.0 + a * np.exp(b / (up + 0.01))
            out[..., channel] = (
                far * (c + d * np.exp(e * gamma) + f * near * near + g * halo + i * np.sqrt(up)) * self.level[channel]
            )
        return np.where(np.asarray(upward)[..., None] > 0.0, np.maximum(out, 0.0), 0.0)


@lru_cache(maxsize=64)
def sky(elevation: float, turbidity: float, ground: float) -> Sky:
    """A sky for the sun's elevation in degrees, a turbidity (1 to 10; clear air is about 3) and the albedo of the ground."""
    shape, radiance, _ = _data()
    one, two, f = _mixed(turbidity)
    albedo, height = min(max(ground, 0.0), 1.0), math.radians(min(max(elevation, 0.0), 90.0))

    def at(table: Floats) -> Floats:
        ends = [
            (1.0 - albedo) * _by_height(table[t, 0], height) + albedo * _by_height(table[t, 1], height)
            for t in (one, two)
        ]
        return (1.0 - f) * ends[0] + f * ends[1]

    numbers, level = at(shape), at(radiance)
    dark = 0.0 if elevation < 0.0 else 1.0  # the model ends with the day
    return Sky(tuple(map(tuple, numbers.tolist())), (level[0] * dark, level[1] * dark, level[2] * dark), elevation)


def sun_luminance(elevation: float, turbidity: float) -> tuple[float, float, float]:
    """Mean luminance of the sun's disc in nit as linear Rec.709, after its way through the air; none below the horizon."""
    if elevation < 0.0:
        return 0.0, 0.0, 0.0
    _, _, sun = _data()
    one, two, f = _mixed(turbidity)
    height = math.radians(min(elevation, 90.0))
    segment = min(int((2.0 * height / math.pi) ** (1.0 / 3.0) * _SEGMENTS), _SEGMENTS - 1)
    x = height - (segment / _SEGMENTS) ** 3 * math.pi / 2.0
    powers = np.array([1.0, x, x * x, x * x * x])
    r, g, b = np.maximum((1.0 - f) * (powers @ sun[one, segment]) + f * (powers @ sun[two, segment]), 0.0).tolist()
    return r, g, b


def sun_lux(elevation: float, turbidity: float) -> tuple[float, float, float]:
    """What the sun gives at right angles to it in lux, as linear Rec.709 whose luminance is the illuminance."""
    steradians = math.pi * math.sin(math.radians(SUN_DIAMETER / 2.0)) ** 2
    r, g, b = sun_luminance(elevation, turbidity)
    return r * steradians, g * steradians, b * steradians


def directions(width: int, height: int) -> Floats:
    """The directions of a latitude–longitude picture's pixels [height, width, 3], Y up: the middle lies at +Z, its left half
    towards +X, as UsdLux has it.
    """
    theta = (np.arange(height) + 0.5) / height * math.pi
    phi = (0.5 - (np.arange(width) + 0.5) / width) * 2.0 * math.pi
    s = np.sin(theta)[:, None]
    up = np.broadcast_to(np.cos(theta)[:, None], (height, width))
    return np.stack([s * np.sin(phi)[None, :], up, s * np.cos(phi)[None, :]], axis=-1)


def picture(azimuth: float, elevation: float, turbidity: float, ground: float, width: int = 512) -> NDArray[np.float32]:
    """A latitude–longitude picture of the sky without its sun [width / 2, width, 3], in nit, linear Rec.709.

    Azimuth and elevation in degrees, north at −Z (`durvan.optics.sun`). Each pixel is the mean of nine places. Below the
    horizon lies an even ground of that albedo, lit by the sky and the sun.
    """
    height, fine = width // 2, 3
    a, e = math.radians(azimuth), math.radians(elevation)
    sun = np.array([math.sin(a) * math.cos(e), math.sin(e), -math.cos(a) * math.cos(e)])
    there = directions(width * fine, height * fine)
    made = sky(round(elevation, 9), turbidity, ground)(there[..., 1], there @ sun)
    made = made.reshape(height, fine, width, fine, 3).mean(axis=(1, 3))
    below = np.array(lit_ground(elevation, turbidity, ground))
    made[height // 2 :] = below
    return np.ascontiguousarray(made, dtype=np.float32)


NAME = "clear-sky:"


def name_of(azimuth: float, elevation: float, turbidity: float, ground: float) -> str:
    """A path that stands for a `picture` wherever one is named, until it is written into a file.

    >>> name_of(120.0, 35.25, 3.0, 0.2)
    'clear-sky:120,35.25,3,0.2'
    """
    return NAME + ",".join(f"{part:.9g}" for part in (azimuth, elevation, turbidity, ground))


@lru_cache(maxsize=8)
def of_name(name: str) -> NDArray[np.float32] | None:
    """The picture that a path stands for; None when it stands for none."""
    if not name.startswith(NAME):
        return None
    try:
        azimuth, elevation, turbidity, ground = map(float, name.removeprefix(NAME).split(","))
    except ValueError:
        return None
    return picture(azimuth, elevation, turbidity, ground)


@lru_cache(maxsize=64)
def sky_lux(elevation: float, turbidity: float, ground: float) -> tuple[float, float, float]:
    """What the sky alone puts on level ground in lux, as linear Rec.709: integrated over 64 × 128 directions by area."""
    cosine, weights = np.polynomial.legendre.leggauss(64)
    up = 0.5 * (cosine + 1.0)
    phi = (np.arange(128) + 0.5) / 128.0 * 2.0 * math.pi
    e = math.radians(elevation)
    near = up[:, None] * math.sin(e) + np.sqrt(1.0 - up * up)[:, None] * math.cos(e) * np.cos(phi)[None, :]
    every = sky(round(elevation, 9), turbidity, ground)(np.broadcast_to(up[:, None], near.shape), near).mean(axis=1)
    r, g, b = (2.0 * math.pi * 0.5 * (weights * up) @ every).tolist()
    return r, g, b


def lit_ground(elevation: float, turbidity: float, ground: float) -> tuple[float, float, float]:
    """The luminance of a matt ground under a sky and its sun in nit, as linear Rec.709."""
    k = max(math.sin(math.radians(elevation)), 0.0)
    parts = zip(sky_lux(elevation, turbidity, ground), sun_lux(elevation, turbidity), strict=True)
    r, g, b = (min(max(ground, 0.0), 1.0) * (one + k * two) / math.pi for one, two in parts)
    return r, g, b


def daylight_lux(elevation: float, turbidity: float, ground: float) -> tuple[float, float]:
    """Lux on level ground: of the sun, and of the sky."""
    k = max(math.sin(math.radians(elevation)), 0.0)
    return k * luminance(sun_lux(elevation, turbidity)), luminance(sky_lux(elevation, turbidity, ground))
