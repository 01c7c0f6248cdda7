"""Both pictures in few numbers: means over blocks, which carry little noise, with what each block shows."""

from __future__ import annotations

import math
import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from durvan.proof import kernels
from durvan.proof.bands import over_bands
from durvan.proof.picture import Ids, Picture, Pixels

Floats = NDArray[np.float64]
MOST = 16_000  # blocks
LEAST_SIDE = 2
_DARK = 2.0**-7  # of a light on the other side, below which it is not there
_LITTLE = 0.003  # of all light, below which a light that is not there is not missed
_TRACE = 2.0**-12  # of a light that the target does not have, there is so much: a factor then says how it comes


@dataclass(frozen=True)
class Cells:
    """Blocks of `side` × `side` pixels, n of them: means of the source and the target [n, 3], of the target's light passes
    [lights, n, 3] and of the source's (NaN where it has none), the variance of the luminance of both means [n], the material seen [n] with the share of the block that shows it.
    """

    side: int
    shape: tuple[int, int]
    source: Floats
    target: Floats
    lights: tuple[str, ...]
    parts: Floats
    source_parts: Floats
    material: NDArray[np.int32]
    purity: Floats
    materials: tuple[str, ...]
    noise_source: Floats
    noise_target: Floats
    good: NDArray[np.bool_]  # which blocks of all these are

    @property
    def count(self) -> int:
        """How many blocks there are."""
        return len(self.source)


def side_for(width: int, height: int) -> int:
    """How large blocks are in a picture of a size, in pixels."""
    return max(LEAST_SIDE, math.ceil(math.sqrt(width * height / MOST)))


def means(values: Pixels, side: int) -> tuple[Pixels, Pixels]:
    """Means over blocks [rows, columns, channels], and how many pixels of each block were numbers [rows, columns]."""
    rows, columns = values.shape[0] // side, values.shape[1] // side
    out = np.empty((rows, columns, values.shape[2]), dtype=np.float32)
    counts = np.empty((rows, columns), dtype=np.float32)
    whole = np.ascontiguousarray(values, dtype=np.float32)
    over_bands(rows, lambda first, end: kernels.block_means(whole, side, first, end, out, counts))
    return out, counts


def ids_in_blocks(ids: Ids | None, side: int, shape: tuple[int, int]) -> tuple[NDArray[np.int32], Pixels]:
    """The number that most of each block shows, −1 for none, and the share of the block that does [rows, columns]."""
    number, purity = np.full(shape, -1, dtype=np.int32), np.ones(shape, dtype=np.float32)
    if ids is not None:
        whole = np.ascontiguousarray(ids.numbers, dtype=np.int32)
        over_bands(shape[0], lambda first, end: kernels.block_ids(whole, side, first, end, number, purity))
    return number, purity


def cells_of(source: Picture, target: Picture, inside: bool = False) -> Cells:
    """Both pictures, which must be of one size, in blocks. Materials are the target's, or the source's where it alone knows them. With
    `inside` blocks that show two of them, or lie beside such, count for nothing: a picture that was moved is soft there.
    """
    side = side_for(*source.size)
    one, counted = means(source.rgb, side)
    two, also = means(target.rgb, side)
    shape = one.shape[:2]
    good = (np.minimum(counted, also) > 0.5 * side * side).reshape(-1)
    names = tuple(dict.fromkeys([*target.lights, *(source.lights if target.lights else ())]))
    parts, source_parts = (_parts(picture, names, side, good) for picture in (target, source))
    there = float(np.nansum(one.reshape(-1, 3)[good]))
    for k in range(len(names)):  # one that the target does not have, or that is dark there
        theirs = float(np.nansum(source_parts[k]))
        if np.isnan(parts[k]).any() or (theirs > 0.0 and parts[k].sum() < _DARK * theirs):
            parts[k] = source_parts[k] * (_TRACE if theirs > _LITTLE * there else 1.0)
    ids = target.materials or source.materials
    number, purity = ids_in_blocks(ids, side, shape)
    if inside:
        alike = ndimage.minimum_filter(number, 3) == ndimage.maximum_filter(number, 3)
        inner = (purity >= 1.0) & alike
        number, purity = np.where(inner, number, -1), np.where(inner, purity, 0.0)
    noise = [_noise(picture, side, good) for picture in (source, target)]
    return Cells(
        side, shape, one.reshape(-1, 3)[good].astype(np.float64), two.reshape(-1, 3)[good].astype(np.float64),
        names, parts, source_parts, number.reshape(-1)[good], purity.reshape(-1)[good].astype(np.float64), ids.names if ids is not None else (),
        noise[0], noise[1], good,
    )  # fmt: skip


def kept(cells: Cells, which: NDArray[np.bool_]) -> Cells:
    """Some of the blocks."""
    good = cells.good.copy()
    good[np.nonzero(good)[0][~which]] = False
    return replace(
        cells, source=cells.source[which], target=cells.target[which], parts=cells.parts[:, which], source_parts=cells.source_parts[:, which],
        material=cells.material[which], purity=cells.purity[which], noise_source=cells.noise_source[which],
        noise_target=cells.noise_target[which], good=good,
    )  # fmt: skip


def _parts(picture: Picture, names: tuple[str, ...], side: int, good: NDArray[np.bool_]) -> Floats:
    """A picture's light passes in blocks [lights, n, 3]; NaN for those that it does not have. As many are read at a time as there are cores."""
    out = np.full((len(names), int(good.sum()), 3), np.nan)

    def one(k: int) -> None:
        values = np.ascontiguousarray(picture.lights[names[k]](), dtype=np.float32)
        rows, columns = values.shape[0] // side, values.shape[1] // side
        found, counts = np.empty((rows, columns, 3), np.float32), np.empty((rows, columns), np.float32)
        kernels.block_means(values, side, 0, rows, found, counts)
        out[k] = found.reshape(-1, 3)[good]

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        list(pool.map(one, [k for k, name in enumerate(names) if name in picture.lights]))
    return out


def _noise(picture: Picture, side: int, good: NDArray[np.bool_]) -> Floats:
    """The variance of the luminance of each block's mean."""
    if picture.variance is None:
        return np.zeros(int(good.sum()))
    found, _ = means(picture.variance[..., None], side)
    return np.asarray(found.reshape(-1)[good].astype(np.float64) / (side * side))


def lights_at(cells: Cells, x: int, y: int, most: int = 4) -> list[tuple[str, float]]:
    """Whose light is at a pixel of the target, the most first: names and shares, those of less than 2 % left out. Empty where nobody knows."""
    row, column = y // cells.side, x // cells.side
    if not (0 <= row < cells.shape[0] and 0 <= column < cells.shape[1]) or not cells.lights:
        return []
    place = row * cells.shape[1] + column
    if not cells.good[place]:
        return []
    parts = np.maximum(cells.parts[:, int(np.count_nonzero(cells.good[:place]))].mean(axis=1), 0.0)
    total = float(parts.sum())
    order = np.argsort(-parts)[:most]
    return [(cells.lights[int(k)], float(parts[k]) / total) for k in order if parts[k] > 0.02 * total]
