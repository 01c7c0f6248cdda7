"""How a camera stands otherwise than it did: turned, nearer by its lens, or elsewhere, where what is near lies otherwise than what is far.

Tiles of both pictures are laid on each other one by one, coarsely and then finely, and a motion of the whole picture is fitted to what they say,
with a loss by which tiles that say something else count little (Geman & McClure 1985). A place at depth z is moved by a part that all have and
one in proportion to 1 / z, which a camera that stands elsewhere makes.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from durvan.proof import kernels
from durvan.proof.aligning import Details, Shift
from durvan.proof.aligning import moved as shifted
from durvan.proof.bands import over_bands
from durvan.proof.picture import Numbers, Picture, Pixels, each

Floats = NDArray[np.float64]
_COARSE = 320  # blocks of the longer side that are looked at first
_SIDES = (48, 64)  # of tiles, in blocks, coarsely and finely
_SURE = 0.3  # how high the correlation of a tile has to be
_LEAST = 12  # tiles
_MOST = 3.0  # pixels that a tile may be off
_BETTER, _CLEARLY = 0.75, 0.08  # of what is left, and pixels by which, that a turn has to be better than a shift
_BY_DEPTH = 0.95  # of what is left by a turn, below which depths are tried: few tiles show one depth alone
_ROUNDS = 20
_FAR, _NEAR = 0.05, 0.95  # of all places, for what is said of them
PLAIN, ROLLED, TURNED, ELSEWHERE = 2, 4, 6, 9  # numbers of a motion


@dataclass(frozen=True, eq=False)
class Stance:
    """Where the source's pixels are to be moved to lie on the target. `motion` is, with X and Y from the picture's middle, to the right and
    down, and w how near a place is (the median depth over its own; 0 without depths): X is moved by a + bX − cY + X(pX + qY) + w(d + fX),
    Y by e + cX + bY + Y(pX + qY) + w(g + fY), for (a, e, b, c, p, q, d, g, f) in pixels. `nearness` [height, width] is w of the source.
    """

    motion: tuple[float, ...]
    sure: float = 1.0
    nearness: Pixels | None = None
    size: tuple[int, int] = (0, 0)  # of the pictures

    @property
    def shift(self) -> Shift:
        """How its middle is moved; of one that stands elsewhere what is far."""
        return Shift(self.motion[0], self.motion[1], self.sure)

    @property
    def roll(self) -> float:
        """By how many degrees the source is turned clockwise."""
        return math.degrees(math.atan2(self.motion[3], 1.0 + self.motion[2]))

    @property
    def larger(self) -> float:
        """How many times as large the source becomes."""
        return math.hypot(1.0 + self.motion[2], self.motion[3])

    @property
    def plain(self) -> bool:
        """Whether all of it is only shifted."""
        return not any(self.motion[2:])

    @property
    def elsewhere(self) -> bool:
        """Whether what is near is moved otherwise than what is far."""
        return any(self.motion[TURNED:])

    @property
    def skew(self) -> float:
        """By how many pixels corners are moved beyond that: a camera that is turned aside sees one side larger."""
        x, y = 0.5 * self.size[0], 0.5 * self.size[1]
        p, q = self.motion[4:6]
        return max(math.hypot(x, y) * abs(p * x + q * y), math.hypot(x, y) * abs(p * x - q * y))

    def reach(self) -> tuple[float, float]:
        """How many pixels what is far is moved in the middle, and what is near."""
        w = self.nearness
        far, near = (float(np.quantile(w[::4, ::4], part)) for part in (_FAR, _NEAR)) if w is not None else (0.0, 0.0)
        a, e, _, _, _, _, d, g, _ = self.motion
        return math.hypot(a + far * d, e + far * g), math.hypot(a + near * d, e + near * g)

    def flow(self, places: Floats, near: Floats) -> Floats:
        """How far places [n, 2] from the middle are moved [n, 2], by how near they are [n]."""
        return np.stack([rows @ np.array(self.motion) for rows in _rows(places, near)], axis=1)


def _rows(places: Floats, near: Floats) -> tuple[Floats, Floats]:
    """What the numbers of a motion are multiplied by, for X and for Y [n, 9]."""
    x, y = places.T
    one, none = np.ones_like(x), np.zeros_like(x)
    return (
        np.stack([one, none, x, -y, x * x, x * y, near, none, near * x], 1),
        np.stack([none, one, y, x, x * y, y * y, none, near, near * y], 1),
    )


def stances(first: Picture, details: Details) -> Iterator[Stance]:
    """Motions by which the first picture may lie on the second: turned or larger, then by its depths; each only where tiles say so. `details`
    are those of both.
    """
    coarse = details.coarser(_COARSE)
    last = _Tiles(first.size, coarse, _SIDES[0])
    last.match(np.zeros(ELSEWHERE))
    for level, side in ((coarse, _SIDES[0]), (details, _SIDES[1])):
        guess = last.fitted(ROLLED)[0]
        tiles = _Tiles(first.size, level, side)
        if len(last.places) >= _LEAST:
            guess[:2] *= last.block / tiles.block
            tiles.match(guess, last)
            last = tiles
    if len(last.places) < _LEAST:
        return
    found = [last.fitted(count) for count in (PLAIN, ROLLED, TURNED)]
    if _is_better(min(found[1][1], found[2][1]), found[0][1]):
        yield from (last.stance(motion) for motion, _ in found[1:])
    if first.depth is None or not found[-1][1] > _CLEARLY:
        return
    nearness = nearness_of(first.depth())
    last.look_near(nearness)
    by_depth = last.fitted(ELSEWHERE)
    if nearness.any() and by_depth[1] < _BY_DEPTH * found[-1][1]:
        yield replace(last.stance(by_depth[0]), nearness=nearness)


def _is_better(left: float, before: float) -> bool:
    return left < _BETTER * before and before - left > _CLEARLY


def nearness_of(depth: Pixels) -> Pixels:
    """The median depth over that of each pixel [height, width]; 0 of what is endlessly far."""
    z = depth[..., 0] if depth.ndim == 3 else depth
    there = np.isfinite(z) & (z > 0.0) & (z < 1e9)
    if not there.any():
        return np.zeros(z.shape, np.float32)
    middle = float(np.median(z[there]))
    return np.where(there, middle / np.where(there, z, 1.0), 0.0).astype(np.float32)


class _Tiles:
    """Tiles of two pictures in blocks of pixels, and how they lie on each other: `places` of the first from the middle, `flow`, `sure`, `near`."""

    def __init__(self, size: tuple[int, int], details: Details, side: int) -> None:
        self.size, self.block, self.side = size, details.block, side
        self.one, self.two = details.one, details.two
        self.middle = np.array([self.one.shape[1] / 2.0, self.one.shape[0] / 2.0])
        self.places = self.flow = np.zeros((0, 2))
        self.sure = self.near = np.zeros(0)

    def match(self, motion: Floats, before: _Tiles | None = None) -> None:
        """Lay each tile on the other picture, about where a motion says, or the tiles before that are near."""
        height, width = self.one.shape
        half = self.side // 2
        if min(height, width) < self.side + 2:
            return
        step = max(half, round(math.sqrt(height * width / 160.0)))  # some hundred and fifty
        x, y = np.arange(half, width - half + 1, step), np.arange(half, height - half + 1, step)
        middles = np.stack([one.ravel() for one in np.meshgrid(x, y)], axis=1)
        places = middles - self.middle
        guess = np.rint(self._guess(places, motion, before)).astype(int)
        there = middles + guess
        fits = ((there >= half) & (there <= np.array([width, height]) - half)).all(axis=1)
        middles, places, guess, there = middles[fits], places[fits], guess[fits], there[fits]
        if not len(middles):
            return
        found, sure = _laid(_cut(self.one, middles, half), _cut(self.two, there, half))
        good = (sure > _SURE) & (np.abs(found) < half - 2).all(axis=1)
        self.places, self.flow, self.sure = places[good], (guess + found)[good], sure[good]
        self.near = np.zeros(int(good.sum()))

    def _guess(self, places: Floats, motion: Floats, before: _Tiles | None) -> Floats:
        guess = Stance(tuple(motion)).flow(places, np.zeros(len(places)))
        if before is None or not len(before.places):
            return guess
        scale = before.block / self.block
        away = ((places[:, None] - scale * before.places[None]) ** 2).sum(axis=2)
        nearest = away.argmin(axis=1)
        close = away[np.arange(len(places)), nearest] < (1.5 * scale * before.side) ** 2
        return np.where(close[:, None], scale * before.flow[nearest], guess)

    def look_near(self, nearness: Pixels) -> None:
        """Take in how near what the tiles show is."""
        height, width = nearness.shape
        half, out = self.side * self.block // 2, []
        for x, y in (self.places + self.middle) * self.block:
            rows, columns = (
                slice(max(int(y) - half // 2, 0), int(y) + half // 2 + 1),
                slice(max(int(x) - half // 2, 0), int(x) + half // 2 + 1),
            )
            part = nearness[rows, columns] if y < height and x < width else np.zeros(1)
            out.append(float(np.median(part)) if part.size else 0.0)
        self.near = np.array(out)

    def fitted(self, count: int) -> tuple[Floats, float]:
        """The first numbers of a motion that fit, in blocks, and by how much tiles are off then, in pixels, none by more than a few."""
        motion = np.zeros(ELSEWHERE)
        if not len(self.places):
            return motion, 0.0
        rows = np.concatenate(_rows(self.places, self.near))[:, :count]
        scale = np.maximum(np.abs(rows).max(axis=0), 1e-9)
        said, sure = np.concatenate(self.flow.T), np.concatenate([self.sure, self.sure])
        weight = sure
        off = np.zeros(len(self.places))
        for _ in range(_ROUNDS):
            found, *_ = np.linalg.lstsq(rows / scale * weight[:, None], said * weight, rcond=None)
            off = np.linalg.norm((said - rows / scale @ found).reshape(2, -1), axis=0)
            width = max(1.5 * float(np.median(off)), 0.05)
            less = 1.0 / (1.0 + (off / width) ** 2)
            weight = sure * np.concatenate([less, less])
        motion[:count] = found / scale
        return motion, float(np.average(np.minimum(off * self.block, _MOST), weights=self.sure))

    def stance(self, motion: Floats) -> Stance:
        """A motion in blocks as one in pixels; its middle is that of the pixels, not of the blocks."""
        full = motion.copy()
        full[[0, 1, 6, 7]] *= self.block
        full[[4, 5]] /= self.block
        return Stance(tuple(float(part) for part in full), float(self.sure.mean()), size=self.size)


def _cut(level: Floats, middles: NDArray[np.int64], half: int) -> Floats:
    """Tiles about some places [n, 2 half, 2 half], fading to their edges."""
    reach = np.arange(-half, half)
    found = level[middles[:, 1, None, None] + reach[None, :, None], middles[:, 0, None, None] + reach[None, None, :]]
    fade = np.hanning(2 * half)
    mean = found.mean(axis=(1, 2), keepdims=True)
    return np.asarray((found - mean) * np.outer(fade, fade))


def _laid(one: Floats, two: Floats) -> tuple[Floats, Floats]:
    """How far tiles of one picture are to be moved to lie on those of another [n, 2], and the heights of the correlations' peaks [n]."""
    size = one.shape[1]
    strength = np.sqrt((one * one).sum(axis=(1, 2)) * (two * two).sum(axis=(1, 2)))
    found = np.fft.irfft2(np.fft.rfft2(two) * np.conj(np.fft.rfft2(one)), s=(size, size))
    at = found.reshape(len(found), -1).argmax(axis=1)
    row, column, n = at // size, at % size, np.arange(len(found))
    peak = found[n, row, column]
    down = row + _top(found[n, row - 1, column], peak, found[n, (row + 1) % size, column])
    right = column + _top(found[n, row, column - 1], peak, found[n, row, (column + 1) % size])
    signed = [np.where(part > size / 2.0, part - size, part) for part in (right, down)]
    return np.stack(signed, axis=1), peak / np.maximum(strength, 1e-12)


def _top(before: Floats, peak: Floats, after: Floats) -> Floats:
    """Where a parabola through three heights is highest, from the middle one."""
    bend = before - 2.0 * peak + after
    return np.asarray(
        np.where(bend < 0.0, np.clip(0.5 * (before - after) / np.where(bend < 0.0, bend, -1.0), -0.5, 0.5), 0.0)
    )


# what is moved


def stood(picture: Picture, stance: Stance) -> Picture:
    """A source as it lies on the target; NaN where nothing is any more, or was hidden. Passes are moved when they are asked for."""
    if stance.plain:
        return shifted(picture, stance.shift)
    at = _sources(stance, picture.size)
    return each(picture, partial(_taken, at=at), partial(_ids_taken, at=at))


def taken_back(rgb: Pixels, stance: Stance) -> Pixels:
    """A target's pixels as they lie on the source: what it would show if its camera stood as the source's."""
    if stance.plain:
        return shifted(Picture(rgb), Shift(-stance.shift.right, -stance.shift.down)).rgb
    height, width = rgb.shape[:2]
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    places = np.stack([x.ravel() + 0.5 - width / 2.0, y.ravel() + 0.5 - height / 2.0], axis=1)
    near = stance.nearness.ravel().astype(np.float64) if stance.nearness is not None else np.zeros(len(places))
    flow = stance.flow(places, near).reshape(height, width, 2)
    return _taken(rgb, np.stack([x + flow[..., 0], y + flow[..., 1]], axis=-1).astype(np.float32))


def _sources(stance: Stance, size: tuple[int, int]) -> Pixels:
    """Which place of the source each pixel of the target shows [height, width, 2]; NaN for none."""
    width, height = size
    out = np.empty((height, width, 2), np.float32)
    nearness = stance.nearness if stance.nearness is not None else np.zeros((1, 1), np.float32)
    motion = np.array(stance.motion)
    over_bands(height, lambda first, end: kernels.sources(motion, nearness, first, end, out))
    return out


def _taken(values: Pixels, at: Pixels) -> Pixels:
    whole = np.ascontiguousarray(values, dtype=np.float32)
    out = np.empty((*at.shape[:2], values.shape[2]), np.float32)
    over_bands(out.shape[0], lambda first, end: kernels.taken(whole, at, first, end, out))
    return out


def _ids_taken(numbers: Numbers, at: Pixels) -> Numbers:
    height, width = numbers.shape
    there = np.nan_to_num(at, nan=-9.0)
    columns, rows = np.rint(there[..., 0]).astype(np.int32), np.rint(there[..., 1]).astype(np.int32)
    inside = (columns >= 0) & (columns < width) & (rows >= 0) & (rows < height)
    return np.where(inside, numbers[rows.clip(0, height - 1), columns.clip(0, width - 1)], -1).astype(np.int32)
