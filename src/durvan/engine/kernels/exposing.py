"""The camera, and what its paths bring: light for each pixel of a film, and what stands in the middle of each."""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels import lights
from durvan.engine.kernels.lattice import mixed, number, put_starts
from durvan.engine.kernels.paths import path
from durvan.engine.kernels.rays import NOTHING, THINGS, nearest
from durvan.engine.kernels.surfaces import H_NS, MOST_CUTS, past, prepare, surface_at
from durvan.engine.kernels.world import (
    A_TRIANGLE,
    C_FAR,
    C_FOCUS,
    C_LENS,
    C_NEAR,
    C_ORIGIN,
    C_RIGHT,
    C_SHIFT,
    C_UP,
    C_X,
    C_Y,
    C_Z,
    F8,
    I4,
    R_CHANCES,
    R_HIT,
    R_OTHER,
    R_POINT,
    R_RECORD,
    R_REGISTERS,
    R_SPARE,
    R_STARTS,
    T_OBJECT,
    T_UNSEEN,
    TRIANGLE_SIZE,
    U1,
    World,
    bare,
)
from durvan.optics.jit import address, beyond, entry, inner
from durvan.optics.lobes.layout import OPACITY
from durvan.optics.lobes.turns import turn


@inner
def camera_ray(
    cam: F8, x: float, y: float, u: float, v: float
) -> tuple[float, float, float, float, float, float, float]:
    """A ray through a place in the picture (−1 to 1, right and up): origin, direction, and its length for a metre ahead."""
    a, b = x + cam[C_SHIFT], y + cam[C_SHIFT + 1]
    dx = cam[C_Z] + a * cam[C_X] + b * cam[C_Y]
    dy = cam[C_Z + 1] + a * cam[C_X + 1] + b * cam[C_Y + 1]
    dz = cam[C_Z + 2] + a * cam[C_X + 2] + b * cam[C_Y + 2]
    ox, oy, oz = cam[C_ORIGIN], cam[C_ORIGIN + 1], cam[C_ORIGIN + 2]
    if cam[C_LENS] > 0.0:
        radius = cam[C_LENS] * math.sqrt(u)
        lx, ly = turn(v)
        lx, ly = radius * lx, radius * ly
        qx, qy, qz = ox + dx * cam[C_FOCUS], oy + dy * cam[C_FOCUS], oz + dz * cam[C_FOCUS]
        ox += lx * cam[C_RIGHT] + ly * cam[C_UP]
        oy += lx * cam[C_RIGHT + 1] + ly * cam[C_UP + 1]
        oz += lx * cam[C_RIGHT + 2] + ly * cam[C_UP + 2]
        dx, dy, dz = (qx - ox) / cam[C_FOCUS], (qy - oy) / cam[C_FOCUS], (qz - oz) / cam[C_FOCUS]
    length = math.sqrt(dx * dx + dy * dy + dz * dz)
    return ox, oy, oz, dx / length, dy / length, dz / length, length


def scratch(registers: int) -> F8:
    """Room for one call of a kernel, for a world whose programs need some registers."""
    return np.zeros(R_REGISTERS + registers)


@entry
def render(
    w: World,
    cam: F8,
    width: int,
    height_: int,
    x0: int,
    x1: int,
    y0: int,
    y1: int,
    first: int,
    count: int,
    seed: int,
    bounces: int,
    clamps: F8,
    room: F8,
    where: U1,
    film: F8,
    square: F8,
) -> None:
    """Add samples `first` to `first + count` of a tile to `film` [height, width, groups, 3], where `where` [height, width]
    is not 0; `square` [height, width] gets the squares of their luminances. `clamps` [1] is the most that a sample may
    add (0: anything); of several lightings [groups] that of each. `room` is as `scratch` makes it, for this call alone.
    """
    w = bare(w)
    cam = address(cam)
    every = address(room)
    point, hit, spare = beyond(every, R_POINT), beyond(every, R_HIT), beyond(every, R_SPARE)
    chances, starts = beyond(every, R_CHANCES), beyond(every, R_STARTS)
    rec, other, registers = beyond(every, R_RECORD), beyond(every, R_OTHER), beyond(every, R_REGISTERS)
    groups = film.shape[2]
    kept = np.zeros(3 * groups + 1)
    kept[0] = groups
    out = address(kept)
    single = clamps.shape[0] == 1
    for y in range(y0, y1):
        for x in range(x0, x1):
            if where[y, x] == 0:
                continue
            key = mixed(
                np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(y) * np.uint64(1 << 24) + np.uint64(x)
            )
            put_starts(key, starts)
            for index in range(first, first + count):
                sx = (x + number(key, starts, index, 0)) / width * 2.0 - 1.0
                sy = 1.0 - (y + number(key, starts, index, 1)) / height_ * 2.0
                u, v = number(key, starts, index, 2), number(key, starts, index, 3)
                ox, oy, oz, dx, dy, dz, length = camera_ray(cam, sx, sy, u, v)
                far = cam[C_FAR] * length if cam[C_FAR] > 0.0 else lights.INFINITE
                for k in range(groups):
                    out[1 + 3 * k] = out[2 + 3 * k] = out[3 + 3 * k] = 0.0
                path(
                    w, ox, oy, oz, dx, dy, dz, cam[C_NEAR] * length, far, key, starts, index, bounces, out, registers,
                    point, rec, other, hit, spare, chances,
                )  # fmt: skip
                most = 0.0
                for k in range(groups):
                    most += max(out[1 + 3 * k], max(out[2 + 3 * k], out[3 + 3 * k]))
                total = 0.0
                for k in range(groups):
                    limit = clamps[0] if single else clamps[k]
                    one = most if single else max(out[1 + 3 * k], max(out[2 + 3 * k], out[3 + 3 * k]))
                    scale = limit / one if 0.0 < limit < one else 1.0
                    for c in range(3):
                        film[y, x, k, c] += scale * out[1 + 3 * k + c]
                    total += scale * (0.2126 * out[1 + 3 * k] + 0.7152 * out[2 + 3 * k] + 0.0722 * out[3 + 3 * k])
                square[y, x] += total * total
    kept[0] = groups  # here, so that what `out` points to lives until now


@entry
def first_things(
    w: World, cam: F8, width: int, height_: int, room: F8, material: I4, thing: I4, depth: F8, normal: F8
) -> None:
    """What stands in the middle of each pixel: material and object (−1 for nothing), depth in metres, world normal."""
    w = bare(w)
    cam = address(cam)
    point, hit = beyond(address(room), R_POINT), beyond(address(room), R_HIT)
    kept, registers = beyond(address(room), R_RECORD), beyond(address(room), R_REGISTERS)
    for y in range(height_):
        for x in range(width):
            sx, sy = (x + 0.5) / width * 2.0 - 1.0, 1.0 - (y + 0.5) / height_ * 2.0
            ox, oy, oz, dx, dy, dz, length = camera_ray(cam, sx, sy, 0.0, 0.0)
            near = cam[C_NEAR] * length
            far = cam[C_FAR] * length if cam[C_FAR] > 0.0 else lights.INFINITE
            material[y, x], thing[y, x], depth[y, x] = -1, -1, 0.0
            for c in range(3):
                normal[y, x, c] = 0.0
            for _ in range(MOST_CUTS):
                t, prim, b1, b2 = nearest(w, ox, oy, oz, dx, dy, dz, near, far, THINGS)
                if prim == NOTHING:
                    break
                if prim >= 0 and w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_UNSEEN] == 1.0:
                    near = past(t)
                    continue
                m = surface_at(w, prim, b1, b2, t, ox, oy, oz, dx, dy, dz, hit)
                rec = prepare(w, m, hit, dx, dy, dz, point, registers, kept)
                if rec[OPACITY] < 0.5:
                    near = past(t)
                    continue
                material[y, x] = m
                thing[y, x] = int(w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_OBJECT]) if prim >= 0 else -1
                depth[y, x] = t / length
                for c in range(3):
                    normal[y, x, c] = hit[H_NS + c]
                break
