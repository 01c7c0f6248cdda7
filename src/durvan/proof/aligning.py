"""How one picture lies on another: by how many pixels it is shifted, to a tenth of one and better, and moved there.

The correlation of both, without their means, seen through a window (Hann), over logarithms without what is coarse, so that neither an
exposure nor a light on one side pulls it; its peak is found again fifty times as finely about where it is (Guizar-Sicairos, Thurman &
Fienup 2008).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy import fft, ndimage

from durvan.optics.colour import REC709_LUMINANCE
from durvan.proof.causes.cells import means
from durvan.proof.picture import Numbers, Picture, Pixels, each

Floats = NDArray[np.float64]
_MOST = 1280  # pixels of the longer side that are looked at
_COARSE = 8.0  # pixels over which a mean is taken away
_FINE = 50  # parts of a pixel
_FLOOR = 0.02  # of the middle
_Y = np.array(REC709_LUMINANCE, dtype=np.float32)


@dataclass(frozen=True)
class Shift:
    """By how many pixels the first picture must be moved to lie on the second, to the right and down; `sure` is the height of the
    correlation's peak, 1 where both are the same.
    """

    right: float = 0.0
    down: float = 0.0
    sure: float = 1.0

    @property
    def length(self) -> float:
        """How far, in pixels."""
        return math.hypot(self.right, self.down)


@dataclass(frozen=True)
class Details:
    """What is fine in two pictures (see `detail`), of blocks of so many pixels' side, and the luminances that it is of."""

    block: int
    one: Floats
    two: Floats
    levels: tuple[Floats, Floats]

    @classmethod
    def of(cls, first: Pixels, second: Pixels) -> Details:
        """Of pictures [height, width, 3] of one size."""
        block = max(1, math.ceil(max(first.shape[:2]) / _MOST))
        return cls._of_levels(block, (grey(first, block), grey(second, block)))

    @classmethod
    def _of_levels(cls, block: int, levels: tuple[Floats, Floats]) -> Details:
        return cls(block, detail(levels[0]), detail(levels[1]), levels)

    def coarser(self, longer: int) -> Details:
        """The same of larger blocks, so that the longer side has some at most."""
        times = max(1, math.ceil(max(self.one.shape) / longer))
        if times == 1:
            return self
        one, two = (
            means(level[..., None].astype(np.float32), times)[0][..., 0].astype(np.float64) for level in self.levels
        )
        return self._of_levels(self.block * times, (one, two))


def shift_between(first: Pixels, second: Pixels) -> Shift:
    """How two pictures [height, width, 3] of one size lie on each other."""
    return shift_of(Details.of(first, second))


def shift_of(details: Details) -> Shift:
    """How two pictures lie on each other, by what is fine in them."""
    side, fade = details.block, _fading(details.one.shape)
    one, two = details.one * fade, details.two * fade
    strength = math.sqrt(float((one * one).sum()) * float((two * two).sum()))
    if strength <= 0.0:
        return Shift(0.0, 0.0, 0.0)
    product = fft.fft2(two, workers=2) * np.conj(fft.fft2(one, workers=2))
    found = fft.ifft2(product, workers=2).real
    row, column = np.unravel_index(int(np.argmax(found)), found.shape)
    near = [float(_signed(int(at), size)) for at, size in zip((row, column), found.shape, strict=True)]
    down, right = _finely(product, *near)
    return Shift(right * side, down * side, float(found.max()) / strength)


def _signed(at: int, size: int) -> int:
    return at - size if at > size // 2 else at


def grey(picture: Pixels, side: int) -> Floats:
    """Luminance, of means over blocks of `side` × `side` pixels; what is no number is none."""
    small = means(picture, side)[0] if side > 1 else picture  # means are of numbers alone
    return np.asarray(np.maximum(np.nan_to_num(small, posinf=0.0, neginf=0.0) @ _Y, 0.0), dtype=np.float64)


def _fading(shape: tuple[int, ...]) -> Floats:
    """A window over a picture (Hann)."""
    return np.outer(np.hanning(shape[0]), np.hanning(shape[1]))


def detail(level: Floats) -> Floats:
    """The logarithm of luminances without its coarse part, and without its mean."""
    lit = level[level > 0.0]
    floor = _FLOOR * float(np.median(lit)) if lit.size else 1.0
    stops = np.log2(level + floor)
    fine = stops - ndimage.gaussian_filter(stops, _COARSE, mode="nearest")
    return np.asarray(fine - fine.mean())


def _finely(product: NDArray[np.complexfloating], down: float, right: float) -> tuple[float, float]:
    """The peak about a place, by the transform at parts of a pixel there."""
    reach = np.arange(-1.5, 1.5, 1.0 / _FINE)
    rows, columns = product.shape
    v, u = fft.fftfreq(rows)[None, :], fft.fftfreq(columns)[:, None]
    left = np.exp(2j * np.pi * (down + reach)[:, None] * v)
    other = np.exp(2j * np.pi * u * (right + reach)[None, :])
    found = (left @ product @ other).real
    at = np.unravel_index(int(np.argmax(found)), found.shape)
    return down + float(reach[at[0]]), right + float(reach[at[1]])


def moved(picture: Picture, by: Shift) -> Picture:
    """A picture moved to the right and down; NaN where nothing is any more. Passes are moved when they are asked for."""
    return each(picture, partial(_moved, by=by), partial(_ids_moved, by=by))


def _moved(values: Pixels, by: Shift) -> Pixels:
    """Between pixels in a straight line."""
    out = values
    for axis, amount in ((0, by.down), (1, by.right)):
        whole = math.floor(amount)
        part = np.float32(amount - whole)
        near = _rolled(out, axis, whole)
        out = near if part == 0.0 else (1.0 - part) * near + part * _rolled(out, axis, whole + 1)
    return out


def _rolled(values: Pixels, axis: int, by: int) -> Pixels:
    out = np.full_like(values, np.nan)
    size = values.shape[axis]
    if abs(by) < size:
        to, source = [slice(None)] * values.ndim, [slice(None)] * values.ndim
        to[axis] = slice(max(by, 0), size + min(by, 0))
        source[axis] = slice(max(-by, 0), size - max(by, 0))
        out[tuple(to)] = values[tuple(source)]
    return out


def _ids_moved(numbers: Numbers, by: Shift) -> Numbers:
    whole = Shift(float(round(by.right)), float(round(by.down)))
    found = _moved(numbers.astype(np.float32), whole)
    return np.where(np.isnan(found), -1, found).astype(np.int32)
