"""The surface that a ray met: its place, normals, tangents and UVs, its relief, and what its material says there."""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels.lights import is_listed
from durvan.engine.kernels.programs import height, resolve
from durvan.engine.kernels.rays import CUT_OUT, NOTHING, THINGS, in_the_way, nearest
from durvan.engine.kernels.world import (
    A_LIGHT,
    A_MATERIAL,
    A_SHAPES,
    A_TRIANGLE,
    BARS,
    F4,
    F8,
    LIGHT,
    M_FRAME,
    MATERIAL,
    N_CUT_OUTS,
    S_MATERIAL,
    S_ORIGIN,
    S_SIZE,
    S_X,
    S_Y,
    S_Z,
    SHAPE,
    T_CORNER,
    T_FLAT,
    T_MATERIAL,
    T_NORMAL,
    T_OBJECT,
    T_SMOOTH,
    T_UV,
    TRIANGLE_SIZE,
    World,
)
from durvan.optics.jit import beyond, inner, small
from durvan.optics.lobes.layout import NORMAL, OPACITY, RELIEF

MOST_CUTS = 64  # surfaces that are not there, one behind the other
MOST_BARS = 4096  # surfaces that throw no shadow of a light with a list
AWAY = 2e-6  # how far from a surface a ray starts, for each metre of its place: some thirty steps of single precision


@small
def frame(x: float, y: float, z: float) -> tuple[float, float, float, float, float, float]:
    """Two directions at right angles to one (Duff et al. 2017)."""
    sign = 1.0 if z >= 0.0 else -1.0
    a = -1.0 / (sign + z)
    b = x * y * a
    return 1.0 + sign * x * x * a, sign * b, -sign * x, b, sign + y * y * a, -y


@small
def across(tx: float, ty: float, tz: float, nx: float, ny: float, nz: float) -> tuple[float, float, float, float]:
    """The part of a vector that is at right angles to a normal, and how long that is."""
    k = tx * nx + ty * ny + tz * nz
    tx, ty, tz = tx - k * nx, ty - k * ny, tz - k * nz
    return tx, ty, tz, math.sqrt(tx * tx + ty * ty + tz * tz)


# a hit, as an array
H_T, H_P, H_NG, H_NS, H_T1, H_T2, H_UV, H_DU, H_DV, H_SIZE = 0, 1, 4, 7, 10, 13, 16, 18, 19, 20


@small
def put_place(hit: F8, t: float, px: float, py: float, pz: float, u: float, v: float, du: float, dv: float) -> None:
    """Where a surface was met: how far away, the place, its UVs, and metres for each of them."""
    hit[H_T] = t
    hit[H_P], hit[H_P + 1], hit[H_P + 2] = px, py, pz
    hit[H_UV], hit[H_UV + 1] = u, v
    hit[H_DU], hit[H_DV] = du, dv


@small
def put_frame(
    hit: F8, gx: float, gy: float, gz: float, nx: float, ny: float, nz: float, tx: float, ty: float, tz: float,
    bx: float, by: float, bz: float,
) -> None:  # fmt: skip
    """The normal of the shape, that of the shading, and two tangents."""
    hit[H_NG], hit[H_NG + 1], hit[H_NG + 2] = gx, gy, gz
    hit[H_NS], hit[H_NS + 1], hit[H_NS + 2] = nx, ny, nz
    hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2] = tx, ty, tz
    hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2] = bx, by, bz


@small
def _smooth(at: F4, b0: float, b1: float, b2: float, gx: float, gy: float, gz: float) -> tuple[float, float, float]:
    """The normal between those of a triangle's corners."""
    nx = b0 * at[T_NORMAL] + b1 * at[T_NORMAL + 3] + b2 * at[T_NORMAL + 6]
    ny = b0 * at[T_NORMAL + 1] + b1 * at[T_NORMAL + 4] + b2 * at[T_NORMAL + 7]
    nz = b0 * at[T_NORMAL + 2] + b1 * at[T_NORMAL + 5] + b2 * at[T_NORMAL + 8]
    k = math.sqrt(nx * nx + ny * ny + nz * nz)
    if k < 1e-9:
        return gx, gy, gz
    return nx / k, ny / k, nz / k


@inner
def surface_at(
    w: World,
    prim: int,
    b1: float,
    b2: float,
    t: float,
    ox: float,
    oy: float,
    oz: float,
    dx: float,
    dy: float,
    dz: float,
    hit: F8,
) -> int:
    """Place, normals, tangents and UVs of a hit; gives its material."""
    if prim >= 0:
        at = beyond(w.f4, w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE)
        b0 = 1.0 - b1 - b2
        px = at[T_CORNER] + b1 * at[T_CORNER + 3] + b2 * at[T_CORNER + 6]
        py = at[T_CORNER + 1] + b1 * at[T_CORNER + 4] + b2 * at[T_CORNER + 7]
        pz = at[T_CORNER + 2] + b1 * at[T_CORNER + 5] + b2 * at[T_CORNER + 8]
        gx, gy, gz = np.float64(at[T_FLAT]), np.float64(at[T_FLAT + 1]), np.float64(at[T_FLAT + 2])
        if at[T_SMOOTH] == 0.0:
            nx, ny, nz = gx, gy, gz
        else:
            nx, ny, nz = _smooth(at, b0, b1, b2, gx, gy, gz)
            if gx * nx + gy * ny + gz * nz < 0.0:  # authored normals say which side is out
                gx, gy, gz = -gx, -gy, -gz
        u = b0 * at[T_UV] + b1 * at[T_UV + 2] + b2 * at[T_UV + 4]
        v = b0 * at[T_UV + 1] + b1 * at[T_UV + 3] + b2 * at[T_UV + 5]
        material = int(at[T_MATERIAL])
        if w.i4[w.i4[A_MATERIAL] + material * MATERIAL + M_FRAME] == 0:
            tx, ty, tz, bx, by, bz = frame(nx, ny, nz)
            put_place(hit, t, px, py, pz, u, v, 1.0, 1.0)
            put_frame(hit, gx, gy, gz, nx, ny, nz, tx, ty, tz, bx, by, bz)
            return material
        u1, v1 = np.float64(at[T_UV + 2]) - at[T_UV], np.float64(at[T_UV + 3]) - at[T_UV + 1]
        u2, v2 = np.float64(at[T_UV + 4]) - at[T_UV], np.float64(at[T_UV + 5]) - at[T_UV + 1]
        det = u1 * v2 - u2 * v1
        if abs(det) > 1e-16:
            c = beyond(at, T_CORNER)
            tx, ty, tz = (v2 * c[3] - v1 * c[6]) / det, (v2 * c[4] - v1 * c[7]) / det, (v2 * c[5] - v1 * c[8]) / det
            bx, by, bz = (u1 * c[6] - u2 * c[3]) / det, (u1 * c[7] - u2 * c[4]) / det, (u1 * c[8] - u2 * c[5]) / det
        else:
            tx, ty, tz, bx, by, bz = frame(nx, ny, nz)
    else:
        q = w.i4[A_SHAPES] + (-1 - prim) * SHAPE
        px, py, pz = ox + t * dx, oy + t * dy, oz + t * dz
        material = int(w.f8[q + S_MATERIAL])
        gx, gy, gz = (
            (px - w.f8[q + S_ORIGIN]) / w.f8[q + S_SIZE],
            (py - w.f8[q + S_ORIGIN + 1]) / w.f8[q + S_SIZE],
            (pz - w.f8[q + S_ORIGIN + 2]) / w.f8[q + S_SIZE],
        )
        k = 1.0 / math.sqrt(gx * gx + gy * gy + gz * gz)
        gx, gy, gz = gx * k, gy * k, gz * k
        # back onto the ball exactly, so that the next ray starts where this one ended
        px, py, pz = (
            w.f8[q + S_ORIGIN] + gx * w.f8[q + S_SIZE],
            w.f8[q + S_ORIGIN + 1] + gy * w.f8[q + S_SIZE],
            w.f8[q + S_ORIGIN + 2] + gz * w.f8[q + S_SIZE],
        )
        nx, ny, nz = gx, gy, gz
        lx = gx * w.f8[q + S_X] + gy * w.f8[q + S_X + 1] + gz * w.f8[q + S_X + 2]
        ly = gx * w.f8[q + S_Y] + gy * w.f8[q + S_Y + 1] + gz * w.f8[q + S_Y + 2]
        lz = gx * w.f8[q + S_Z] + gy * w.f8[q + S_Z + 1] + gz * w.f8[q + S_Z + 2]
        u = 0.5 + math.atan2(lx, lz) / (2.0 * math.pi)
        v = 1.0 - math.acos(min(max(ly, -1.0), 1.0)) / math.pi
        k = 2.0 * math.pi * w.f8[q + S_SIZE]
        tx = k * (lz * w.f8[q + S_X] - lx * w.f8[q + S_Z])
        ty = k * (lz * w.f8[q + S_X + 1] - lx * w.f8[q + S_Z + 1])
        tz = k * (lz * w.f8[q + S_X + 2] - lx * w.f8[q + S_Z + 2])
        if tx * tx + ty * ty + tz * tz < 1e-18:
            tx, ty, tz, _, _, _ = frame(nx, ny, nz)
        bx, by, bz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
        k = math.pi * w.f8[q + S_SIZE] / max(math.sqrt(bx * bx + by * by + bz * bz), 1e-12)
        bx, by, bz = bx * k, by * k, bz * k
    du = math.sqrt(tx * tx + ty * ty + tz * tz)
    dv = math.sqrt(bx * bx + by * by + bz * bz)
    # the tangent at right angles to the normal; the other one keeps the side on which v grows
    tx, ty, tz, k = across(tx, ty, tz, nx, ny, nz)
    if k < 1e-12:
        tx, ty, tz, _, _, _ = frame(nx, ny, nz)
    else:
        tx, ty, tz = tx / k, ty / k, tz / k
    cx, cy, cz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
    if cx * bx + cy * by + cz * bz < 0.0:
        cx, cy, cz = -cx, -cy, -cz
    put_place(hit, t, px, py, pz, u, v, max(du, 1e-9), max(dv, 1e-9))
    put_frame(hit, gx, gy, gz, nx, ny, nz, tx, ty, tz, cx, cy, cz)
    return material


@small
def put_point(hit: F8, dx: float, dy: float, dz: float, point: F8) -> None:
    """What a material's program may know of a hit."""
    point[0], point[1] = hit[H_UV], hit[H_UV + 1]
    point[2], point[3], point[4] = hit[H_P], hit[H_P + 1], hit[H_P + 2]
    point[5] = min(abs(dx * hit[H_NS] + dy * hit[H_NS + 1] + dz * hit[H_NS + 2]), 1.0)


@inner
def relieve(w: World, m: int, hit: F8, rec: F8, point: F8, registers: F8, dx: float, dy: float, dz: float) -> None:
    """Turn the shading normal by a normal map or a bump; a normal that the eye would see from behind is left out."""
    nx, ny, nz = hit[H_NS], hit[H_NS + 1], hit[H_NS + 2]
    tx, ty, tz = hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2]
    bx, by, bz = hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2]
    if rec[RELIEF] == 1.0:
        a, b, c = rec[NORMAL], rec[NORMAL + 1], max(rec[NORMAL + 2], 1e-3)
        x, y, z = a * tx + b * bx + c * nx, a * ty + b * by + c * ny, a * tz + b * bz + c * nz
    else:
        e = max(min(hit[H_DU], hit[H_DV]) / 2048.0, 1e-6)
        u, v = hit[H_UV], hit[H_UV + 1]
        px, py, pz, facing = point[2], point[3], point[4], point[5]
        h = height(w, m, u, v, px, py, pz, facing, registers)
        hu = height(w, m, u + e / hit[H_DU], v, px + e * tx, py + e * ty, pz + e * tz, facing, registers)
        hv = height(w, m, u, v + e / hit[H_DV], px + e * bx, py + e * by, pz + e * bz, facing, registers)
        gu, gv = (hu - h) / e, (hv - h) / e
        if not (abs(gu) < 1e6 and abs(gv) < 1e6):
            return
        x, y, z = nx - gu * tx - gv * bx, ny - gu * ty - gv * by, nz - gu * tz - gv * bz
    k = math.sqrt(x * x + y * y + z * z)
    if k < 1e-12 or not k < 1e12:
        return
    x, y, z = x / k, y / k, z / k
    before = dx * nx + dy * ny + dz * nz
    after = dx * x + dy * y + dz * z
    if before * after <= 0.0 or abs(after) < 1e-3:
        return
    hit[H_NS], hit[H_NS + 1], hit[H_NS + 2] = x, y, z
    tx, ty, tz, k = across(tx, ty, tz, x, y, z)
    if k < 1e-9:
        tx, ty, tz, bx, by, bz = frame(x, y, z)
    else:
        tx, ty, tz = tx / k, ty / k, tz / k
        cx, cy, cz = y * tz - z * ty, z * tx - x * tz, x * ty - y * tx
        sign = 1.0 if cx * bx + cy * by + cz * bz >= 0.0 else -1.0
        bx, by, bz = cx * sign, cy * sign, cz * sign
    hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2] = tx, ty, tz
    hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2] = bx, by, bz


@inner
def prepare(w: World, m: int, hit: F8, dx: float, dy: float, dz: float, point: F8, registers: F8, room: F8) -> F8:
    """Everything about the surface that a ray met: its record, and in `hit` its relief."""
    put_point(hit, dx, dy, dz, point)
    rec = resolve(w, m, point, registers, room)
    if rec[RELIEF] != 0.0:
        relieve(w, m, hit, rec, point, registers, dx, dy, dz)
    return rec


@small
def lift(x: float, y: float, z: float) -> float:
    """How far from a surface at a place a ray starts, so that it does not meet it again."""
    return AWAY * max(1.0, max(abs(x), max(abs(y), abs(z))))


@small
def past(t: float) -> float:
    """Where a ray goes on that passed something at a distance."""
    return t + 2.0 * AWAY * max(1.0, t)


@inner
def clear_way(
    w: World,
    ox: float,
    oy: float,
    oz: float,
    dx: float,
    dy: float,
    dz: float,
    distance: float,
    lighting: int,
    light: int,
    registers: F8,
    point: F8,
    room: F8,
    hit: F8,
) -> float:
    """How much of a light comes along a way: 1, 0, or what cut-outs leave. A light with a list of what throws its shadows
    passes everything else.
    """
    row = w.i4[A_LIGHT] + light * LIGHT
    barred = w.f8[row + BARS] >= 0.0
    if not barred:
        if in_the_way(w, ox, oy, oz, dx, dy, dz, distance, lighting, light):
            return 0.0
        if w.i4[N_CUT_OUTS] == 0:
            return 1.0
    left = 1.0
    near = 0.0
    for _ in range(MOST_BARS if barred else MOST_CUTS):
        t, prim, b1, b2 = nearest(w, ox, oy, oz, dx, dy, dz, near, distance, THINGS if barred else CUT_OUT)
        if prim == NOTHING:
            return left
        if barred:
            thing = int(w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_OBJECT]) if prim >= 0 else -1
            if not is_listed(w, row, BARS, thing):
                near = past(t)
                continue
        m = surface_at(w, prim, b1, b2, t, ox, oy, oz, dx, dy, dz, hit)
        put_point(hit, dx, dy, dz, point)
        rec = resolve(w, m, point, registers, room)
        left *= 1.0 - min(max(rec[OPACITY], 0.0), 1.0)
        if left < 1e-4:
            return 0.0
        near = past(t)
    return 0.0
