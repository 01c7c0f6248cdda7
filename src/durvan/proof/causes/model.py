"""How the target would have to be changed to be the source, by as few causes as explain it.

What a cause does is said in stops: an exposure adds to all of them, a white balance to each channel, a response stretches them about
white, a light adds by its share of a pixel, a material where it is seen. So the logarithm of the source is that of the target and a sum
over causes, linear about what is known already; it is solved by Gauss and Newton's steps with robust weights (Huber), and which causes
there are is chosen greedily, each time the one that explains most of what is left for its number of unknowns (orthogonal matching
pursuit, Pati et al. 1993), until nothing that could be seen is left.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from durvan.proof import kernels
from durvan.proof.bands import over_bands
from durvan.proof.causes.cells import Cells, Floats
from durvan.proof.causes.regions import regions_of

EXPOSURE, WHITE, RESPONSE, LIGHT, MATERIAL = "exposure", "white balance", "response", "light", "material"
_FLOOR = 0.02  # of the middle of both pictures: below it a stop counts for less and less
_SURE = 0.06  # stops: what a block is unsure by without any noise
_TRACE = 2e-4  # of all light, below which nobody misses a light
_GONE = 4.5  # stops against the rest of the picture, from which a material is black
_LEAST = 12  # blocks of one
_BIAS = 0.3  # stops: more of it is not known so well
_HUBER = 3.0  # of how unsure a block is: from there on it counts as one that is told otherwise
_GREY = np.ones(3)
_TINTS = np.array([[1.0, -1.0, 0.0], [0.5, 0.5, -1.0]])  # what is left of a colour without its mean


@dataclass(frozen=True, eq=False)
class Group:
    """A cause that may be taken: its kind, whose it is (a place among lights or materials), and which unknowns it has [3 n, unknowns]."""

    kind: str
    number: int
    basis: Floats
    name: str = ""


@dataclass
class _Sums:
    """The normal equations as they are added up, in each channel's unknowns: those of the materials come last."""

    gram: Floats
    right: Floats
    inner: int
    energy: float = 0.0

    @classmethod
    def empty(cls, size: int, materials: int) -> _Sums:
        """Of so many unknowns, of which the last are those of materials."""
        return cls(np.zeros((3, size, size)), np.zeros((3, size)), size - materials)

    def add(
        self, places: NDArray[np.int64], rows: Floats, q: Floats, left: Floats, weight: Floats, seen: NDArray[np.int32]
    ) -> None:
        """Add blocks: what each unknown does there [p, n, 3] with its place [p, n or 1], what a material does [n, 3], what is left, what they
        count for [n], the material [n].
        """
        apart = np.sqrt(np.minimum(weight, 1.0 / _SURE**2) * (left * left).mean(axis=1))
        weight = weight * np.minimum(1.0, _HUBER / np.maximum(apart, 1e-9))
        self.energy += float((weight[:, None] * left * left).sum())
        bands: dict[int, tuple[Floats, Floats]] = {}

        def some(first: int, end: int) -> None:
            gram, right = np.zeros_like(self.gram), np.zeros_like(self.right)
            kernels.add_rows(places, rows, q, left, weight, seen, self.inner, first, end, gram, right)
            bands[first] = gram, right

        over_bands(len(left), some)
        for first in sorted(bands):  # in their order, whichever was done first: sums are the same each time
            self.gram += bands[first][0]
            self.right += bands[first][1]

    def whole(self) -> Floats:
        """The equations with both halves."""
        upper = np.triu(self.gram)
        return np.asarray(upper + np.triu(self.gram, 1).transpose(0, 2, 1))


@dataclass
class Model:
    """The unknowns: gains per channel [3], the response's exponent less 1, stops of lights [lights, 3] and of materials [materials, 3]."""

    cells: Cells
    gain: Floats = field(default_factory=lambda: np.zeros(3))
    bend: float = 0.0
    lights: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    materials: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    parts_of: Model | None = field(
        default=None, repr=False
    )  # one of the same blocks: what never changes is taken of it

    def __post_init__(self) -> None:
        cells = self.cells
        self.lights = np.zeros((len(cells.lights), 3))
        self.materials = np.zeros((len(cells.materials), 3))
        if self.parts_of is not None:
            for name in (
                "floor",
                "weight",
                "unsure",
                "told",
                "bias",
                "dark",
                "both",
                "ours",
                "place",
                "rest",
                "regions",
            ):
                setattr(self, name, getattr(self.parts_of, name))
            self.parts_of = None
            return
        middle = np.concatenate([cells.source, cells.target]).mean(axis=1)
        middle = middle[middle > 0.0]
        self.floor = _FLOOR * float(np.median(middle)) if len(middle) else 1e-6
        level = 0.5 * (cells.source + cells.target).mean(axis=1)
        variance = cells.noise_source + cells.noise_target
        self.unsure = self._noise(level, variance)
        self.weight = cells.purity / (_SURE**2 + self.unsure)
        self.dark = self._dark()
        self.weight[np.isin(cells.material, [number for number, _ in self.dark])] = 0.0
        self.told = self._stops(cells.source) + self._bias(cells.source, cells.noise_source)
        self.bias = self._bias(cells.target, cells.noise_target)
        both = [k for k in range(len(cells.lights)) if not np.isnan(cells.source_parts[k]).any()]
        self.both = np.array(both, dtype=int)
        self.ours = np.clip(cells.source_parts[both] / np.maximum(cells.source, 1e-12), 0.0, 1.0)
        self.place = np.full(len(cells.lights), -1, dtype=np.int64)
        self.place[self.both] = np.arange(len(both))
        self.rest = cells.target - cells.parts.sum(axis=0)  # of passes that do not add up
        self.regions = regions_of(
            cells.source_parts[both],
            cells.parts[both],
            cells.material,
            len(cells.materials),
            level,
            self.floor,
            tuple(number for number, _ in self.dark),
        )

    def _dark(self) -> list[tuple[int, str]]:
        """Materials that give nearly no light on one side, and on which: no factor says how one becomes the other."""
        seen, size = self.cells.material, len(self.materials)
        place = np.where(seen >= 0, seen, size)
        sums = [
            np.bincount(place, weights=np.maximum(one.mean(axis=1), 0.0), minlength=size + 1)
            for one in (self.cells.source, self.cells.target)
        ]
        whole = [max(float(one.sum()), 1e-12) for one in sums]
        ratio = (sums[1][:size] / whole[1] + 1e-12) / (sums[0][:size] / whole[0] + 1e-12)
        there = np.bincount(place, minlength=size + 1)[:size] >= _LEAST
        return [
            (int(n), "target" if ratio[n] < 1.0 else "source")
            for n in np.nonzero(there & (np.abs(np.log2(ratio)) > _GONE))[0]
        ]

    def _bias(self, values: Floats, variance: Floats) -> Floats:
        """What noise takes from the mean of logarithms, to the second order [n, 1]."""
        level = np.maximum(values.mean(axis=1), 0.0) + self.floor
        return np.asarray(np.minimum(variance / (2.0 * np.log(2.0) * level**2), _BIAS)[:, None])

    def _noise(self, level: Floats, variance: Floats) -> Floats:
        """The variance of a block's stops."""
        return np.asarray(variance / ((np.maximum(level, 0.0) + self.floor) * np.log(2.0)) ** 2)

    def _stops(self, values: Floats) -> Floats:
        return np.asarray(np.log2(np.maximum(values, 0.0) + self.floor))

    @property
    def unknowns(self) -> int:
        """How many unknowns a channel has."""
        return 2 + len(self.lights) + len(self.materials)

    def _gain(self) -> Floats:
        """What exposure, white balance and materials do to each block [n, 3], in stops."""
        gain = np.broadcast_to(self.gain, self.cells.target.shape).copy()
        if len(self.materials):
            seen = self.cells.material >= 0
            gain[seen] += self.materials[self.cells.material[seen]]
        return gain

    def changed(self) -> tuple[Floats, Floats, Floats]:
        """The target as it is changed so far [n, 3], what it is before the response, and the share of each light in that [lights, n, 3], by
        both sides where both know it: noise of one alone would pull it."""
        total, share = self._lit()
        before = total * np.exp2(self._gain())
        after = np.maximum(before, 1e-12) ** (1.0 + self.bend)
        return np.asarray(after), before, share

    def _lit(self) -> tuple[Floats, Floats]:
        """The target with its lights changed [n, 3], and the share of each of these [lights, n, 3]."""
        total, share = np.empty_like(self.cells.target), np.empty_like(self.cells.parts)
        factors = np.exp2(self.lights)
        over_bands(
            self.cells.count,
            lambda first, end: kernels.lit(
                self.cells.parts, factors, self.rest, self.ours, self.place, first, end, total, share
            ),
        )
        return total, share

    def residual(self) -> Floats:
        """What is left between both, in stops [n, 3]."""
        before = self._lit()[0] * np.exp2(self._gain())
        return np.asarray(self.told - self._stops(np.maximum(before, 1e-12) ** (1.0 + self.bend)) - self.bias)

    def equations(self) -> tuple[Floats, Floats, float]:
        """The normal equations about what is known: [3, n, n] and [3, n] in each channel's unknowns, and the energy that is left."""
        sums = _Sums.empty(self.unknowns, len(self.materials))
        after, before, share = self.changed()
        middle = 0.5 * (after + np.maximum(self.cells.source, 0.0))  # of both sides, or the noise of one would pull
        slope = middle / (middle + self.floor)
        left = self.told - self._stops(after) - self.bias
        bend = slope * np.log2(np.maximum(before, 1e-12))
        q = slope * (1.0 + self.bend)
        rows = np.concatenate([q[None], bend[None], share * q])
        sums.add(np.arange(len(rows))[:, None], rows, q, left, self.weight, self.cells.material)
        if len(self.both):
            self._add_regions(sums)
        return sums.whole(), sums.right, sums.energy

    def _add_regions(self, sums: _Sums) -> None:
        """What each light gives each material (and what is of none), where both sides know it."""
        shown = len(self.materials) + 1
        gain = self.gain + np.vstack([self.materials, np.zeros((1, 3))])
        mine = self.regions.target * np.exp2(self.lights[self.both][:, None, :] + gain)
        told = self.regions.source
        q = (0.5 * (mine + told) / (0.5 * (mine + told) + self.floor)).reshape(-1, 3)
        left = (self._stops(told) - self._stops(mine)).reshape(-1, 3)
        places = np.stack([np.zeros(len(q), np.int64), np.repeat(2 + self.both, shown)])
        seen = np.tile(np.append(np.arange(shown - 1), -1).astype(np.int32), len(self.both))
        sums.add(places, np.stack([q, q]), q, left, self.regions.weight.reshape(-1), seen)

    def groups(self) -> list[Group]:
        """Every cause that may be taken."""
        size, made = self.unknowns, []

        def basis(place: int, rows: Floats) -> Floats:
            out = np.zeros((3 * size, len(rows)))
            for n, row in enumerate(rows):
                out[place::size, n] = row
            return out

        made.append(Group(EXPOSURE, -1, basis(0, _GREY[None])))
        made.append(Group(WHITE, -1, basis(0, _TINTS)))
        made.append(Group(RESPONSE, -1, basis(1, _GREY[None])))
        for k, name in enumerate(self.cells.lights):
            if not self._counts(k):
                continue
            made.append(Group(LIGHT, k, basis(2 + k, _GREY[None]), name))
            made.append(Group(LIGHT, k, basis(2 + k, np.vstack([_GREY, _TINTS])), name))
        for m, name in enumerate(self.cells.materials):
            made.append(Group(MATERIAL, m, basis(2 + len(self.lights) + m, np.vstack([_GREY, _TINTS])), name))
        return made

    def _counts(self, k: int) -> bool:
        """Whether a light gives enough on any side to be missed."""
        ours, theirs = float(np.nansum(self.cells.source_parts[k])), float(self.cells.parts[k].sum())
        return (
            max(ours / max(float(self.cells.source.sum()), 1e-12), theirs / max(float(self.cells.target.sum()), 1e-12))
            > _TRACE
        )

    def move(self, step: Floats) -> None:
        """Take a step in all unknowns [3 n]."""
        by = step.reshape(3, self.unknowns)
        self.gain = self.gain + by[:, 0]
        self.bend = float(np.clip(self.bend + by[:, 1].mean(), -0.8, 3.0))
        self.lights = np.clip(self.lights + by[:, 2 : 2 + len(self.lights)].T, -14.0, 14.0)
        self.materials = self.materials + by[:, 2 + len(self.lights) :].T
