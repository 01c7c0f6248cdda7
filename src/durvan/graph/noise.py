"""Noises over arrays of points, as MaterialX's standard library defines them (1.39): gradients, cells, scattered points.

The reference for the compiled ones, which stand in `engine/kernels/programs.py`.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Whole = NDArray[np.int64]
Bits = NDArray[np.uint32]
_SCALE, _PLANE_SCALE = 0.9820, 0.6616
FAR = 1e9  # from where on there is no noise: numbers are too coarse there
_START = 0xDEADBEEF + 13


def _turn(x: Bits, by: int) -> Bits:
    return (x << np.uint32(by)) | (x >> np.uint32(32 - by))


def _bits(value: Whole | int, more: int) -> Bits:
    return np.asarray((np.asarray(value, dtype=np.int64) + _START + more) & 0xFFFFFFFF, dtype=np.int64).astype(
        np.uint32
    )


def _final(a: Bits, b: Bits, c: Bits) -> Bits:
    with np.errstate(over="ignore"):
        c = (c ^ b) - _turn(b, 14)
        a = (a ^ c) - _turn(c, 11)
        b = (b ^ a) - _turn(a, 25)
        c = (c ^ b) - _turn(b, 16)
        a = (a ^ c) - _turn(c, 4)
        b = (b ^ a) - _turn(a, 14)
        return (c ^ b) - _turn(b, 24)


def _stirred(a: Bits, b: Bits, c: Bits) -> tuple[Bits, Bits, Bits]:
    with np.errstate(over="ignore"):
        a = (a - c) ^ _turn(c, 4)
        c = c + b
        b = (b - a) ^ _turn(a, 6)
        a = a + c
        c = (c - b) ^ _turn(b, 8)
        b = b + a
        a = (a - c) ^ _turn(c, 16)
        c = c + b
        b = (b - a) ^ _turn(a, 19)
        a = a + c
        c = (c - b) ^ _turn(b, 4)
        b = b + a
    return a, b, c


def hashed(*whole: Whole) -> Bits:
    """Bits for two, three or four whole numbers (Jenkins, lookup3)."""
    more = len(whole) << 2
    parts = [_bits(value, more) for value in whole[:3]]
    while len(parts) < 3:
        parts.append(np.broadcast_to(_bits(0, more), parts[0].shape))
    a, b, c = parts
    if len(whole) == 4:
        a, b, c = _stirred(a, b, c)
        with np.errstate(over="ignore"):
            a = a + (whole[3] & 0xFFFFFFFF).astype(np.uint32)
    return _final(a, b, c)


def _of_channel(h: Bits, channel: int) -> Bits:
    """The bits that a channel counts by; 0 is for one number alone."""
    return h if channel == 0 else (h >> np.uint32(8 * (channel - 1))) & np.uint32(0xFF)


def _gradient(h: Bits, x: Array, y: Array, z: Array) -> Array:
    h = h & np.uint32(15)
    u = np.where(h < 8, x, y)
    v = np.where(h < 4, y, np.where((h == 12) | (h == 14), x, z))
    return np.asarray(np.where(h & 1, -u, u) + np.where(h & 2, -v, v))


def _plane_gradient(h: Bits, x: Array, y: Array) -> Array:
    h = h & np.uint32(7)
    u = np.where(h < 4, x, y)
    v = 2.0 * np.where(h < 4, y, x)
    return np.asarray(np.where(h & 1, -u, u) + np.where(h & 2, -v, v))


def _split(axes: Sequence[Array]) -> tuple[list[Whole], list[Array]]:
    floors = [np.floor(axis) for axis in axes]
    return [low.astype(np.int64) for low in floors], [axis - low for axis, low in zip(axes, floors, strict=True)]


def _fade(t: Array) -> Array:
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


def gradient_noise(x: Array, y: Array, z: Array, channel: int = 0) -> Array:
    """One octave, any shape; within about −1 to 1 (Perlin 2002)."""
    (ix, iy, iz), (fx, fy, fz) = _split((x, y, z))
    su, sv, sw = map(_fade, (fx, fy, fz))
    total = np.zeros(np.broadcast(x, y, z).shape)
    for dx, dy, dz in itertools.product((0, 1), repeat=3):
        weight = (su if dx else 1 - su) * (sv if dy else 1 - sv) * (sw if dz else 1 - sw)
        h = _of_channel(hashed(ix + dx, iy + dy, iz + dz), channel)
        total += weight * _gradient(h, fx - dx, fy - dy, fz - dz)
    return total * _SCALE


def plane_gradient_noise(x: Array, y: Array, channel: int = 0) -> Array:
    """One octave over a plane, any shape."""
    (ix, iy), (fx, fy) = _split((x, y))
    su, sv = _fade(fx), _fade(fy)
    total = np.zeros(np.broadcast(x, y).shape)
    for dx, dy in itertools.product((0, 1), repeat=2):
        weight = (su if dx else 1 - su) * (sv if dy else 1 - sv)
        total += weight * _plane_gradient(_of_channel(hashed(ix + dx, iy + dy), channel), fx - dx, fy - dy)
    return total * _PLANE_SCALE


def _near(axes: Sequence[Array]) -> NDArray[np.bool_]:
    return np.asarray(np.logical_and.reduce([np.abs(axis) < FAR for axis in axes]))


def _octaves(
    one: object, axes: Sequence[Array], octaves: int, lacunarity: float, diminish: float, channel: int
) -> Array:
    assert callable(one)
    total = np.zeros(np.broadcast(*axes).shape)
    amplitude = 1.0
    for _ in range(octaves):
        near = _near(axes)
        total += amplitude * np.where(near, one(*(np.where(near, axis, 0.0) for axis in axes), channel), 0.0)
        amplitude *= diminish
        axes = [axis * lacunarity for axis in axes]
    return total


def fractal(x: Array, y: Array, z: Array, octaves: int, lacunarity: float, diminish: float, channel: int = 0) -> Array:
    """Several octaves added; each is `lacunarity` times finer and `diminish` times weaker. What is too far away has none."""
    return _octaves(gradient_noise, (x, y, z), octaves, lacunarity, diminish, channel)


def plane_fractal(x: Array, y: Array, octaves: int, lacunarity: float, diminish: float, channel: int = 0) -> Array:
    """The same over a plane."""
    return _octaves(plane_gradient_noise, (x, y), octaves, lacunarity, diminish, channel)


def _unit(h: Bits) -> Array:
    return np.asarray(h.astype(np.float64) / 0xFFFFFFFF)


def cell_noise(*axes: Array) -> Array:
    """A number from 0 to 1 for each square or cube with whole corners; what is too far away is in that of the origin."""
    near = _near(axes)
    whole, _ = _split([np.where(near, axis, 0.0) for axis in axes])
    return _unit(hashed(*whole))


def scattered_points(axes: Sequence[Array], jitter: Array, style: int) -> Array:
    """How far the nearest of many points is, one scattered in each cell (Worley 1996); of style 1, a number of its own for each."""
    near = _near(axes)
    axes = [np.where(near, axis, 0.0) for axis in axes]
    whole, part = _split(axes)
    best = np.full(np.broadcast(*axes).shape, 1e6)
    offset = [np.zeros_like(best) for _ in axes]
    for step in itertools.product((-1, 0, 1), repeat=len(axes)):
        cell = [low + move for low, move in zip(whole, step, strict=True)]
        places = [
            move + (_unit(hashed(*cell, np.full_like(cell[0], n))) - 0.5) * jitter + 0.5 - here
            for n, (move, here) in enumerate(zip(step, part, strict=True))
        ]
        square = sum(place * place for place in places)
        closer = square < best
        best = np.where(closer, square, best)
        offset = [np.where(closer, new, old) for new, old in zip(places, offset, strict=True)]
    if style == 1:
        return cell_noise(*(move + axis for move, axis in zip(offset, axes, strict=True)))
    return np.asarray(np.sqrt(best))
