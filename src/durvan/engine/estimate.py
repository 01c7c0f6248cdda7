"""How far two noisy pictures are apart: what noise adds to a distance is taken out before the distance is taken.

Pictures come in parts of independent samples. How far the parts are from each other says how noisy each place is; the
difference of the two looks there is drawn towards the mean of its neighbourhood by as much as is noise (Lee 1980, the
local linear filter of least mean square error). Where a texture stands out of the noise it stays.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from durvan.optics.difference import ciede2000, cielab

Floats = NDArray[np.float64]
EXPOSURES = (1.0, 0.125)  # as it is, and three stops under so that highlights count
GLOWING = 0.7  # where the brightest thing lands when a picture is exposed for what glows
WORST = 0.05
_TRUST = 1.4  # times what the parts say of themselves; measured against many times the samples at all places
_PLACES = 0.02  # what is left to chance where not every place is looked at, besides what the places say of themselves
_PAIRS = (((0, 1), (2, 3)), ((0, 2), (1, 3)), ((0, 3), (1, 2)))  # four parts as two halves, in three ways


@dataclass(frozen=True)
class Lattice:
    """Evenly spread places of a picture: their `rows` and `columns`, counted in steps of the lattice. A neighbourhood
    goes `reach` steps to every side. `share` is how many of all the places that there are these are.
    """

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    reach: int = 1
    share: float = 1.0

    def near(self, values: Floats) -> Floats:
        """The means over each place and its neighbourhood; `values` [..., places, channels]."""
        return np.asarray(self._sums(values) / self.beside)

    @cached_property
    def beside(self) -> Floats:
        """How many places each neighbourhood has [places, 1]."""
        return self._sums(np.ones((len(self.rows), 1)))

    def _sums(self, values: Floats) -> Floats:
        edge, width = self.reach + 1, 2 * self.reach + 1
        grid = np.zeros(
            (*values.shape[:-2], self.rows.max() + 2 * edge, self.columns.max() + 2 * edge, values.shape[-1])
        )
        grid[..., self.rows + edge, self.columns + edge, :] = values
        total = grid.cumsum(axis=-3).cumsum(axis=-2)  # of all that is above and to the left
        top, left = self.rows, self.columns
        low, right = top + width, left + width
        return np.asarray(
            total[..., low, right, :] - total[..., top, right, :] - total[..., low, left, :] + total[..., top, left, :]
        )


@dataclass(frozen=True)
class Distance:
    """CIEDE2000 between two pictures of three lightings: by lighting, the mean of the worst 5 %, and how unsure for want
    of samples, and for want of places.
    """

    by_lighting: Floats
    worst: float
    of_samples: float
    of_places: float

    @property
    def noise(self) -> float:
        """How unsure altogether."""
        return math.hypot(self.of_samples, self.of_places)

    @property
    def mean(self) -> float:
        """Over all lightings."""
        return float(self.by_lighting.mean())


def distance(one: Floats, two: Floats, lattice: Lattice) -> Distance:
    """Between two pictures [parts, lightings, places, 3], linear, in two or four parts of independent samples."""
    exposures = exposures_for(one.mean(axis=0), two.mean(axis=0))
    means, worsts, apart = _compared(one, two, lattice, exposures)
    k = int(np.argmax(means.mean(axis=1)))
    chosen = exposures[k : k + 1]
    ways = _PAIRS if len(one) == 4 else (((0,), (1,)),)
    steps, falls = [], []
    for way in ways:
        halves = [_compared(one[list(part)], two[list(part)], lattice, chosen)[0][0] for part in way]
        steps.append(0.5 * (halves[0] - halves[1]))
        falls.append(0.5 * (halves[0] + halves[1]) - means[k])
    between = np.array(steps)
    # lightings share paths, yet hardly any noise: all of them together say what one alone says only by luck
    chance = 0.5 * (between.mean(axis=1) ** 2).mean() + 0.5 * (between**2).mean() / between.shape[1]
    fall = np.mean(falls, axis=0)  # from half the samples to all of them; there is about half as much left
    left = 0.5 * float(fall.mean())
    of_samples = _TRUST * float(np.sqrt(chance + left * left))
    by = np.maximum(means[k] - 0.5 * fall, 0.0)
    return Distance(by, float(worsts.mean(axis=1).max()), of_samples, _of_places(apart[k], lattice))


def carried_on(near: Distance, few: Distance, later: Distance) -> Distance:
    """What few places say `later`, after more samples, with what many of them (`near`) said otherwise than those `few` when
    both had as many: by as much as that is more than noise.
    """
    noise = near.of_samples**2 + few.of_samples**2
    trust = later.of_places**2 / max(later.of_places**2 + noise, 1e-12)
    by = np.maximum(later.by_lighting + trust * (near.by_lighting - few.by_lighting), 0.0)
    worst = max(later.worst + trust * (near.worst - few.worst), 0.0)
    return Distance(by, worst, later.of_samples, later.of_places * math.sqrt(1.0 - trust))


def _of_places(apart: Floats, lattice: Lattice) -> float:
    """How unsure the mean is because it is one of some places [lightings, places]: what differs between neighbours is
    chance, but for the share of all places that was looked at.
    """
    if lattice.share >= 1.0:
        return 0.0
    local = apart.mean(axis=0)[:, None]
    spread = ((local - lattice.near(local)) ** 2).mean()
    return _TRUST * math.sqrt((1.0 - lattice.share) * (_PLACES**2 + float(spread) / len(local)))


def exposures_for(one: Floats, two: Floats) -> tuple[float, ...]:
    """What two looks are compared at; where one glows over all that these show, it is exposed for as well."""
    bright = max(float(np.percentile(picture.max(axis=-1), 95.0)) for picture in (one, two))
    return EXPOSURES if bright * EXPOSURES[-1] <= 1.0 else (*EXPOSURES, GLOWING / bright)


def _compared(
    one: Floats, two: Floats, lattice: Lattice, exposures: tuple[float, ...]
) -> tuple[Floats, Floats, Floats]:
    """Means and worsts [exposures, lightings], and every place's distance [exposures, lightings, places]."""
    steady, step = _steady(0.5 * (one + two), lattice), _steady(two - one, lattice)
    first, second = steady - 0.5 * step, steady + 0.5 * step
    apart = np.stack(
        [ciede2000(*(cielab(np.clip(seen * exposure, 0.0, 1.0)) for seen in (first, second))) for exposure in exposures]
    )
    count = max(1, round(apart.shape[-1] * WORST))
    worst = np.partition(apart, apart.shape[-1] - count, axis=-1)[..., -count:].mean(axis=-1)
    return apart.mean(axis=-1), worst, apart


def _steady(parts: Floats, lattice: Lattice) -> Floats:
    """The mean of some parts with the noise taken out that they show; of a single part it is the part."""
    count = len(parts)
    mean: Floats = parts.mean(axis=0)
    if count == 1:
        return mean
    noise = lattice.near(((parts - mean) ** 2).sum(axis=(0, -1))[..., None] / (count * (count - 1)))
    around = lattice.near(mean)
    beside = lattice.beside
    spread = np.maximum(lattice.near((mean**2).sum(axis=-1)[..., None]) - (around**2).sum(axis=-1)[..., None], 0.0)
    true = np.maximum(spread - noise * (beside - 1.0) / beside, 0.0)
    return np.asarray(around + true / np.maximum(true + noise, 1e-12) * (mean - around))
