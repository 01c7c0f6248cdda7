"""Two pictures brought to one size: pixels that are no squares are made such, a crop is found in the other picture, a larger one is brought down."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from scipy import fft

from durvan.errors import PictureError
from durvan.proof.aligning import detail, grey
from durvan.proof.picture import Ids, Numbers, Pass, Picture, Pixels, each
from durvan.proof.reading import Opened

_SQUARE = 0.01  # what pixels may be wider than high, and shapes otherwise
_FOUND = 0.35  # how high the peak has to be by which a crop is found in the other picture


def of_one_size(first: Opened, second: Opened) -> tuple[Picture, Picture]:
    """Both as pictures of one size; what was done to them is added to their remarks. Raises PictureError where they cannot be laid on each other."""
    one, two = _squared(first, second.pixel_aspect), _squared(second, first.pixel_aspect)
    if one.size == two.size:
        return one, two
    ratios = [size[0] / size[1] for size in (one.size, two.size)]
    if abs(ratios[0] / ratios[1] - 1.0) > _SQUARE:
        return _cropped(one, two, first, second)
    if one.size[0] > two.size[0]:
        first.remarks.append(f"is brought down to {two.size[0]} × {two.size[1]} pixels, as the other one has")
        return _smaller(one, two.size), two
    second.remarks.append(f"is brought down to {one.size[0]} × {one.size[1]} pixels, as the other one has")
    return one, _smaller(two, one.size)


def _squared(opened: Opened, other: float) -> Picture:
    """A picture whose pixels are squares, where those of the other one are otherwise than its own."""
    aspect = opened.pixel_aspect
    if abs(aspect / other - 1.0) <= _SQUARE:
        return opened.picture
    if abs(aspect - 1.0) <= _SQUARE:
        return opened.picture
    width = max(1, round(opened.picture.size[0] * aspect))
    opened.remarks.append(f"has pixels {aspect:.3g} times as wide as high; it is stretched to {width} pixels across")
    return each(opened.picture, partial(_stretched, width=width), partial(_stretched_ids, width=width))


def _stretched(values: Pixels, width: int) -> Pixels:
    """Between pixels in a straight line, across."""
    old = values.shape[1]
    at = np.clip((np.arange(width) + 0.5) * old / width - 0.5, 0.0, old - 1.0)
    low = np.minimum(at.astype(int), max(old - 2, 0))
    part = (at - low).astype(np.float32)[None, :, None]
    return np.asarray(values[:, low] * (1.0 - part) + values[:, np.minimum(low + 1, old - 1)] * part, dtype=np.float32)


def _stretched_ids(numbers: Numbers, width: int) -> Numbers:
    columns = np.minimum(((np.arange(width) + 0.5) * numbers.shape[1] / width).astype(int), numbers.shape[1] - 1)
    return np.ascontiguousarray(numbers[:, columns])


def _cropped(one: Picture, two: Picture, first: Opened, second: Opened) -> tuple[Picture, Picture]:
    """The larger one cropped to what the smaller one shows of it, both having pixels as large."""
    inside = (
        all(a <= b for a, b in zip(one.size, two.size, strict=True)),
        all(b <= a for a, b in zip(one.size, two.size, strict=True)),
    )
    if any(inside):
        small, large, told = (one, two, second) if inside[0] else (two, one, first)
        place = place_in(small.rgb, large.rgb)
        if place is not None:
            left, top = place
            width, height = small.size
            told.remarks.append(
                f"is cropped to the {width} × {height} pixels from {left}, {top} on, which the other one shows"
            )
            here = np.s_[top : top + height, left : left + width]
            part = each(
                large,
                lambda values: np.ascontiguousarray(values[here]),
                lambda numbers: np.ascontiguousarray(numbers[here]),
            )
            return (small, part) if inside[0] else (part, small)
    sizes = " and ".join(f"{width} × {height}" for width, height in (one.size, two.size))
    raise PictureError(
        f"the pictures are of other shapes, {sizes} pixels, and neither is a part of the other; crop one of them first."
    )


def place_in(small: Pixels, large: Pixels) -> tuple[int, int] | None:
    """Where a picture lies in a larger one (left, top), by the correlation of their detail; None where it does not."""
    parts = [detail(grey(side, 1)) for side in (small, large)]
    shape = [fft.next_fast_len(size) for size in parts[1].shape]
    product = fft.rfft2(parts[1], shape, workers=2) * np.conj(fft.rfft2(parts[0], shape, workers=2))
    found = fft.irfft2(product, shape, workers=2)
    rows, columns = (parts[1].shape[n] - parts[0].shape[n] + 1 for n in (0, 1))
    found = found[:rows, :columns]
    top, left = np.unravel_index(int(np.argmax(found)), found.shape)
    other = parts[1][top : top + parts[0].shape[0], left : left + parts[0].shape[1]]
    strength = math.sqrt(float((parts[0] ** 2).sum()) * float((other**2).sum()))
    if strength <= 0.0 or float(found.max()) < _FOUND * strength:
        return None
    return int(left), int(top)


def _smaller(picture: Picture, size: tuple[int, int]) -> Picture:
    def down(read: Pass) -> Pixels:
        return _averaged(read(), size)

    def some(read: Pass) -> Pixels:  # a mean of depths is that of nothing
        return np.ascontiguousarray(read()[np.ix_(rows, columns)])

    rows, columns = (
        np.floor((np.arange(n) + 0.5) * (m / n)).astype(int)
        for n, m in zip(size[::-1], picture.size[::-1], strict=True)
    )
    ids = {
        name: Ids(np.ascontiguousarray(one.numbers[np.ix_(rows, columns)]), one.names)
        for name, one in (("materials", picture.materials), ("objects", picture.objects)) if one is not None
    }  # fmt: skip
    fewer = size[0] * size[1] / (picture.size[0] * picture.size[1])
    variance = picture.variance
    if variance is not None:
        variance = _averaged(variance[..., None], size)[..., 0] * np.float32(fewer)
    lights = {name: partial(down, read) for name, read in picture.lights.items()}
    depth = partial(some, picture.depth) if picture.depth is not None else None
    return Picture(_averaged(picture.rgb, size), lights, ids.get("materials"), ids.get("objects"), variance, depth)


def _averaged(values: Pixels, size: tuple[int, int]) -> Pixels:
    """Means over the places that each smaller pixel covers, by parts of pixels at its edges."""
    out = values
    for axis, count in ((0, size[1]), (1, size[0])):
        length = out.shape[axis]
        edges = np.linspace(0.0, length, count + 1)
        sums = np.concatenate(
            [np.zeros_like(np.take(out, [0], axis), dtype=np.float64), np.cumsum(out, axis=axis, dtype=np.float64)],
            axis,
        )
        whole = np.minimum(np.floor(edges).astype(int), length)
        part = (edges - whole).reshape([-1 if a == axis else 1 for a in range(out.ndim)])
        below, above = np.take(sums, whole, axis), np.take(sums, np.minimum(whole + 1, length), axis)
        out = np.asarray(np.diff(below + part * (above - below), axis=axis) * (count / length), dtype=np.float32)
    return out
