"""The gist of a look: what it scatters, reflects and lets pass in all, how rough it is, in a few numbers and without a renderer.

Good for telling looks apart and for saying what a material is; what is seen exactly is the renderer's to say.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from durvan.optics.colour import REC709_LUMINANCE
from durvan.optics.fresnel import f0_from_index, mean_dielectric
from durvan.optics.lobes import layout

Floats = NDArray[np.float64]
_SCHLICK = 1.0 / 21.0  # of what is left, averaged over a hemisphere
_LUMINANCE = np.array(REC709_LUMINANCE)
# Of the fuzz that `optics.lobes` integrates: roughness, mean albedo. Held against its tables by a test.
_FUZZ = (
    (0.0, 0.04, 0.1, 0.2, 0.3, 0.5, 0.7, 0.9, 1.0),
    (0.083, 0.083, 0.116, 0.157, 0.181, 0.210, 0.227, 0.238, 0.242),
)
_GLOW = 179.0  # nit that count as white


@dataclass(frozen=True)
class Gist:
    """Of a look at one point: three channels each of what is scattered matt (`matt`), below the surface (`deep`), let through
    scattered (`leaf`), reflected (`mirror`, mean over a hemisphere; `faced` when faced), let through straight or bent (`clear`), by a
    layer of fuzz (`fuzz`), given off (`glow`, nit). `alpha` is that of what is reflected, `bends` and `thin` say how light passes,
    `fibre` that it is one.
    """

    matt: Floats
    deep: Floats
    leaf: Floats
    mirror: Floats
    faced: Floats
    clear: Floats
    fuzz: Floats
    glow: Floats
    alpha: float
    opacity: float
    bends: bool
    thin: bool
    fibre: bool

    @property
    def scattered(self) -> Floats:
        """All that is scattered to the eye's side."""
        return self.matt + self.deep

    def apart(self, other: Gist) -> float:
        """How far two looks are apart: the length of the difference of all parts by their cube roots, as lightness goes; 0 for the same."""
        return float(np.linalg.norm(self._numbers() - other._numbers()))

    def _numbers(self) -> Floats:
        colours = np.cbrt(
            np.concatenate([self.scattered, self.mirror, self.clear, self.leaf, self.fuzz, self.glow / _GLOW])
        )
        strength = float(np.cbrt(max(float(self.mirror @ _LUMINANCE), 0.0)))
        return np.concatenate([colours, [strength * np.sqrt(max(self.alpha, 0.0)), self.opacity]])


def luminance(colour: Floats) -> float:
    """Relative luminance of linear Rec.709."""
    return float(colour @ _LUMINANCE)


def gist(rec: Floats) -> Gist:
    """The gist of a record [RECORD] where nothing varies."""
    none = np.zeros(3)
    parts = {kind: none.copy() for kind in range(10)}
    faced = none.copy()
    rough = strength = 0.0
    bends = thin = fibre = False
    count = int(rec[layout.COUNT])
    took = [_took(rec, layout.HEADER + n * layout.LOBE) for n in range(count)]
    for n in range(count):
        b = layout.HEADER + n * layout.LOBE
        kind = int(rec[b + layout.KIND])
        mean, straight = _reflected(rec, b)
        left = _left(rec, b, took)
        gives = rec[b + layout.WEIGHT : b + layout.WEIGHT + 3] * left
        if kind == layout.REFLECT:
            faced += gives * straight
            gives = gives * mean
            size = luminance(gives)
            rough, strength = (
                rough + size * float(np.sqrt(max(rec[b + layout.ALPHA_X] * rec[b + layout.ALPHA_Y], 0.0))),
                strength + size,
            )
        elif kind in (layout.REFRACT, layout.STRAIGHT):
            gives = gives * (1.0 - mean)
            through = luminance(gives) > 1e-4
            bends, thin = bends or (kind == layout.REFRACT and through), thin or (kind == layout.STRAIGHT and through)
        elif kind == layout.SHEEN:
            gives = gives * _fuzz(rec, b)
        fibre = fibre or kind == layout.FIBRE
        parts[kind] += gives
    return Gist(
        parts[layout.DIFFUSE], parts[layout.DEEP_DIFFUSE] + parts[layout.DEEP_WALK], parts[layout.THROUGH], parts[layout.REFLECT], faced,
        parts[layout.REFRACT] + parts[layout.STRAIGHT], parts[layout.SHEEN], np.maximum(rec[layout.GLOW : layout.GLOW + 3], 0.0),
        rough / strength if strength > 1e-9 else 1.0, float(rec[layout.OPACITY]), bends, thin, fibre,
    )  # fmt: skip


def _took(rec: Floats, b: int) -> Floats:
    """What a lobe takes of the light from those that it lies over: of its own colours, as they are given back by it."""
    kind = int(rec[b + layout.KIND])
    if kind not in (layout.REFLECT, layout.SHEEN) or rec[b + layout.COVER] == layout.BARE:
        return np.zeros(3)
    mean = _reflected(rec, b)[0] if kind == layout.REFLECT else np.full(3, _fuzz(rec, b))
    return np.asarray(rec[b + layout.WEIGHT : b + layout.WEIGHT + 3] * mean / max(rec[b + layout.WITHIN], 1e-6))


def _fuzz(rec: Floats, b: int) -> float:
    """What a layer of fuzz of weight 1 reflects on average over the hemisphere, by its roughness."""
    return float(np.interp(rec[b + layout.ALPHA_X], *_FUZZ))


def _left(rec: Floats, b: int, took: list[Floats]) -> Floats:
    """What the lobes over one leave to it."""
    out = np.ones(3)
    parent, guard = int(rec[b + layout.PARENT]), 0
    while parent >= 0 and guard < layout.MOST:
        guard += 1
        if parent < len(took):
            out = out * np.maximum(1.0 - took[parent], 0.0)
        parent = int(rec[layout.HEADER + parent * layout.LOBE + layout.PARENT])
    return out


def _reflected(rec: Floats, b: int) -> tuple[Floats, Floats]:
    """What a lobe's law reflects: the mean over a hemisphere, and when faced."""
    law, first = int(rec[b + layout.FRESNEL]), rec[b + layout.FIRST : b + layout.FIRST + 3]
    if law == layout.SCHLICK:
        edge = rec[b + layout.SECOND : b + layout.SECOND + 3]
        return first + (edge - first).clip(0.0) * _SCHLICK, first
    if law in (layout.DIELECTRIC, layout.WALL):
        index = min(max(float(first[0]), 1.0), 100.0)
        mean, straight = mean_dielectric(index), f0_from_index(index)
        if law == layout.WALL:
            mean, straight = 2.0 * mean / (1.0 + mean), 2.0 * straight / (1.0 + straight)
        return np.full(3, mean), np.full(3, straight)
    if law == layout.CONDUCTOR:
        k = rec[b + layout.SECOND : b + layout.SECOND + 3]
        straight3 = ((first - 1.0) ** 2 + k * k) / ((first + 1.0) ** 2 + k * k)
        return straight3 + (1.0 - straight3) * _SCHLICK, straight3
    return np.ones(3), np.ones(3)
