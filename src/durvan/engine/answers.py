"""What a look answers in closed form, without rendering: lobes between pairs of directions, and what it reflects and lets pass in all.

Pairs lie around each mirror direction as close as the lobes are sharp. Values are compared by their cube root, as lightness is.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from durvan.optics.lobes import layout, many
from durvan.optics.lobes.tables import tables

Floats = NDArray[np.float64]
Pairs = Sequence[tuple[Floats, Floats]]
ANGLES = (8.0, 38.0, 62.0, 78.0)  # of the view, degrees
_ROUND = (0.0, 90.0, 180.0)
_STEPS = (0.0, 0.5, 1.0, 2.0, 4.0, 9.0)  # about the mirror direction, in half widths of the lobe
_WIDE = (25.0, 50.0)
_BRIGHT = 8.0  # a highlight beyond this is white in any picture
_WHOLE = 8.0  # how much what is reflected in all counts against single directions
_GLOW = 179.0  # nit that count as white


def sharpest(rec: Floats) -> float:
    """The smallest alpha of a record's facet lobes; 1 when it has none."""
    found = 1.0
    for n in range(int(rec[layout.COUNT])):
        b = layout.HEADER + n * layout.LOBE
        if int(rec[b]) in (layout.REFLECT, layout.REFRACT, layout.STRAIGHT):
            found = min(found, max(rec[b + layout.ALPHA_X], 0.02))
    return found


def pairs(width: float) -> Pairs:
    """For each view of `ANGLES`: directions to the eye and to the light [n, 3]; `width` is the lobe's half width in radians."""
    out = []
    offsets = [step * math.degrees(width) for step in _STEPS] + list(_WIDE)
    for angle in ANGLES:
        eye = np.array([math.sin(math.radians(angle)), 0.0, math.cos(math.radians(angle))])
        light = []
        for side in (1.0, -1.0):
            middle = np.array([-eye[0], 0.0, side * eye[2]])
            right = np.array([side * eye[2], 0.0, eye[0]])
            for offset in offsets:
                for turn in _ROUND:
                    a, b = math.radians(min(offset, 85.0)), math.radians(turn)
                    across = math.cos(b) * right + math.sin(b) * np.array([0.0, 1.0, 0.0])
                    way = math.cos(a) * middle + math.sin(a) * across
                    if way[2] * side > 0.02:
                        light.append(way)
        found = np.array(light)
        out.append((np.tile(eye, (len(found), 1)), found))
    return out


def answer(rec: Floats, eye: Floats, light: Floats) -> Floats:
    """What one record answers to one of `pairs`: each pair, all that it reflects and lets pass, and its glow, in a row."""
    value, pdf, whole = np.zeros((len(light), 3)), np.zeros(len(light)), np.zeros((1, 6))
    many.evaluate_many(rec, eye, light, tables(), value, pdf)
    many.albedos(rec, eye[:1, 2].copy(), tables(), whole)
    glow = rec[layout.GLOW : layout.GLOW + 3]
    return np.concatenate(
        [
            np.cbrt(np.minimum(value * np.abs(light[:, 2:3]), _BRIGHT) + 1e-3).ravel() * 0.5,
            _WHOLE * np.cbrt(whole.ravel() + 1e-3),
            np.cbrt(glow / _GLOW + 1e-3),
        ]
    )
