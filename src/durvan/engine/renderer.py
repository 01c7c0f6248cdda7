"""Render a world: tiles on a few threads, pass by pass; it can be watched, stopped, and gone on with."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from durvan.engine.build import Built
from durvan.engine.kernels import exposing

Floats = NDArray[np.float64]
TILE = 32
BANDS = 3
Stop = Callable[[], bool]


@cache
def pool() -> ThreadPoolExecutor:
    """The threads that tiles run on: one a core. Kernels release the interpreter, so the rest goes on."""
    return ThreadPoolExecutor(max_workers=max(1, os.cpu_count() or 1), thread_name_prefix="tile")


@dataclass
class Film:
    """What was gathered: sums of `samples` samples a pixel, [height, width, groups, 3], and of squared luminances.

    Sample n of a pixel is the same whenever it is computed, so a film can be gone on with later.
    """

    sums: Floats
    squares: Floats
    samples: int = 0
    seed: int = 0

    @classmethod
    def empty(cls, width: int, height: int, groups: int = 1, seed: int = 0) -> Film:
        """A film of some pixels with nothing on it."""
        return cls(np.zeros((height, width, groups, 3)), np.zeros((height, width)), 0, seed)

    @property
    def picture(self) -> Floats:
        """The mean so far [height, width, 3], in nit."""
        return np.asarray(self.sums.sum(axis=2) / max(self.samples, 1))

    @property
    def layers(self) -> Floats:
        """The mean so far of each group [height, width, groups, 3], in nit."""
        return np.asarray(self.sums / max(self.samples, 1))

    def error(self) -> Floats:
        """The standard error of each pixel's luminance [height, width], in nit."""
        n = max(self.samples, 1)
        mean = self.picture @ np.array([0.2126, 0.7152, 0.0722])
        variance = np.maximum(self.squares / n - mean * mean, 0.0)
        return np.asarray(np.sqrt(variance / max(n - 1, 1)))


@dataclass
class Passes:
    """What the camera sees first: places in the records and objects (−1: nothing), depth in metres, world normals."""

    material: NDArray[np.int32]
    thing: NDArray[np.int32]
    depth: Floats
    normal: Floats
    names: list[str] = field(default_factory=list)

    def coverage(self) -> dict[int, float]:
        """The share of the picture that each material covers."""
        found, counts = np.unique(self.material[self.material >= 0], return_counts=True)
        return {int(m): float(c) / self.material.size for m, c in zip(found, counts, strict=True)}


def _tiles(width: int, height: int) -> list[tuple[int, int, int, int]]:
    side = TILE if width * height > 64 * 64 * 4 else 16
    return [
        (x, min(x + side, width), y, min(y + side, height))
        for y in range(0, height, side)
        for x in range(0, width, side)
    ]


def _bands(wanted: NDArray[np.uint8]) -> list[tuple[int, int, int, int]]:
    """Rows with about as many wanted pixels each, a few for every core: of little work much is lost by handing it out."""
    passed = wanted.sum(axis=1, dtype=np.int64).cumsum()
    count = BANDS * (os.cpu_count() or 1)
    ends = np.searchsorted(passed, passed[-1] * np.arange(1, count + 1) / count) + 1
    return [(0, wanted.shape[1], int(top), int(low)) for top, low in pairwise((0, *ends)) if low > top]


def expose(
    built: Built, camera: Floats, film: Film, samples: int, bounces: int = 8, clamp: float | Sequence[float] = 0.0,
    stop: Stop = lambda: False, where: NDArray[np.bool_] | None = None,
) -> bool:  # fmt: skip
    """Add samples to a film, to some pixels or to all; False when it was stopped, and then the film is as it was.

    `clamp` is the most that a sample may add (0: anything); of several lightings that of each.
    """
    height, width, _, _ = film.sums.shape
    sums, squares = np.zeros_like(film.sums), np.zeros_like(film.squares)
    wanted = np.ones((height, width), np.uint8) if where is None else where.astype(np.uint8)
    clamps = np.atleast_1d(np.array(clamp, dtype=np.float64))

    def tile(left: int, right: int, top: int, low: int) -> None:
        if not stop():
            exposing.render(
                built.world, camera, width, height, left, right, top, low,
                film.samples, samples, film.seed, bounces, clamps, exposing.scratch(built.registers), wanted, sums, squares,
            )  # fmt: skip

    for one in [pool().submit(tile, *place) for place in (_tiles(width, height) if where is None else _bands(wanted))]:
        one.result()
    if stop():
        return False
    film.sums += sums
    film.squares += squares
    film.samples += samples
    return True


def first_things(built: Built, camera: Floats, width: int, height: int) -> Passes:
    """The id, depth and normal passes, one look through the middle of each pixel."""
    made = Passes(
        np.zeros((height, width), np.int32), np.zeros((height, width), np.int32), np.zeros((height, width)),
        np.zeros((height, width, 3)), built.objects,
    )  # fmt: skip
    exposing.first_things(
        built.world, camera, width, height, exposing.scratch(built.registers), made.material, made.thing, made.depth,
        made.normal,
    )  # fmt: skip
    return made
