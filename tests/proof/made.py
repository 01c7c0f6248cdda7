"""Made-up renders: surfaces lit by lights, with noise, of which every cause of a difference is known."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from durvan.proof.picture import Ids, Picture

Floats = NDArray[np.float64]
WIDTH, HEIGHT = 160, 120
LIGHTS = ("sky", "lamp", "window")
MATERIALS = ("wall", "floor", "table", "cloth", "sign")


@dataclass(frozen=True)
class Made:
    """What a picture is made with: factors on lights and colours of materials, gain, exponent, shift in pixels, and samples a pixel."""

    lights: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)
    materials: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)
    gain: tuple[float, float, float] = (1.0, 1.0, 1.0)
    exponent: float = 1.0
    shift: tuple[float, float] = (0.0, 0.0)
    samples: int = 64
    plain: tuple[str, ...] = ()  # materials without their detail
    passes: bool = True


def regions() -> NDArray[np.int32]:
    """Where each material is seen."""
    v, u = np.mgrid[0:HEIGHT, 0:WIDTH]
    out = np.zeros((HEIGHT, WIDTH), dtype=np.int32)
    out[v > 78] = 1
    out[(v > 60) & (v < 96) & (u > 20) & (u < 90)] = 2
    out[(u - 120) ** 2 + (v - 70) ** 2 < 900] = 3
    out[(v > 14) & (v < 36) & (u > 100) & (u < 136)] = 4
    return out


def _light(name: str) -> Floats:
    """What a light puts on each place, in picture values."""
    v, u = np.mgrid[0:HEIGHT, 0:WIDTH] / float(HEIGHT)
    made = {
        "sky": 0.25 + 0.25 * (1.0 - v),
        "lamp": 0.5 / (0.15 + (u - 0.4) ** 2 + (v - 0.2) ** 2) * 0.15,
        "window": 0.6 * np.exp(-((u - 1.1) ** 2 + (v - 0.8) ** 2) / 0.08),
    }[name]
    return np.asarray(made, dtype=np.float64)


_TINTS = {"sky": (0.8, 0.95, 1.2), "lamp": (1.2, 1.0, 0.7), "window": (1.0, 1.0, 1.0)}
_COLOURS = {
    "wall": (0.7, 0.68, 0.6), "floor": (0.25, 0.2, 0.16), "table": (0.4, 0.25, 0.12), "cloth": (0.15, 0.3, 0.5), "sign": (0.6, 0.12, 0.1),
}  # fmt: skip


def _detail() -> Floats:
    r = np.random.default_rng(3)
    fine = ndimage.gaussian_filter(r.normal(size=(HEIGHT, WIDTH)), 1.2)
    return np.asarray(np.exp2(1.2 * fine / fine.std() * 0.4), dtype=np.float64)


def picture(made: Made = Made(), seed: int = 0) -> Picture:  # it is frozen
    """A picture, with its passes, its ids and the variance that its renderer tells."""
    r = np.random.default_rng(seed)
    where, detail = regions(), _detail()
    colour = np.zeros((HEIGHT, WIDTH, 3))
    for number, name in enumerate(MATERIALS):
        here = where == number
        base = np.array(_COLOURS[name]) * np.array(made.materials.get(name, (1.0, 1.0, 1.0)))
        colour[here] = base * (1.0 if name in made.plain else detail[here][:, None])
    passes, variance = {}, np.zeros((HEIGHT, WIDTH))
    for name in LIGHTS:
        clean = colour * _light(name)[..., None] * np.array(_TINTS[name]) * np.array(made.lights.get(name, (1.0,) * 3))
        clean = np.stack(
            [ndimage.shift(clean[..., c], made.shift[::-1], order=3, mode="nearest") for c in range(3)], -1
        )
        clean = np.maximum(clean, 1e-4) * np.array(made.gain)
        deviation = clean.mean(axis=2) * 1.2 / np.sqrt(made.samples)
        grey = r.normal(size=(HEIGHT, WIDTH)) * deviation
        passes[name] = np.maximum(clean + clean * (grey / clean.mean(axis=2))[..., None], 0.0).astype(np.float32)
        variance += deviation**2
    whole = np.sum(list(passes.values()), axis=0, dtype=np.float64)
    level = np.maximum(whole.mean(axis=2), 1e-6)
    if made.exponent != 1.0:
        variance = variance * (made.exponent * level ** (made.exponent - 1.0)) ** 2
        whole = whole**made.exponent
    lights = {name: partial(np.asarray, found) for name, found in passes.items()}
    if made.exponent != 1.0 or not made.passes:
        lights = {}
    return Picture(
        whole.astype(np.float32), lights, Ids(where, MATERIALS), None, variance.astype(np.float32)
    )  # fmt: skip


def without(one: Picture, *parts: str) -> Picture:
    """A picture of which some things are not known."""
    gone = {"lights": {}, "materials": None, "objects": None, "variance": None}
    return replace(one, **{name: gone[name] for name in parts})
