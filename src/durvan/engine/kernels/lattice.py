"""The numbers that a path is drawn by: a lattice over the samples of a pixel (Kronecker, with square roots of primes), turned by
a hash of pixel and seed, so that any sample can be computed again by itself.
"""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels.world import F8
from durvan.optics.jit import inner, small

PRIMES = np.array(
    [2, 3, 5, 7, 11, 13, 17, 19, 23, 29, 31, 37, 41, 43, 47, 53, 59, 61, 67, 71, 73, 79, 83, 89, 97, 101, 103, 107, 109,
     113, 127, 131, 137, 139, 149, 151, 157, 163, 167, 173, 179, 181, 191, 193, 197, 199, 211, 223], dtype=np.float64,
)  # fmt: skip
STEPS = np.sqrt(PRIMES) % 1.0
LATTICE = len(PRIMES)  # dimensions that have one


@small
def mixed(x: np.uint64) -> np.uint64:
    """A hash of 64 bits (Stafford's mix 13 of splitmix)."""
    x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return x ^ (x >> np.uint64(31))


@inner
def put_starts(key: np.uint64, starts: F8) -> None:
    """Where the lattice of a pixel starts in each dimension."""
    for dimension in range(LATTICE):
        h = mixed(key + np.uint64(dimension) * np.uint64(0x9E3779B97F4A7C15))
        starts[dimension] = np.float64(h >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@small
def number(key: np.uint64, starts: F8, index: int, dimension: int) -> float:
    """The number in [0, 1) of a sample in a dimension."""
    if dimension < LATTICE:
        value = starts[dimension] + index * STEPS[dimension]
        return value - math.floor(value)
    h = mixed(
        key + np.uint64(dimension) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(index) * np.uint64(0xD1B54A32D192ED03)
    )
    return np.float64(h >> np.uint64(11)) * (1.0 / 9007199254740992.0)
