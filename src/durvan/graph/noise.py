"""Fractal gradient noise over arrays of points, as MaterialX's standard library defines it (1.39, fractal3d)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
_SCALE = 0.9820
FAR = 1e9  # from where on there is no noise: numbers are too coarse there


def _turn(x: NDArray[np.uint32], by: int) -> NDArray[np.uint32]:
    return (x << np.uint32(by)) | (x >> np.uint32(32 - by))


def _hash(x: NDArray[np.int64], y: NDArray[np.int64], z: NDArray[np.int64]) -> NDArray[np.uint32]:
    start = 0xDEADBEEF + (3 << 2) + 13
    a, b, c = (((axis + start) & 0xFFFFFFFF).astype(np.uint32) for axis in (x, y, z))
    with np.errstate(over="ignore"):
        c = (c ^ b) - _turn(b, 14)
        a = (a ^ c) - _turn(c, 11)
        b = (b ^ a) - _turn(a, 25)
        c = (c ^ b) - _turn(b, 16)
        a = (a ^ c) - _turn(c, 4)
        b = (b ^ a) - _turn(a, 14)
        return (c ^ b) - _turn(b, 24)


def _gradient(h: NDArray[np.uint32], x: Array, y: Array, z: Array) -> Array:
    h = h & np.uint32(15)
    u = np.where(h < 8, x, y)
    v = np.where(h < 4, y, np.where((h == 12) | (h == 14), x, z))
    return np.asarray(np.where(h & 1, -u, u) + np.where(h & 2, -v, v))


def gradient_noise(x: Array, y: Array, z: Array) -> Array:
    """One octave, any shape; within about −1 to 1 (Perlin 2002)."""
    floors = [np.floor(axis) for axis in (x, y, z)]
    fx, fy, fz = (axis - low for axis, low in zip((x, y, z), floors, strict=True))
    ix, iy, iz = (low.astype(np.int64) for low in floors)
    su, sv, sw = (t * t * t * (t * (t * 6.0 - 15.0) + 10.0) for t in (fx, fy, fz))
    total = np.zeros(np.broadcast(x, y, z).shape)
    for dx in (0, 1):
        for dy in (0, 1):
            for dz in (0, 1):
                weight = (su if dx else 1 - su) * (sv if dy else 1 - sv) * (sw if dz else 1 - sw)
                total += weight * _gradient(_hash(ix + dx, iy + dy, iz + dz), fx - dx, fy - dy, fz - dz)
    return total * _SCALE


def fractal(x: Array, y: Array, z: Array, octaves: int, lacunarity: float, diminish: float) -> Array:
    """Several octaves added; each is `lacunarity` times finer and `diminish` times weaker. What is too far away has none."""
    total = np.zeros(np.broadcast(x, y, z).shape)
    amplitude = 1.0
    for _ in range(octaves):
        near = (np.abs(x) < FAR) & (np.abs(y) < FAR) & (np.abs(z) < FAR)
        total += amplitude * np.where(near, gradient_noise(*(np.where(near, axis, 0.0) for axis in (x, y, z))), 0.0)
        amplitude *= diminish
        x, y, z = x * lacunarity, y * lacunarity, z * lacunarity
    return total
