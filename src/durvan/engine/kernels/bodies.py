"""Bodies that are no triangles, and the panels of lights, which are: where a ray meets them. Embree calls these.

A light's body is there for whoever stands before it: from behind, and from inside, it is passed.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import types
from numba.extending import intrinsic

from durvan.engine.kernels.world import S_KIND, S_LIGHT, S_ORIGIN, S_SIZE, S_X, S_Y, S_Z, SHAPE
from durvan.optics.jit import beyond, inner
from durvan.optics.light_shapes import CYLINDER, DISK, RECT, SPHERE

# A ray and its hit as Embree lays them out, in words of four bytes
(R_X, R_Y, R_Z, R_NEAR, R_DX, R_DY, R_DZ, R_TIME, R_FAR, R_MASK, R_ID, R_FLAGS) = range(12)
(R_NX, R_NY, R_NZ, R_U, R_V, R_PRIMITIVE, R_GEOMETRY, R_INSTANCE) = range(12, 20)
RAY_WORDS = 24
# What a callback is given, in words of eight bytes; a filter, which has a word on every hit
A_DATA, A_PRIMITIVE, A_RAY = 1, 2, 4
F_VALID, F_DATA, F_RAY, F_HIT = 0, 1, 3, 4
SIGNATURE = types.void(types.CPointer(types.int64))  # of the three that Embree calls


def _pointer(kind: Any) -> Any:
    """An intrinsic that takes an address for a pointer to numbers of a kind."""

    @intrinsic  # type: ignore[untyped-decorator] # the compiler's own
    def there(_context: Any, where: Any) -> Any:
        def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            return builder.inttoptr(arguments[0], context.get_value_type(signature.return_type))

        return types.CPointer(kind)(types.int64), code

    return there


singles = _pointer(types.float32)
doubles = _pointer(types.float64)
words = _pointer(types.uint32)
longs = _pointer(types.int64)


@inner
def met(shape: Any, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, near: float, far: float) -> float:
    """Distance to a body, or −1."""
    light = shape[S_LIGHT] >= 0.0
    x, y, z = ox - shape[S_ORIGIN], oy - shape[S_ORIGIN + 1], oz - shape[S_ORIGIN + 2]
    kind = int(shape[S_KIND])
    if kind == SPHERE:
        r = shape[S_SIZE]
        b = x * dx + y * dy + z * dz
        px, py, pz = x - b * dx, y - b * dy, z - b * dz
        h = r * r - (px * px + py * py + pz * pz)
        if h < 0.0:
            return -1.0
        root = math.sqrt(h)
        t = -b - root
        if near < t < far:
            return t
        t = -b + root
        return t if not light and near < t < far else -1.0
    lx = x * shape[S_X] + y * shape[S_X + 1] + z * shape[S_X + 2]
    ly = x * shape[S_Y] + y * shape[S_Y + 1] + z * shape[S_Y + 2]
    lz = x * shape[S_Z] + y * shape[S_Z + 1] + z * shape[S_Z + 2]
    ex = dx * shape[S_X] + dy * shape[S_X + 1] + dz * shape[S_X + 2]
    ey = dx * shape[S_Y] + dy * shape[S_Y + 1] + dz * shape[S_Y + 2]
    ez = dx * shape[S_Z] + dy * shape[S_Z + 1] + dz * shape[S_Z + 2]
    if kind == RECT or kind == DISK:
        if ez <= 0.0:
            return -1.0
        t = -lz / ez
        if not near < t < far:
            return -1.0
        hx, hy = lx + t * ex, ly + t * ey
        if kind == RECT:
            return t if abs(hx) <= 0.5 * shape[S_SIZE] and abs(hy) <= 0.5 * shape[S_SIZE + 1] else -1.0
        return t if hx * hx + hy * hy <= shape[S_SIZE] * shape[S_SIZE] else -1.0
    if kind == CYLINDER:
        a = ey * ey + ez * ez
        if a < 1e-20:
            return -1.0
        b = ly * ey + lz * ez
        c = ly * ly + lz * lz - shape[S_SIZE] * shape[S_SIZE]
        h = b * b - a * c
        if h < 0.0:
            return -1.0
        t = (-b - math.sqrt(h)) / a
        if near < t < far and abs(lx + t * ex) <= 0.5 * shape[S_SIZE + 1]:
            return t
    return -1.0


@inner
def _looked_for(shape: Any, ray: Any) -> bool:
    """Whether a body is that of the very light that a ray goes to."""
    return shape[S_LIGHT] >= 0.0 and ray[R_ID] == np.uint32(int(shape[S_LIGHT]) + 1)


@inner
def _of_ray(given: Any) -> float:
    """How far along the ray of a callback the body lies that it was called for, or −1."""
    ray = singles(given[A_RAY])
    shape = beyond(doubles(longs(given[A_DATA])[0]), (given[A_PRIMITIVE] & 0xFFFFFFFF) * SHAPE)
    if _looked_for(shape, words(given[A_RAY])):
        return -1.0
    return met(shape, ray[R_X], ray[R_Y], ray[R_Z], ray[R_DX], ray[R_DY], ray[R_DZ], ray[R_NEAR], ray[R_FAR])


def bounds(given: Any) -> None:
    """The box of a body, which was worked out before."""
    box = beyond(singles(longs(given[0])[1]), 6 * (given[1] & 0xFFFFFFFF))
    out = singles(given[2])
    for axis in range(3):
        out[axis], out[4 + axis] = box[axis], box[3 + axis]


def meet(given: Any) -> None:
    """Shorten a ray to where it meets a body."""
    t = _of_ray(given)
    if t > 0.0:
        singles(given[A_RAY])[R_FAR] = np.float32(t)
        hit = words(given[A_RAY])
        hit[R_PRIMITIVE] = np.uint32(given[A_PRIMITIVE] & 0xFFFFFFFF)
        hit[R_GEOMETRY] = np.uint32(given[A_RAY + 1] >> 32)
        hit[R_INSTANCE] = np.uint32(0xFFFFFFFF)


def block(given: Any) -> None:
    """End a ray that a body stands in the way of."""
    if _of_ray(given) > 0.0:
        singles(given[A_RAY])[R_FAR] = np.float32(-np.inf)


def keep(given: Any) -> None:
    """Whether a panel's triangle counts for a ray: it is met from the side that shines, and is not what is looked for."""
    hit, ray = words(given[F_HIT]), singles(given[F_RAY])
    which = int(hit[R_PRIMITIVE - R_NX]) >> 1  # two triangles each
    shape = beyond(doubles(longs(given[F_DATA])[0]), which * SHAPE)
    facing = ray[R_DX] * shape[S_Z] + ray[R_DY] * shape[S_Z + 1] + ray[R_DZ] * shape[S_Z + 2]
    if facing <= 0.0 or _looked_for(shape, words(given[F_RAY])):
        words(given[F_VALID])[0] = np.uint32(0)
