"""How noisy pictures are, by what their renderer says of it, or by what is between neighbours that is no detail of both."""

from __future__ import annotations

import math

import numpy as np
from scipy import ndimage

from durvan.optics.colour import REC709_LUMINANCE
from durvan.proof.picture import Picture, Pixels

_Y = np.array(REC709_LUMINANCE, dtype=np.float32)
# Gives nothing of planes and straight edges (Immerkær 1996)
_CROSS = np.array([[1.0, -2.0, 1.0], [-2.0, 4.0, -2.0], [1.0, -2.0, 1.0]])
FLOOR = 0.02  # of the middle: below it a stop counts for less and less
_MOST = 1e24  # of a variance
_ENOUGH = 500_000  # pixels
_PARTS = 8  # into which each side of a picture is dealt
_MIDDLE = 0.6745  # of a normal distribution's absolute value, in its deviation


def with_noise(picture: Picture) -> Pixels:
    """The variance of each pixel's luminance [height, width]: what is known, else estimated from the picture itself: as relative noise, by
    the brightness of its places, where they are smoothest.
    """
    if picture.variance is not None:
        return picture.variance
    grey = np.maximum(np.nan_to_num(picture.rgb, posinf=0.0, neginf=0.0) @ _Y, 0.0).astype(np.float32)
    rough = np.abs(ndimage.convolve(grey, _CROSS, mode="nearest")) / 6.0
    smooth = ndimage.uniform_filter(grey, 5)
    spread = ndimage.uniform_filter(rough, 5) / np.maximum(smooth, 1e-9)
    edges = np.quantile(smooth, np.linspace(0.0, 1.0, 9))
    band = np.clip(np.searchsorted(edges, smooth, side="right") - 1, 0, 7)
    relative = np.zeros(8)
    for n in range(8):
        here = band == n
        if here.any():
            calm = here & (spread <= np.quantile(spread[here], 0.25))  # a quarter of the places at least has no detail
            relative[n] = float(np.median(rough[calm] / np.maximum(smooth[calm], 1e-9))) / _MIDDLE
    return np.asarray(np.minimum((relative[band] * smooth) ** 2, _MOST), dtype=np.float32)


def _step(picture: Picture) -> int:
    """Every how manyth pixel is enough for what is said of all of them."""
    return max(1, math.isqrt(picture.rgb.shape[0] * picture.rgb.shape[1] // _ENOUGH))


def in_stops(variance: Pixels, picture: Picture, floor: float) -> float:
    """The mean square of what noise adds to a picture's stops."""
    step = _step(picture)
    grey = np.maximum(picture.rgb[::step, ::step].mean(axis=2), 0.0) + floor
    found = np.minimum(variance[::step, ::step], _MOST) / (grey.astype(np.float64) * np.log(2.0)) ** 2
    return float(np.mean(np.minimum(found[np.isfinite(found)], 9.0))) if np.isfinite(found).any() else 0.0


def noise_of(picture: Picture) -> float:
    """The standard deviation of a pixel in stops, over the picture; 0 where nobody knows its variance."""
    if picture.variance is None:
        return 0.0
    grey = picture.rgb.mean(axis=2)
    lit = grey[np.isfinite(grey) & (grey > 0.0)]
    floor = FLOOR * float(np.median(lit)) if lit.size else 1e-6
    return float(np.sqrt(in_stops(picture.variance, picture, floor)))


def noise_ratio(source: Picture, target: Picture, floor: float) -> float:
    """The variance of the target against that of the source, each of its own brightness, in the middle of the parts of the picture; 1 where a
    good part is noisier on one side and a good part on the other: the scene is another one then, and not its sampling.
    """
    assert source.variance is not None and target.variance is not None
    step = _step(source)
    height, width = source.rgb[::step, ::step].shape[:2]
    rows, columns = (np.linspace(0, size, _PARTS + 1).astype(int)[:-1] for size in (height, width))
    relative = []
    for one, variance in ((source, source.variance), (target, target.variance)):
        level = np.maximum(np.nan_to_num(one.rgb[::step, ::step].mean(axis=2)), 0.0)
        found = (
            np.minimum(np.nan_to_num(variance[::step, ::step], posinf=0.0), _MOST)
            / (level.astype(np.float64) + floor) ** 2
        )
        relative.append(np.add.reduceat(np.add.reduceat(np.minimum(found, 1.0), rows, axis=0), columns, axis=1))
    lit = (relative[0] > 0.0) & (relative[1] > 0.0)
    if int(lit.sum()) < _PARTS:
        return 1.0
    low, middle, high = np.quantile(np.log(relative[1][lit]) - np.log(relative[0][lit]), (0.2, 0.5, 0.8))
    return float(np.exp(middle)) if low * high > 0.0 else 1.0
