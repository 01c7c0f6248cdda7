"""The surface that a ray met: its place, normals, tangents and UVs, its relief, and what its material says there."""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels.lattice import mixed
from durvan.engine.kernels.lights import is_listed
from durvan.engine.kernels.programs import height, put_more, resolve
from durvan.engine.kernels.rays import CUT_OUT, NOTHING, THINGS, in_the_way, nearest
from durvan.engine.kernels.world import (
    A_LIGHT,
    A_MATERIAL,
    A_SHAPES,
    A_START,
    A_TRIANGLE,
    BARS,
    F4,
    F8,
    LIGHT,
    M_BACK,
    M_FRAME,
    M_REACH,
    M_STRAND,
    MATERIAL,
    N_CUT_OUTS,
    N_MORE,
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
from durvan.graph.expression import POINT
from durvan.optics.jit import beyond, inner, small
from durvan.optics.lobes import stack
from durvan.optics.lobes.layout import (
    HEIGHT,
    NORMAL,
    OPACITY,
    RELIEF,
    ROUND,
)  # fmt: skip
from durvan.optics.lobes.turns import turn

MOST_CUTS = 64  # surfaces that are not there, one behind the other
OPEN, ALONG = POINT.index("open"), POINT.index("along")
LOOKS = 8  # rays that look about a place
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
H_T, H_P, H_NG, H_NS, H_T1, H_T2, H_UV, H_DU, H_DV = 0, 1, 4, 7, 10, 13, 16, 18, 19
H_PRIM, H_B1, H_B2 = 20, 21, 22  # the triangle, and where in it


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
    hit[H_PRIM], hit[H_B1], hit[H_B2] = prim, b1, b2
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


@inner
def put_point(w: World, hit: F8, dx: float, dy: float, dz: float, point: F8) -> None:
    """What a material's program may know of a hit."""
    point[0], point[1] = hit[H_UV], hit[H_UV + 1]
    point[2], point[3], point[4] = hit[H_P], hit[H_P + 1], hit[H_P + 2]
    point[5] = min(abs(dx * hit[H_NS] + dy * hit[H_NS + 1] + dz * hit[H_NS + 2]), 1.0)
    point[OPEN], point[ALONG] = 1.0, hit[H_UV]
    if w.i4[N_MORE] > 0:
        put_more(w, int(hit[H_PRIM]), hit[H_B1], hit[H_B2], point)


@small
def _drawn(key: np.uint64, k: int) -> float:
    """A number in [0, 1) of a place, so that what is drawn there is drawn again."""
    return np.float64(mixed(key + np.uint64(k) * np.uint64(0x9E3779B97F4A7C15)) >> np.uint64(11)) * (
        1.0 / 9007199254740992.0
    )


@small
def _key(x: float, y: float, z: float) -> np.uint64:
    """A number of a place."""
    a = np.uint64(np.int64(x * 1e7)) * np.uint64(0x9E3779B97F4A7C15)
    b = np.uint64(np.int64(y * 1e7)) * np.uint64(0xC2B2AE3D27D4EB4F)
    return mixed(a + b + np.uint64(np.int64(z * 1e7)))


@inner
def openness(w: World, hit: F8, side: float, reach: float) -> float:
    """How much of what lies about a place is open: the share of the hemisphere, by its cosine, in which nothing stands within
    `reach` metres. By a few rays; a picture has many samples.
    """
    px, py, pz = hit[H_P], hit[H_P + 1], hit[H_P + 2]
    key = _key(px, py, pz)
    e = lift(px, py, pz)
    nx, ny, nz = side * hit[H_NG], side * hit[H_NG + 1], side * hit[H_NG + 2]
    ax, ay, az, bx, by, bz = frame(nx, ny, nz)
    free = 0.0
    first, second = _drawn(key, 0), _drawn(key, 1)
    for k in range(LOOKS):
        u, v = (k + first) / LOOKS, (second + k * 0.6180339887498949) % 1.0
        radius = math.sqrt(u)
        c, s = turn(v)
        c, s, up = radius * c, radius * s, math.sqrt(max(1.0 - u, 1e-9))
        dx, dy, dz = c * ax + s * bx + up * nx, c * ay + s * by + up * ny, c * az + s * bz + up * nz
        _, prim, _, _ = nearest(w, px + e * nx, py + e * ny, pz + e * nz, dx, dy, dz, 0.0, reach, THINGS)
        free += 1.0 if prim == NOTHING else 0.0
    return free / LOOKS


@inner
def rounded(w: World, hit: F8, radius: float, own: int) -> None:
    """Turn the shading normal as if edges were rounded: the mean of the normals of the same object about a place, which short
    rays along three axes find, each counted by how likely it was to be found.
    """
    px, py, pz = hit[H_P], hit[H_P + 1], hit[H_P + 2]
    key = _key(px, py, pz)
    nx, ny, nz = hit[H_NG], hit[H_NG + 1], hit[H_NG + 2]
    ax, ay, az, bx, by, bz = frame(nx, ny, nz)
    sx = sy = sz = 0.0
    for k in range(LOOKS):
        which = (_drawn(key, 7) + k * 0.5698402909980532) % 1.0
        u, v = (_drawn(key, 8) + k * 0.7548776662466927) % 1.0, (_drawn(key, 9) + k * 0.6180339887498949) % 1.0
        if which < 0.5:
            zx, zy, zz, qx, qy, qz, rx, ry, rz = nx, ny, nz, ax, ay, az, bx, by, bz
        elif which < 0.75:
            zx, zy, zz, qx, qy, qz, rx, ry, rz = ax, ay, az, nx, ny, nz, bx, by, bz
        else:
            zx, zy, zz, qx, qy, qz, rx, ry, rz = bx, by, bz, nx, ny, nz, ax, ay, az
        away = radius * math.sqrt(u)
        c, s = turn(v)
        c, s = away * c, away * s
        half = math.sqrt(max(radius * radius - away * away, 0.0))
        ox = px + c * qx + s * rx + half * zx
        oy = py + c * qy + s * ry + half * zy
        oz = pz + c * qz + s * rz + half * zz
        near = 0.0
        for _ in range(4):
            t, prim, _, _ = nearest(w, ox, oy, oz, -zx, -zy, -zz, near, 2.0 * half, THINGS)
            if prim == NOTHING:
                break
            near = t + 1e-5 * radius
            if prim < 0:
                continue
            at = beyond(w.f4, w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE)
            if int(at[T_OBJECT]) != own:
                continue
            fx, fy, fz = np.float64(at[T_FLAT]), np.float64(at[T_FLAT + 1]), np.float64(at[T_FLAT + 2])
            if at[T_SMOOTH] != 0.0 and fx * at[T_NORMAL] + fy * at[T_NORMAL + 1] + fz * at[T_NORMAL + 2] < 0.0:
                fx, fy, fz = -fx, -fy, -fz
            chance = 0.5 * abs(fx * nx + fy * ny + fz * nz) + 0.25 * (
                abs(fx * ax + fy * ay + fz * az) + abs(fx * bx + fy * by + fz * bz)
            )
            sx, sy, sz = sx + fx / chance, sy + fy / chance, sz + fz / chance
    k = math.sqrt(sx * sx + sy * sy + sz * sz)
    if k < 1e-9:
        return
    # what was smooth before stays so: the turn goes onto the shading normal
    x = hit[H_NS] + sx / k - nx
    y = hit[H_NS + 1] + sy / k - ny
    z = hit[H_NS + 2] + sz / k - nz
    _set_normal(hit, x, y, z)


SOFT = 2.0  # above it relief is soft: nothing is left out, and what is steep is shadowed


@inner
def relieve(w: World, m: int, hit: F8, rec: F8, point: F8, registers: F8, dx: float, dy: float, dz: float) -> None:
    """Turn the shading normal by a normal map or a bump; a normal that the eye would see from behind is left out, or bent the other way
    where relief is soft. A soft one leaves in the record how steep it is (as HEIGHT) and the normal as it was (as NORMAL).
    """
    nx, ny, nz = hit[H_NS], hit[H_NS + 1], hit[H_NS + 2]
    tx, ty, tz = hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2]
    bx, by, bz = hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2]
    if rec[RELIEF] == 1.0 or rec[RELIEF] == 3.0:
        a, b, c = rec[NORMAL], rec[NORMAL + 1], max(rec[NORMAL + 2], 1e-3)
        x, y, z = a * tx + b * bx + c * nx, a * ty + b * by + c * ny, a * tz + b * bz + c * nz
    else:
        e = max(min(hit[H_DU], hit[H_DV]) / 2048.0, 1e-6)
        h = height(w, m, point, registers)
        _move(w, hit, point, e, e / hit[H_DU], 0.0, tx, ty, tz)
        hu = height(w, m, point, registers)
        _move(w, hit, point, e, 0.0, e / hit[H_DV], bx, by, bz)
        hv = height(w, m, point, registers)
        gu, gv = (hu - h) / e, (hv - h) / e
        _move(w, hit, point, 0.0, 0.0, 0.0, tx, ty, tz)
        if not (abs(gu) < 1e6 and abs(gv) < 1e6):
            return
        x, y, z = nx - gu * tx - gv * bx, ny - gu * ty - gv * by, nz - gu * tz - gv * bz
    k = math.sqrt(x * x + y * y + z * z)
    if k < 1e-12 or not k < 1e12:
        return
    x, y, z = x / k, y / k, z / k
    before = dx * nx + dy * ny + dz * nz
    after = dx * x + dy * y + dz * z
    if before * after <= 0.0 and rec[RELIEF] > SOFT:  # bent the other way, about the normal as it was
        up = 2.0 * (x * nx + y * ny + z * nz)
        x, y, z = up * nx - x, up * ny - y, up * nz - z
        after = dx * x + dy * y + dz * z
    if before * after <= 0.0 or abs(after) < 1e-3:
        return
    if rec[RELIEF] > SOFT:
        c = max(min(abs(x * nx + y * ny + z * nz), 1.0), 1e-6)
        rec[HEIGHT] = min(0.125 * (1.0 - c * c) / (c * c), 1.0)
        rec[NORMAL], rec[NORMAL + 1], rec[NORMAL + 2] = nx, ny, nz
    _set_normal(hit, x, y, z)


@small
def relief_shadow(rec: F8, dx: float, dy: float, dz: float) -> float:
    """What steep relief leaves of light that goes in a direction (Estevez et al. 2019); all, where it is not soft."""
    if rec[RELIEF] <= SOFT or rec[HEIGHT] <= 0.0:
        return 1.0
    c = max(abs(dx * rec[NORMAL] + dy * rec[NORMAL + 1] + dz * rec[NORMAL + 2]), 1e-6)
    return 2.0 / (1.0 + math.sqrt(1.0 + rec[HEIGHT] * (1.0 - c * c) / (c * c)))


@inner
def _move(w: World, hit: F8, point: F8, e: float, du: float, dv: float, tx: float, ty: float, tz: float) -> None:
    """Move the point that a program knows `e` metres along a direction from the hit."""
    point[0], point[1] = hit[H_UV] + du, hit[H_UV + 1] + dv
    point[2], point[3], point[4] = hit[H_P] + e * tx, hit[H_P + 1] + e * ty, hit[H_P + 2] + e * tz
    prim = int(hit[H_PRIM])
    if w.i4[N_MORE] == 0:
        return
    b1, b2 = hit[H_B1], hit[H_B2]
    if prim >= 0 and e > 0.0:  # the same way within the triangle
        c = beyond(w.f4, w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_CORNER)
        a11 = c[3] * c[3] + c[4] * c[4] + c[5] * c[5]
        a12 = c[3] * c[6] + c[4] * c[7] + c[5] * c[8]
        a22 = c[6] * c[6] + c[7] * c[7] + c[8] * c[8]
        det = np.float64(a11) * a22 - np.float64(a12) * a12
        if det > 0.0:
            p, q = tx * c[3] + ty * c[4] + tz * c[5], tx * c[6] + ty * c[7] + tz * c[8]
            b1, b2 = b1 + e * (p * a22 - q * a12) / det, b2 + e * (q * a11 - p * a12) / det
    put_more(w, prim, b1, b2, point)


@inner
def _set_normal(hit: F8, x: float, y: float, z: float) -> None:
    """Give a hit another shading normal; the tangents follow."""
    k = math.sqrt(x * x + y * y + z * z)
    if k < 1e-12:
        return
    x, y, z = x / k, y / k, z / k
    tx, ty, tz = hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2]
    bx, by, bz = hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2]
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
    facing = dx * hit[H_NG] + dy * hit[H_NG + 1] + dz * hit[H_NG + 2]
    m = side_of(w, m, facing)
    put_point(w, hit, dx, dy, dz, point)
    reach = w.i4[w.i4[A_MATERIAL] + m * MATERIAL + M_REACH]
    if reach >= 0:
        point[OPEN] = openness(w, hit, 1.0 if facing <= 0.0 else -1.0, w.f8[w.i4[A_START] + reach])
    rec = resolve(w, m, point, registers, room)
    if rec[ROUND] > 0.0 and hit[H_PRIM] >= 0.0:
        own = int(w.f4[w.i4[A_TRIANGLE] + int(hit[H_PRIM]) * TRIANGLE_SIZE + T_OBJECT])
        rounded(w, hit, rec[ROUND], own)
    if rec[RELIEF] != 0.0:
        relieve(w, m, hit, rec, point, registers, dx, dy, dz)
    return rec


@small
def side_of(w: World, m: int, facing: float) -> int:
    """The material of the side that a ray meets, with the cosine of the ray to the normal."""
    back = w.i4[w.i4[A_MATERIAL] + m * MATERIAL + M_BACK]
    return back if facing > 0.0 and back >= 0 else m


@inner
def look_of_side(w: World, m: int, hit: F8, dx: float, dy: float, dz: float, point: F8, registers: F8, room: F8) -> F8:
    """The record where a ray goes through a surface, without its relief and how open it is there."""
    m = side_of(w, m, dx * hit[H_NG] + dy * hit[H_NG + 1] + dz * hit[H_NG + 2])
    put_point(w, hit, dx, dy, dz, point)
    return resolve(w, m, point, registers, room)


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
) -> tuple[float, float, float]:
    """How much of a light comes along a way: all, nothing, or what cut-outs leave. A light with a list of what throws its shadows
    passes everything else. Surfaces that let light pass straight on take their part of it.
    """
    row = w.i4[A_LIGHT] + light * LIGHT
    barred = w.f8[row + BARS] >= 0.0
    if not barred:
        if in_the_way(w, ox, oy, oz, dx, dy, dz, distance, lighting, light):
            return 0.0, 0.0, 0.0
        if w.i4[N_CUT_OUTS] == 0:
            return 1.0, 1.0, 1.0
    r = g = b = 1.0
    near = 0.0
    for _ in range(MOST_BARS if barred else MOST_CUTS):
        t, prim, b1, b2 = nearest(w, ox, oy, oz, dx, dy, dz, near, distance, THINGS if barred else CUT_OUT)
        if prim == NOTHING:
            return r, g, b
        if barred:
            thing = int(w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_OBJECT]) if prim >= 0 else -1
            if not is_listed(w, row, BARS, thing):
                near = past(t)
                continue
        m = surface_at(w, prim, b1, b2, t, ox, oy, oz, dx, dy, dz, hit)
        facing = dx * hit[H_NG] + dy * hit[H_NG + 1] + dz * hit[H_NG + 2]
        if facing > 0.0 and w.i4[w.i4[A_MATERIAL] + m * MATERIAL + M_STRAND] == 1:
            near = past(t)
            continue
        rec = look_of_side(w, m, hit, dx, dy, dz, point, registers, room)
        solid = min(max(rec[OPACITY], 0.0), 1.0)
        cr, cg, cb = stack.straight_on(rec, -(dx * hit[H_NS] + dy * hit[H_NS + 1] + dz * hit[H_NS + 2]), w.tables)
        r, g, b = r * (1.0 - solid + solid * cr), g * (1.0 - solid + solid * cg), b * (1.0 - solid + solid * cb)
        if r + g + b < 1e-4:
            return 0.0, 0.0, 0.0
        near = past(t)
    return 0.0, 0.0, 0.0
