"""A drift the slow way: every pixel that shows the material, many samples, and nothing taken out of what is seen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from durvan.engine.estimate import exposures_for
from durvan.engine.swatches import Maker, halved, inside
from durvan.optics.difference import ciede2000, cielab


@dataclass(frozen=True)
class Slow:
    """Its mean over the lightings, at the exposure where it is largest, and how unsure it is."""

    mean: float
    noise: float


def slow_way(source: Maker, target: Maker, samples: int = 128) -> Slow:
    """From two swatches that are made for it; noise makes distances longer, the less the more samples there are."""
    for maker in (source, target):
        maker.to(samples)
    exposures = exposures_for(_seen(source, True), _seen(target, True))
    found = []
    for whole in (False, True):
        one, two = (_seen(maker, whole) for maker in (source, target))
        found.append(max(_mean(one * exposure, two * exposure) for exposure in exposures))
    # with twice the samples noise adds half as much: what is between the halves and the whole is still in the whole
    return Slow(found[1], abs(found[0] - found[1]))


def _seen(maker: Maker, whole: bool) -> np.ndarray:
    halves = maker.swatch().halves
    return halved(halves.mean(axis=0) if whole else halves[0])[:, inside()]


def _mean(one: np.ndarray, two: np.ndarray) -> float:
    return float(ciede2000(*(cielab(np.clip(seen, 0.0, 1.0)) for seen in (one, two))).mean())
