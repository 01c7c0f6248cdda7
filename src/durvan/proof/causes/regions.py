"""What each light gives each material on both sides: sums over what shows it, in which noise is little and does not pull one way."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_PARTS = 8  # into which a region is dealt out, to tell how sure its sum is
_LEAST = 12  # blocks of a region
_SURE = 0.04  # stops: what a sum is unsure by without any noise


@dataclass(frozen=True)
class Regions:
    """Sums of light passes where a material is seen [lights, materials, 3] of the source and the target, as means of a block; `weight`
    [lights, materials] is how many blocks they count for, in units of how unsure they are.
    """

    source: Floats
    target: Floats
    weight: Floats


def regions_of(
    source: Floats,
    target: Floats,
    material: NDArray[np.int32],
    materials: int,
    whole: Floats,
    floor: float,
    blind: tuple[int, ...] = (),
) -> Regions:
    """Of passes in blocks [lights, n, 3], of which `whole` [n] is the picture's own mean; that of `blind` materials counts for nothing."""
    seen = np.where(material >= 0, material, materials)
    part = np.arange(len(seen)) % _PARTS
    place = seen * _PARTS + part
    size = (materials + 1) * _PARTS
    count = np.bincount(place, minlength=size).reshape(-1, _PARTS)
    made = np.zeros((2, len(source), materials + 1, 3))
    weight = np.zeros((len(source), materials + 1))
    total = np.bincount(seen, weights=whole, minlength=materials + 1)
    blocks = count.sum(axis=1)
    for k in range(len(source)):
        sums = np.array(
            [[np.bincount(place, weights=one[k, :, c], minlength=size) for c in range(3)] for one in (source, target)]
        ).reshape(2, 3, -1, _PARTS)
        made[:, k] = (sums.sum(axis=3) / np.maximum(blocks, 1)).transpose(0, 2, 1)
        grey = np.maximum(sums.mean(axis=1), 0.0)
        without = (grey.sum(axis=2, keepdims=True) - grey) / np.maximum(blocks[:, None] - count, 1) + floor
        apart = np.log2(without[0] / without[1])
        error2 = (_PARTS - 1) / _PARTS * ((apart - apart.mean(axis=1, keepdims=True)) ** 2).sum(axis=1)  # the jackknife
        share = np.clip(0.5 * grey.sum(axis=(0, 2)) / np.maximum(total, 1e-12), 0.0, 1.0)
        weight[k] = np.where(blocks >= _LEAST, blocks * share / (_SURE**2 + error2), 0.0)
    weight[:, list(blind)] = 0.0
    return Regions(made[0], made[1], weight)
